//! What a print says of itself, from a form.

use jamjar_core::printed::{Applied, Place, Print};

/// Longest word for a smoothing, characters.
const LONGEST: usize = 80;

/// What a print says of itself, from a form; a blank place is where the dyno measures.
pub(crate) fn print_of(place: &str, applied: &str, smoothing: &str) -> Result<Print, String> {
    let place = match place {
        "" => None,
        id => Some(Place::from_id(id).ok_or_else(|| format!("“{id}” is not a place of measurement"))?),
    };
    let applied = match applied {
        "" => Applied::Unknown,
        id => Applied::from_id(id).ok_or_else(|| format!("“{id}” is not a correction we know"))?,
    };
    let smoothing: String = smoothing.trim().chars().take(LONGEST).collect();
    Ok(Print { applied, place, smoothing })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_nobody_said_of_a_print_is_unknown_and_not_assumed() {
        assert_eq!(print_of("", "", " none ").unwrap().applied, Applied::Unknown);
        assert_eq!(print_of("wheel", "din_70020", "").unwrap().place, Some(Place::Wheel));
        assert!(print_of("roof", "", "").is_err() && print_of("", "magic", "").is_err());
    }
}
