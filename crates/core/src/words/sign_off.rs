//! What was driven before a map goes home, in words.

use crate::pedal::{Difference, PedalMap};
use crate::stats::spread::SpreadRatio;

/// "C6 scatters 1.8 times as much as Stock (0.6 to 5.2): no difference shown. By the F interval, for scatter that is
/// normal; 4 and 6 degrees of freedom."
pub fn spread_sentence(name: &str, base: &str, r: &SpreadRatio, unit: (&str, f64)) -> String {
    let [low, high] = r.ci95;
    let said = match r.more() {
        Some(true) => "it is less the same every time",
        Some(false) => "it is more the same every time",
        None => "no difference in consistency is shown",
    };
    let (label, scale) = unit;
    format!(
        "{name} scatters by {:.2} {label} from pull to pull, {base} by {:.2}: {:.2} times as much ({low:.2} to {high:.2}), \
         {said}. By the F interval, for scatter that is normal; {:.0} and {:.0} degrees of freedom.",
        r.one.sd * scale,
        r.other.sd * scale,
        r.ratio,
        r.one.df,
        r.other.df
    )
}

/// Where a map opens the plate otherwise than another, and where it was shut under a held pedal.
pub fn pedal_sentence(name: &str, map: &PedalMap, base: Option<(&str, &Difference)>) -> String {
    let mut out = match base.map(|(b, d)| (b, d.largest)) {
        Some((b, Some((at, points)))) if points.abs() >= 3.0 => format!(
            "At {:.0} % pedal and {:.0} rpm {name} opens the plate {:.0} points {} than {b}.",
            at[0],
            at[1],
            points.abs(),
            if points > 0.0 { "further" } else { "less" }
        ),
        Some((b, Some(_))) => {
            format!("{name} opens the plate as {b} does, within 3 points wherever both were driven.")
        }
        Some((b, None)) => {
            format!("{name} and {b} were driven nowhere alike: their pedals can't be compared.")
        }
        None => String::new(),
    };
    let shut = map.closures();
    if let Some((at, closed, hits)) = shut.iter().max_by_key(|c| c.1) {
        let others = match shut.len() {
            1 => String::new(),
            2 => ", and in one more place".to_owned(),
            n => format!(", and in {} more places", n - 1),
        };
        out += &format!(
            "{}The plate was shut under a held pedal at {:.0} % and {:.0} rpm ({closed} of {hits} samples){others}: look for \
             what asked for less torque.",
            if out.is_empty() { "" } else { " " },
            at[0],
            at[1]
        );
    }
    out
}

/// Which file a sheet is about: how hashes begin, and what is in the unit.
#[derive(Debug, Clone, Copy, Default)]
pub struct DrivenFile<'a> {
    /// The file of the map that is in custody.
    pub file: Option<&'a str>,
    /// The file it was signed for, where it was signed.
    pub signed: Option<Option<&'a str>>,
    /// The map that went into the unit last, with its day in words.
    pub in_unit: Option<(&'a str, &'a str)>,
}

/// Which file a sheet is about; true when it was signed for another, or another map is in the unit.
pub fn driven_file_sentence(map: &str, of: DrivenFile<'_>) -> (String, bool) {
    let (own, other) = match (of.file, of.signed) {
        (Some(hash), Some(Some(then))) if hash != then => (
            format!(
                "It was signed for the file that begins with {then}; in custody is {hash}: drive that one."
            ),
            true,
        ),
        (Some(hash), Some(None)) => (
            format!(
                "It was signed before its file, {hash}, was in custody: nobody knows that it is the same."
            ),
            true,
        ),
        (None, Some(Some(then))) => (
            format!("It was signed for the file that begins with {then}, which is not in custody any more."),
            true,
        ),
        (Some(hash), _) => (format!("Its file begins with {hash}."), false),
        (None, _) => (format!("No file of {map} is in custody."), false),
    };
    match of.in_unit {
        Some((inside, on)) if inside == map => (format!("{own} It went into the unit on {on}."), other),
        Some((inside, on)) => {
            (format!("{own} In the unit since {on} is {inside}: what was driven then is not {map}."), true)
        }
        None => (format!("{own} What is in the unit was not written down."), other),
    }
}

/// That nobody drove a map, or wrote it down.
pub fn not_driven_sentence(map: &str) -> String {
    format!("Nobody wrote down that {map} was driven before it went home.")
}

