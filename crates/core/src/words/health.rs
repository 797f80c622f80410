//! Values of a health check in words.

use crate::health::Read;

/// "18.2 % apart, lowest number 4 at 9.9 bar; good to 10 %".
pub fn health_words(r: &Read) -> String {
    let window = |[low, high]: [f64; 2], unit: &str| format!("window {low} to {high} {unit}");
    match r {
        Read::Words(w) => w.clone(),
        Read::Codes(c) => match c.len() {
            0 => "no codes".to_owned(),
            1 => format!("1 code: {}", c[0]),
            n => format!("{n} codes: {}", c.join(", ")),
        },
        Read::Number { value, unit, window: w } => format!("{value} {unit}, {}", window(*w, unit)),
        Read::All { outside, unit, window: w } if outside.is_empty() => {
            format!("all in it, {}", window(*w, unit))
        }
        Read::All { outside, unit, window: w } => {
            let places: Vec<String> = outside.iter().map(usize::to_string).collect();
            format!("number {} outside, {}", places.join(" and "), window(*w, unit))
        }
        Read::Each { apart, good_to, lowest: (place, value), unit } => format!(
            "{:.1} % apart, lowest number {place} at {value} {unit}; good to {:.0} %",
            100.0 * apart,
            100.0 * good_to
        ),
        Read::Held { lost, good_to } => {
            format!("{:.1} % lost in a minute; good to {:.0} %", 100.0 * lost, 100.0 * good_to)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::health::Takes;

    #[test]
    fn a_value_stands_beside_its_window() {
        let said = |t: &Takes, s: &str| health_words(&t.read(s).unwrap().unwrap());
        let trims = Takes::All { unit: "%".into(), window: [-10.0, 10.0] };
        assert_eq!(said(&trims, "3 -14"), "number 2 outside, window -10 to 10 %");
        assert_eq!(said(&trims, "3"), "all in it, window -10 to 10 %");
        let compression = Takes::Each { unit: "bar".into(), spread: 0.10 };
        assert_eq!(
            said(&compression, "12.1 11.8 9.9"),
            "18.2 % apart, lowest number 3 at 9.9 bar; good to 10 %"
        );
        assert_eq!(said(&Takes::Held { share: 0.1 }, "150 147 60"), "2.0 % lost in a minute; good to 10 %");
        assert_eq!(said(&Takes::Codes, "P0301 P0420"), "2 codes: P0301, P0420");
    }
}
