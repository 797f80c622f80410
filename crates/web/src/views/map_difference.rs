//! Two revisions of a map side by side: what changed in words, then cell by cell.

use super::Shell;
use super::common::{Choice, heat};
use super::lineage::gain_words;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_core::analysis::{Figure, FigureComparison};
use jamjar_core::maps::Axis;
use jamjar_core::maps::difference::{MapDifference, TableDifference};
use jamjar_core::maps::driven::Stretch;
use jamjar_core::words::{map_difference_sentences, sentence_case, stretch_words, table_words};
use jamjar_workflow::map_difference::TwoMaps;

/// A cell: what it shows, its ground, and whether pulls ran there.
pub(crate) struct Changed {
    pub(crate) text: String,
    pub(crate) ground: &'static str,
    pub(crate) visited: bool,
}

pub(crate) struct ChangedRow {
    pub(crate) at: String,
    pub(crate) cells: Vec<Changed>,
}

pub(crate) struct ChangedTable {
    pub(crate) name: String,
    pub(crate) unit: String,
    pub(crate) across: String,
    pub(crate) down: String,
    pub(crate) x: Vec<String>,
    pub(crate) rows: Vec<ChangedRow>,
    pub(crate) visits: bool,
}

/// A stretch of engine speed.
pub(crate) struct DidRow {
    pub(crate) rpm: String,
    pub(crate) changes: String,
    /// Nothing changed there.
    pub(crate) quiet: bool,
    pub(crate) gain: String,
}

#[derive(Template)]
#[template(path = "map_difference.html")]
pub(crate) struct MapDifferencePage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle_id: i64,
    pub(crate) vehicle: String,
    pub(crate) title: String,
    /// Why nothing can be told.
    pub(crate) none: String,
    pub(crate) sentences: Vec<String>,
    pub(crate) tables: Vec<ChangedTable>,
    pub(crate) others: Vec<Choice>,
    pub(crate) shows: Vec<Choice>,
    pub(crate) same: usize,
    /// Tables of one alone.
    pub(crate) alone: usize,
    /// What it did, stretch by stretch: where, what changed there, the mean gain.
    pub(crate) did: Vec<DidRow>,
    /// Where those figures come from, and the same two sets as a line-up.
    pub(crate) did_on: (String, String),
}

/// An axis by its unit, or by its words where it has none.
fn short(a: &Axis) -> String {
    if a.unit.is_empty() { table_words(&a.channel) } else { a.unit.clone() }
}

fn table(d: &TableDifference, visits: Option<&Vec<Vec<u32>>>, shows: &str) -> ChangedTable {
    let t = &d.now;
    let most = (0..t.rows.len())
        .flat_map(|j| (0..t.x.at.len()).map(move |i| (j, i)))
        .map(|(j, i)| d.by(j, i).abs())
        .fold(0.0_f64, f64::max);
    let digits = if t.max().abs() >= 20.0 { 1 } else { 3 };
    let cell = |j: usize, i: usize| {
        let (was, by) = (d.was[j][i], d.by(j, i));
        let changed = by.abs() > 1e-4 * most;
        Changed {
            text: match shows {
                _ if !changed => "·".into(),
                "percent" if was.abs() > 1e-12 => format!("{:+.1} %", 100.0 * by / was),
                "both" => format!("{was:.digits$} → {:.digits$}", t.rows[j][i]),
                _ => format!("{by:+.digits$}"),
            },
            ground: if changed { heat(by / most, [0.0, 0.33, 0.66]) } else { "none" },
            visited: visits.is_some_and(|v| v[j][i] > 0),
        }
    };
    let row = |j: usize| ChangedRow {
        at: t.y.as_ref().map_or_else(String::new, |y| y.at[j].to_string()),
        cells: (0..t.x.at.len()).map(|i| cell(j, i)).collect(),
    };
    ChangedTable {
        name: sentence_case(&table_words(&t.name)),
        unit: t.unit.clone(),
        across: short(&t.x),
        down: t.y.as_ref().map_or_else(String::new, short),
        x: t.x.at.iter().map(ToString::to_string).collect(),
        rows: (0..t.rows.len()).rev().map(row).collect(),
        visits: visits.is_some(),
    }
}

fn did_row(d: &MapDifference, (s, gain): &(Stretch, Option<FigureComparison>), prefs: &Prefs) -> DidRow {
    let [from, to] = s.rpm.map(|r| (r / 10.0).round() * 10.0);
    DidRow {
        rpm: format!("{from:.0} to {to:.0}"),
        changes: sentence_case(&stretch_words(d, s)),
        quiet: s.changes.is_empty(),
        gain: gain.as_ref().map_or_else(
            || "the pulls do not reach over it".to_owned(),
            |g| gain_words(g, Figure::BandMeanPower, prefs),
        ),
    }
}

pub(crate) fn map_difference_page(t: &TwoMaps, id: i64, shows: &str, prefs: &Prefs) -> MapDifferencePage {
    let shows = if matches!(shows, "percent" | "both") { shows } else { "by" };
    let choice = |id: String, label: String, on: bool| Choice { id, label, on };
    let (mut tables, mut sentences, mut none, mut same) = (Vec::new(), Vec::new(), String::new(), 0);
    let mut alone = 0;
    let (mut title, mut chosen) = ("Two maps".to_owned(), None);
    match &t.sides {
        Err(why) => none = sentence_case(why) + ".",
        Ok((a, b, d)) => {
            title = format!("{} against {}", b.name, a.name);
            chosen = Some(a.id);
            sentences = map_difference_sentences(d);
            alone = d.alone.len();
            same = d.tables.iter().filter(|t| t.changed == 0).count();
            let visits = |name: &str| t.visits.iter().find(|v| v.0 == name).map(|v| &v.1);
            let changed = d.tables.iter().filter(|t| t.changed > 0);
            tables = changed.map(|x| table(x, visits(&x.now.name), shows)).collect();
        }
    }
    MapDifferencePage {
        shell: Shell::new(format!("{title}, {}", t.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id,
        vehicle_id: t.vehicle.id,
        vehicle: t.vehicle.vehicle.name.clone(),
        title,
        none,
        sentences,
        tables,
        did: t.sides.as_ref().ok().zip(t.did.as_ref()).map_or_else(Vec::new, |((_, _, d), did)| {
            did.rows.iter().map(|r| did_row(d, r, prefs)).collect()
        }),
        did_on: t.did.as_ref().map_or_else(Default::default, |d| {
            (
                format!("{}, {}", d.with.join(", "), prefs.written.date(d.date)),
                format!("/line-up?sets={},{}&base={}", d.sets[0], d.sets[1], d.sets[0]),
            )
        }),
        others: t
            .maps
            .iter()
            .map(|m| choice(m.id.to_string(), m.name.clone(), Some(m.id) == chosen))
            .collect(),
        shows: [("by", "change"), ("percent", "per cent"), ("both", "before and after")]
            .into_iter()
            .map(|(id, label)| choice(id.into(), label.into(), id == shows))
            .collect(),
        same,
        alone,
    }
}