/// What an answer sheet comes to: what is not right, what was not tried.
pub fn sign_off_sentence(name: &str, wrong: &[String], untried: &[String], signed: Option<&str>) -> String {
    let list = |w: &[String]| w.join(", ");
    let not_tried = || match untried.len() {
        0 => String::new(),
        _ => format!(" Not tried: {}.", list(untried)),
    };
    match (wrong, signed) {
        ([], Some(by)) => format!("{name} was driven and signed by {by}.{}", not_tried()),
        ([], None) if untried.is_empty() => {
            format!("{name} was driven, and nothing is amiss: nobody has signed it.")
        }
        ([], None) => format!("{name} is not signed off.{}", not_tried()),
        (w, _) => format!(
            "{name} does not go home: {} {} not right.{}",
            list(w),
            if w.len() == 1 { "is" } else { "are" },
            not_tried()
        ),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::log::Series;
    use crate::pedal::Seen;
    use crate::stats::{pooled::Within, spread::spread_ratio};

    #[test]
    fn scatter_is_said_with_what_it_rests_on() {
        let r = spread_ratio(Within { sd: 2.0, df: 4.0 }, Within { sd: 1.0, df: 4.0 }).unwrap();
        let s = spread_sentence("C6", "Stock", &r, ("kW", 1.0));
        assert!(
            s.starts_with(
                "C6 scatters by 2.00 kW from pull to pull, Stock by 1.00: 2.00 times as much (0.65 to 6.20)"
            ),
            "{s}"
        );
        assert!(s.contains("no difference in consistency is shown") && s.contains("4 and 4 degrees"), "{s}");
        let r = spread_ratio(Within { sd: 9.0, df: 9.0 }, Within { sd: 1.0, df: 9.0 }).unwrap();
        assert!(spread_sentence("C6", "Stock", &r, ("kW", 1.0)).contains("less the same every time"));
    }

    #[test]
    fn a_pedal_is_said_where_it_differs_and_where_it_was_shut() {
        let t: Vec<f64> = (0..500).map(|i| f64::from(i) * 0.02).collect();
        let of = |v: &dyn Fn(f64) -> f64| Series { v: t.iter().map(|t| v(*t)).collect(), t: t.clone() };
        let map = |plate: &dyn Fn(f64) -> f64| {
            let mut s = Seen::default();
            s.add(&of(&|_| 3100.0), &of(&|_| 55.0), &of(plate));
            s.map().unwrap()
        };
        let (stock, eager) = (map(&|_| 40.0), map(&|t| if t < 9.0 { 70.0 } else { 30.0 }));
        let s = pedal_sentence("C6", &eager, Some(("Stock", &eager.less(&stock))));
        assert!(
            s.starts_with("At 55 % pedal and 3250 rpm C6 opens the plate 30 points further than Stock."),
            "{s}"
        );
        assert!(s.contains("shut under a held pedal at 55 % and 3250 rpm (50 of"), "{s}");
        let same = pedal_sentence("C6", &stock, Some(("Stock", &stock.less(&stock))));
        assert!(same.contains("as Stock does"), "{same}");
        assert_eq!(pedal_sentence("C6", &stock, None), "");
    }

    #[test]
    fn a_sheet_says_which_file_it_is_about_and_warns_of_another_in_the_unit() {
        let of = DrivenFile { file: Some("1f3a9c"), ..DrivenFile::default() };
        let said = |in_unit| driven_file_sentence("C6", DrivenFile { in_unit, ..of });
        let (own, warns) = said(Some(("C6", "3 May 2026")));
        assert_eq!(
            (own.as_str(), warns),
            ("Its file begins with 1f3a9c. It went into the unit on 3 May 2026.", false)
        );
        let (other, warns) = said(Some(("C5", "4 May 2026")));
        assert!(
            warns && other.ends_with("In the unit since 4 May 2026 is C5: what was driven then is not C6.")
        );
        assert!(said(None).0.ends_with("was not written down."));
        assert!(
            driven_file_sentence("C6", DrivenFile::default()).0.starts_with("No file of C6 is in custody.")
        );
        let signed = |signed| driven_file_sentence("C6", DrivenFile { signed: Some(signed), ..of });
        assert!(!signed(Some("1f3a9c")).1, "the same file");
        assert!(signed(Some("77ab01")).1 && signed(Some("77ab01")).0.contains("in custody is 1f3a9c"));
        assert!(signed(None).1 && signed(None).0.contains("before its file"));
    }

    #[test]
    fn a_sheet_says_what_is_wrong_before_what_was_not_tried() {
        let some = |w: &[&str]| w.iter().map(|w| (*w).to_owned()).collect::<Vec<_>>();
        assert_eq!(
            sign_off_sentence("C6", &some(&["idle"]), &some(&["cold start"]), None),
            "C6 does not go home: idle is not right. Not tried: cold start."
        );
        assert_eq!(
            sign_off_sentence("C6", &[], &[], Some("the calibrator")),
            "C6 was driven and signed by the calibrator."
        );
        assert!(
            sign_off_sentence("C6", &[], &some(&["cruise", "idle"]), None)
                .ends_with("Not tried: cruise, idle.")
        );
    }
}
