//! Two ladders rung by rung.

use crate::prefs::Prefs;
use crate::views::lineage::gain_words;
use jamjar_core::analysis::Figure;
use jamjar_core::words::{sentence_case, tightest};
use jamjar_workflow::ladder::{BOOST, Beside, Ladder, LadderOf, Rung, SideRow};
use std::collections::BTreeSet;

/// A rung of two ladders.
pub(crate) struct SideView {
    pub(crate) name: String,
    /// Of each: its peak with its pulls, and what its limits came to; blank where it was not pulled.
    pub(crate) sides: Vec<(String, String, bool)>,
    /// The other against the first.
    pub(crate) gain: String,
}

/// Another ladder beside it.
pub(crate) struct BesideView {
    pub(crate) heads: [String; 2],
    pub(crate) rows: Vec<SideView>,
}

pub(super) fn beside_view(own: &LadderOf, b: &Beside, l: &Ladder, prefs: &Prefs) -> BesideView {
    BesideView { heads: apart(own, &b.of), rows: b.rows.iter().map(|r| side_row(r, l, prefs)).collect() }
}

fn side_row(row: &SideRow, l: &Ladder, prefs: &Prefs) -> SideView {
    let u = prefs.power;
    let one = |r: &Rung| {
        let n = r.set.result.n();
        let peak = r.set.result.figure(Figure::PeakPower).mean;
        let peak =
            peak.map_or_else(|| "not measured".to_owned(), |p| format!("{:.1} {}", u.from_kw(p), u.label()));
        let pulls = if n == 1 { "one pull".to_owned() } else { format!("{n} pulls") };
        let (margin, over) = tightest(&r.set.verdicts, &l.vehicle.limits, prefs.units());
        (format!("{peak}, {pulls}"), margin, over)
    };
    let none = || ("not pulled".to_owned(), String::new(), false);
    SideView {
        name: row.sides.iter().flatten().next().map_or_else(String::new, |r| r.name.clone()),
        sides: row.sides.iter().map(|r| r.as_ref().map_or_else(none, one)).collect(),
        gain: row.gain.as_ref().map_or_else(String::new, |g| gain_words(g, Figure::PeakPower, prefs)),
    }
}

/// What two ladders differ in: "build 1" against "build 2".
fn apart(a: &LadderOf, b: &LadderOf) -> [String; 2] {
    let differ: BTreeSet<&String> =
        a.held.keys().chain(b.held.keys()).filter(|k| a.said(k) != b.said(k)).collect();
    let of = |l: &LadderOf| {
        let say = |k: &&String| match l.said(k) {
            "" => format!("{k} not said"),
            v if ["map", "fuel", BOOST].contains(&k.as_str()) => v.to_owned(),
            v => format!("{k} {v}"),
        };
        sentence_case(&differ.iter().map(say).collect::<Vec<_>>().join(", "))
    };
    [of(a), of(b)]
}
