//! What a shop calls the cylinders of an engine.

use jamjar_core::channel::Channel;

/// "λ front": a numbered channel by the name its cylinder has; its own words where it has none.
pub(crate) fn cylinder_words(c: &Channel, names: &[String]) -> String {
    let number = c.as_str().rsplit_once('_').and_then(|(_, n)| n.parse::<usize>().ok());
    let name = number.and_then(|n| names.get(n.checked_sub(1)?));
    match (c.kind().filter(|k| k.numbered), name) {
        (Some(k), Some(name)) => format!("{} {name}", k.label),
        _ => c.label(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_named_cylinder_takes_the_place_of_its_number() {
        let names = ["front".to_owned(), "rear".to_owned()];
        let words = |c: &str| cylinder_words(&Channel::new(c).unwrap(), &names);
        assert_eq!(words("lambda_2"), "λ rear");
        assert_eq!(words("exhaust_temp_1"), "exhaust temperature front");
        assert_eq!(words("lambda_3"), "λ 3");
        assert_eq!(words("oil_temp"), "oil temperature");
    }
}
