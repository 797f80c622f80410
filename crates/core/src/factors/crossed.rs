//! Interventions in time: software of a unit, a belt, a sensor. What they make of a set is a factor of every
//! comparison that crosses them.

use super::Factors;
use chrono::{NaiveDate, NaiveTime};

/// A day, and a time of day when it is known.
pub type Moment = (NaiveDate, Option<NaiveTime>);

/// What the scatter between mountings measures: carried by it, never a factor (domain, section 5).
const CARRIED: [&str; 3] = ["flash", "remount", "refuel"];

/// Something that was changed at a moment.
#[derive(Debug, Clone, PartialEq, Eq)]
#[allow(missing_docs)]
pub struct Crossing {
    pub at: Moment,
    pub what: String,
    pub from: String,
    pub to: String,
}

/// An intervention whose place beside a set is known by the day alone.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unsure {
    /// What was changed.
    pub what: String,
    /// On the set's own day: not even whether before or after is known.
    pub same_day: bool,
    /// Its state before and after.
    pub states: [String; 2],
}

/// What interventions make of a set at a moment: each `what` with its state then, and what is ordered by day
/// alone. Of one day without times the set counts as before.
///
/// ```
/// use jamjar_core::factors::crossed::{Crossing, crossed};
/// let day = |d| chrono::NaiveDate::from_ymd_opt(2026, 3, d).unwrap();
/// let belt = Crossing { at: (day(4), None), what: "belt".into(), from: "old".into(), to: "new".into() };
/// assert_eq!(crossed(&[belt.clone()], (day(3), None)).0["belt"], "old");
/// assert_eq!(crossed(&[belt.clone()], (day(5), None)).0["belt"], "new");
/// assert!(crossed(&[belt], (day(4), None)).1[0].same_day);
/// ```
pub fn crossed(all: &[Crossing], at: Moment) -> (Factors, Vec<Unsure>) {
    let (mut out, mut unsure) = (Factors::new(), Vec::new());
    let mut all: Vec<&Crossing> =
        all.iter().filter(|i| !CARRIED.contains(&i.what.trim().to_lowercase().as_str())).collect();
    all.sort_by_key(|i| i.at);
    for i in all {
        let same_day = at.0 == i.at.0;
        if at.1.is_none() || i.at.1.is_none() {
            let states = [i.from.clone(), i.to.clone()];
            unsure.push(Unsure { what: i.what.clone(), same_day, states });
        }
        let after = at.0 > i.at.0 || (same_day && at.1.zip(i.at.1).is_some_and(|(s, i)| s >= i));
        if after {
            out.insert(i.what.clone(), i.to.clone());
        } else {
            out.entry(i.what.clone()).or_insert_with(|| i.from.clone());
        }
    }
    (out, unsure)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn several_changes_of_one_thing_follow_each_other_and_a_flash_is_none() {
        let at = |d, h| (NaiveDate::from_ymd_opt(2026, 3, d).unwrap(), NaiveTime::from_hms_opt(h, 0, 0));
        let one = |at, what: &str, from: &str, to: &str| Crossing {
            at,
            what: what.into(),
            from: from.into(),
            to: to.into(),
        };
        let all = [
            one(at(3, 12), "gearbox software", "A14", "A17"),
            one(at(2, 9), "gearbox software", "A12", "A14"),
            one(at(2, 10), "Flash", "", "C3"),
        ];
        let state = |m| crossed(&all, m).0.get("gearbox software").cloned().unwrap();
        assert_eq!(
            (state(at(2, 8)), state(at(2, 11)), state(at(3, 12))),
            ("A12".into(), "A14".into(), "A17".into())
        );
        assert!(!crossed(&all, at(3, 1)).0.contains_key("Flash"));
        assert!(crossed(&all, at(3, 1)).1.is_empty());
    }
}
