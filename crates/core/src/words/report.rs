//! What stands on a sheet that leaves the shop beside its figures: how they were made, what they say and what they do
//! not, and what to heed.

use super::count;

/// How the figures of a sheet were made.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Method<'a> {
    /// Where the dyno measures: "at the hub", "at the wheels".
    pub place: &'a str,
    /// Name of the correction family.
    pub correction: &'a str,
    /// Factors it came to over the pulls, lowest and highest; `None` where nothing was corrected.
    pub factors: Option<[f64; 2]>,
    /// Smoothing window, s.
    pub smoothing_s: f64,
    /// The statistic that heads a set: "mean of pulls", …
    pub headline: &'a str,
    /// Pulls that count, and pulls in all.
    pub pulls: [usize; 2],
}

/// How the figures were made, sentence by sentence.
pub fn method_sentences(m: &Method<'_>) -> Vec<String> {
    let factors = match m.factors {
        None => "no pull was corrected".to_owned(),
        Some([a, b]) if (b - a).abs() < 5e-4 => format!("a factor of {a:.3} on every pull"),
        Some([a, b]) => format!("factors from {a:.3} to {b:.3}"),
    };
    let filter = if m.smoothing_s > 0.0 {
        format!("smoothed over {} s; limits are judged on raw samples", m.smoothing_s)
    } else {
        "not smoothed".to_owned()
    };
    let [counted, all] = m.pulls;
    let left_out = match all - counted {
        0 => "all of them count".to_owned(),
        1 => "1 is left out, with its reason below".to_owned(),
        n => format!("{n} are left out, each with its reason below"),
    };
    vec![
        format!("Power and torque are those {}; correction: {}, {factors}.", m.place, m.correction),
        format!("Curves are {filter}. The figure of a set: {}.", m.headline),
        format!("{} stand behind it; {left_out}.", count(all, "pull")),
        "Intervals hold with 95 % confidence for pulls made again the same way: they come from how far repeated pulls scattered, and not from the dyno's own calibration.".to_owned(),
    ]
}

/// What such a sheet says, and what it does not.
pub const SAYS_AND_NOT: [&str; 5] = [
    "It says how much more one map made than another on this dyno, with these fuels, in this weather. A difference is worth more than the figure itself: another dyno shows other figures for the same engine.",
    "Where it says that no difference is shown, there may be one that is smaller than the pulls could show.",
    "It says which limits were measured in these pulls and how much of each margin was left. It does not say that the engine is safe.",
    "A limit that was not measured may have been crossed without anybody seeing it.",
    "A pull lasts seconds. Long full load, heat, height, an older engine or another fuel leave less margin than is shown here.",
];

/// What the owner heeds.
pub const HEED: [&str; 4] = [
    "Fill what the map was pulled on. Another fuel, or a blend that was not measured, can knock or run lean.",
    "Lift and come back when it knocks, smokes, loses power, runs hot or lights a lamp.",
    "A changed calibration can end the approval for public roads, and a warranty. Emissions law and local rules hold.",
    "An update of the software in a control unit may overwrite the map: ask before it is made.",
];

/// What was left in the unit: the sentence about the flash, and the file it was, where it is in custody.
pub fn left_in_unit(sentence: &str, sha256: Option<&str>) -> String {
    match sha256 {
        Some(hash) => {
            format!("{sentence} Its file is kept; it begins with {} (SHA-256).", &hash[..hash.len().min(16)])
        }
        None => sentence.to_owned(),
    }
}

/// That what is in the unit is none of what a sheet speaks of.
pub const NOT_OF_THESE: &str = "It is none of the maps above: what they gained is not what is driven now.";

/// Whose place a report takes, and why.
pub fn supersedes_sentence(number: &str, why: &str) -> String {
    if why.is_empty() {
        format!("This report takes the place of {number}.")
    } else {
        format!("This report takes the place of {number}: {}.", why.trim_end_matches('.'))
    }
}

/// That a report has been superseded.
pub fn superseded_sentence(by: &str) -> String {
    format!("Superseded: report {by} has taken the place of this one.")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_method_says_what_was_done_and_what_was_left_out() {
        let m = Method {
            place: "at the hub",
            correction: "SAE J1349",
            factors: Some([1.0121, 1.0189]),
            smoothing_s: 0.25,
            headline: "mean of pulls",
            pulls: [8, 9],
        };
        let said = method_sentences(&m);
        assert!(
            said[0].contains("at the hub") && said[0].contains("factors from 1.012 to 1.019"),
            "{said:?}"
        );
        assert!(
            said[1].contains("raw samples")
                && said[2] == "9 pulls stand behind it; 1 is left out, with its reason below."
        );
        let m = Method { pulls: [7, 9], factors: None, smoothing_s: 0.0, ..m };
        let said = method_sentences(&m);
        assert!(said[0].contains("no pull was corrected") && said[1].contains("not smoothed"));
        assert!(said[2].contains("2 are left out"), "{said:?}");
        assert!(method_sentences(&Method { pulls: [3, 3], ..m })[2].contains("all of them count"));
    }

    #[test]
    fn no_sheet_calls_an_engine_safe() {
        assert!(SAYS_AND_NOT.iter().any(|s| s.contains("does not say that the engine is safe")));
        assert_eq!(left_in_unit("C6 is in the unit.", None), "C6 is in the unit.");
        assert!(
            left_in_unit("C6 is in the unit.", Some(&"ab".repeat(32))).contains("abababababababab (SHA-256)")
        );
        assert_eq!(
            supersedes_sentence("2026-001", "wrong fuel."),
            "This report takes the place of 2026-001: wrong fuel."
        );
    }
}
