//! What was seen, heard or smelt, and where in a pull.

use jamjar_store::{Observation, ObservedAt};

/// Kinds that are offered; any other word may be typed.
pub(crate) const KINDS: [&str; 8] =
    ["smoke", "rattle", "hesitation", "warning lamp", "smell", "vibration", "leak", "noise"];

/// "2400 to 3000 rpm, 80 to 100 % load"; blank where nothing is known.
pub(crate) fn place_words(p: &ObservedAt) -> String {
    let span = |s: Option<[f64; 2]>, unit: &str| {
        s.map(|[a, b]| if a < b { format!("{a:.0} to {b:.0} {unit}") } else { format!("{a:.0} {unit}") })
    };
    [span(p.rpm, "rpm"), span(p.load, "% load")].into_iter().flatten().collect::<Vec<_>>().join(", ")
}

/// An observation in a list.
pub(crate) struct ObservedRow {
    pub(crate) id: i64,
    pub(crate) date: String,
    pub(crate) day_id: i64,
    pub(crate) pull_id: Option<i64>,
    pub(crate) tag: String,
    pub(crate) place: String,
    pub(crate) text: String,
    pub(crate) by: String,
}

pub(crate) fn observed_rows(all: &[Observation]) -> Vec<ObservedRow> {
    let row = |o: &Observation| ObservedRow {
        id: o.id,
        date: o.date.to_string(),
        day_id: o.day_id,
        pull_id: o.place.pull_id,
        tag: o.tag.clone(),
        place: place_words(&o.place),
        text: o.text.clone(),
        by: o.by.clone(),
    };
    all.iter().map(row).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_place_says_what_is_known_of_it() {
        let place = |rpm, load| place_words(&ObservedAt { pull_id: None, rpm, load });
        assert_eq!(place(Some([2400.0, 3000.0]), Some([80.0, 80.0])), "2400 to 3000 rpm, 80 % load");
        assert_eq!(place(None, Some([10.0, 30.0])), "10 to 30 % load");
        assert_eq!(place(None, None), "");
    }
}
