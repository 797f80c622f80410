//! The pull laid beside the one shown.

use crate::prefs::Prefs;
use crate::views::common::{Choice, LANES, LaneDef};
use jamjar_core::channel::Channel;
use jamjar_core::words::{sensors_differ, sentence_case};
use jamjar_workflow::reading::{DayPull, Reading};
use std::collections::BTreeSet;

/// Which pull is laid beside.
pub(crate) struct BesideView {
    pub(crate) choices: Vec<Choice>,
    /// What of the lanes shown it has nothing for, in words.
    pub(crate) without: String,
    /// Channels of these lanes that come from other sensors in the two.
    pub(crate) sensors: Vec<String>,
}

/// Which channels of the lanes shown two pulls have from different sensors.
fn sensors_beside(r: &Reading, b: &Reading, lanes: &[String]) -> Vec<String> {
    let (own, other) = (r.beside(), b.beside());
    let on = |c: &Channel| {
        let kinds = |d: &LaneDef| c.kind().is_some_and(|k| d.kinds.contains(&k.name));
        lanes.iter().any(|id| id == c.as_str() || LANES.iter().any(|d| d.id == id && kinds(d)))
    };
    let names: BTreeSet<&Channel> =
        own.dyno.channels.keys().chain(own.ecu.iter().flat_map(|e| e.0.channels.keys())).collect();
    let differ = |c: &Channel| {
        let both = [("this pull", own.sensor(c)?), ("the one beside it", other.sensor(c)?)];
        let both = both.map(|(name, s)| (name.to_owned(), s));
        Some(format!("{}: {}", sentence_case(&c.label()), sensors_differ(&both)?))
    };
    names.into_iter().filter(|c| on(c)).filter_map(differ).collect()
}

pub(super) fn beside_view(
    r: &Reading,
    beside: Option<&Reading>,
    without: &[String],
    lanes: &[String],
    prefs: &Prefs,
) -> BesideView {
    let on = beside.map(|b| b.pull.id);
    let choice = |p: &DayPull| Choice {
        id: p.id.to_string(),
        label: format!("{}, pull {}{}", p.name, p.position, if p.included { "" } else { " (left out)" }),
        on: on == Some(p.id),
    };
    let mut choices = vec![Choice { id: "none".into(), label: "none".into(), on: on.is_none() }];
    choices.extend(r.day_pulls.iter().filter(|p| p.id != r.pull.id).map(choice));
    // One of another day, from a link.
    if let Some(b) = beside.filter(|b| choices.iter().all(|c| c.id != b.pull.id.to_string())) {
        let label =
            format!("{} on {}, {}", b.set.config.map, b.set.config.fuel, prefs.written.date(b.day.date));
        choices.push(Choice { id: b.pull.id.to_string(), label, on: true });
    }
    let without = if without.is_empty() {
        String::new()
    } else {
        format!("It did not measure {}.", without.join(", "))
    };
    BesideView { choices, without, sensors: beside.map_or_else(Vec::new, |b| sensors_beside(r, b, lanes)) }
}
