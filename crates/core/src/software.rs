//! Software of a vehicle's units: what its sheet says, and what was changed since.

use crate::factors::crossed::Crossing;
use chrono::NaiveDate;
use std::collections::BTreeMap;

/// What runs in one unit of a vehicle.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UnitSoftware {
    /// The unit: `gearbox`.
    pub unit: String,
    /// Its newest version known.
    pub version: String,
    /// Since when, where a change said it.
    pub since: Option<NaiveDate>,
    /// The version before that.
    pub before: Option<String>,
}

/// The software in each unit: a change written on a day, such as “gearbox software: A14 → A17”, goes before what
/// the sheet says of the same unit.
///
/// ```
/// use jamjar_core::factors::crossed::Crossing;
/// use jamjar_core::software::units;
/// let day = chrono::NaiveDate::from_ymd_opt(2026, 3, 2).unwrap();
/// let sheet = [("engine".to_owned(), "4.2".to_owned()), ("gearbox".to_owned(), "A14".to_owned())].into();
/// let flash = Crossing { at: (day, None), what: "Gearbox software".into(), from: "A14".into(), to: "A17".into() };
/// let now = units(&sheet, &[flash]);
/// assert_eq!((now[0].version.as_str(), now[1].version.as_str(), now[1].since), ("4.2", "A17", Some(day)));
/// ```
pub fn units(sheet: &BTreeMap<String, String>, changes: &[Crossing]) -> Vec<UnitSoftware> {
    let mut out: BTreeMap<String, UnitSoftware> = sheet
        .iter()
        .map(|(unit, version)| {
            let own =
                UnitSoftware { unit: unit.clone(), version: version.clone(), since: None, before: None };
            (unit.to_lowercase(), own)
        })
        .collect();
    let mut changes: Vec<&Crossing> = changes.iter().collect();
    changes.sort_by_key(|c| c.at);
    for c in changes {
        let what = c.what.trim().to_lowercase();
        let Some(unit) = what.strip_suffix("software").map(str::trim).filter(|u| !u.is_empty()) else {
            continue;
        };
        let name = out.get(unit).map_or_else(|| unit.to_owned(), |u| u.unit.clone());
        let now = UnitSoftware {
            unit: name,
            version: c.to.clone(),
            since: Some(c.at.0),
            before: Some(c.from.clone()).filter(|f| !f.is_empty()),
        };
        out.insert(unit.to_owned(), now);
    }
    out.into_values().collect()
}

/// What ran in a unit on a day: by the changes written down, else what the sheet says.
///
/// ```
/// use jamjar_core::factors::crossed::Crossing;
/// use jamjar_core::software::version_on;
/// let day = |d| chrono::NaiveDate::from_ymd_opt(2026, 3, d).unwrap();
/// let flash = Crossing { at: (day(5), None), what: "Gearbox software".into(), from: "A14".into(), to: "A17".into() };
/// let on = |d| version_on("gearbox", &[("gearbox".to_owned(), "A17".to_owned())].into(), std::slice::from_ref(&flash), day(d));
/// assert_eq!((on(4).as_deref(), on(6).as_deref(), on(5)), (Some("A14"), Some("A17"), None));
/// ```
pub fn version_on(
    unit: &str,
    sheet: &BTreeMap<String, String>,
    changes: &[Crossing],
    day: NaiveDate,
) -> Option<String> {
    let named = format!("{unit} software");
    let mut own: Vec<&Crossing> = changes.iter().filter(|c| c.what.trim().to_lowercase() == named).collect();
    own.sort_by_key(|c| c.at);
    // On the day of a change nobody knows which of the two a recording was made with.
    if own.iter().any(|c| c.at.0 == day) {
        return None;
    }
    let before = own.iter().rev().find(|c| c.at.0 < day).map(|c| c.to.clone());
    let after = own.iter().find(|c| c.at.0 > day).map(|c| c.from.clone());
    let said = sheet.iter().find(|(u, _)| u.to_lowercase() == unit).map(|s| s.1.clone());
    before.or(after).or(said).filter(|v| !v.is_empty())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_newest_change_stands_and_what_is_no_software_is_left_out() {
        let at = |d| (NaiveDate::from_ymd_opt(2026, 3, d).unwrap(), None);
        let one = |d, what: &str, from: &str, to: &str| Crossing {
            at: at(d),
            what: what.into(),
            from: from.into(),
            to: to.into(),
        };
        let changes = [
            one(9, "gearbox software", "A17", "A18"),
            one(4, "gearbox software", "A14", "A17"),
            one(5, "belt", "old", "new"),
            one(5, "software", "1", "2"),
        ];
        let now = units(&BTreeMap::new(), &changes);
        assert_eq!(now.len(), 1);
        assert_eq!((now[0].version.as_str(), now[0].before.as_deref()), ("A18", Some("A17")));
        assert_eq!(now[0].since, Some(at(9).0));
    }
}
