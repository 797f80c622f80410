//! The tree of a vehicle's maps on a page.

use super::Shell;
use super::common::{Choice, Encoding, in_unit, signed, unit_of};
use crate::pages::margins::FIGURES;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::{Paint, lineage_svg};
use jamjar_core::analysis::{Figure, FigureComparison, Verdict};
use jamjar_core::words::{MapOn, in_unit_sentence};
use jamjar_store::HeldFile;
use jamjar_workflow::lineage::{Lineage, OnTree, StepGain};

/// A map in its tree.
pub(crate) struct MapRow {
    pub(crate) id: i64,
    pub(crate) lines: String,
    pub(crate) name: String,
    pub(crate) tone: &'static str,
    /// Kind, fuel, when it was pulled.
    pub(crate) facts: String,
    pub(crate) note: String,
    pub(crate) file: Option<HeldFile>,
    /// Another map with the same file; blank for none.
    pub(crate) same_as: String,
    pub(crate) is_child: bool,
    /// What the step gained, in words, and the line-up it stands on.
    pub(crate) gain: String,
    pub(crate) gain_with: String,
    pub(crate) href: String,
    pub(crate) strong: bool,
    pub(crate) in_unit: bool,
}

pub(crate) struct FlashRow {
    pub(crate) id: i64,
    pub(crate) when: String,
    pub(crate) map: String,
    pub(crate) note: String,
    pub(crate) by: String,
}

#[derive(Template)]
#[template(path = "lineage.html")]
pub(crate) struct LineagePage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) answer: String,
    pub(crate) warn: bool,
    pub(crate) maps: Vec<MapRow>,
    pub(crate) flashes: Vec<FlashRow>,
    pub(crate) software: String,
    pub(crate) figures: Vec<Choice>,
    pub(crate) today: String,
}

/// "+4.2 ± 1.0 kW", or why not.
pub(super) fn gain_words(f: &FigureComparison, figure: Figure, prefs: &Prefs) -> String {
    let read = |v: f64| in_unit(figure, v, prefs);
    let unit = unit_of(figure, prefs);
    let by = match (f.mean_difference.or(f.difference), f.ci95) {
        (Some(d), Some([a, b])) => format!("{} ± {:.1} {unit}", signed(read(d)), read(0.5 * (b - a))),
        (Some(d), None) => format!("{} {unit}, no interval", signed(read(d))),
        (None, _) => return "can't tell".into(),
    };
    match f.verdict {
        Verdict::NoDifferenceShown => format!("{by}: no difference shown"),
        Verdict::CantTell => format!("{by}: can't tell"),
        Verdict::ProvisionalGain | Verdict::ProvisionalLoss => format!("{by}, provisional"),
        Verdict::Gain | Verdict::Loss => by,
    }
}

fn kind_words(kind: &str) -> &'static str {
    match kind {
        "stock" => "stock",
        "off_the_shelf" => "off the shelf",
        "custom" => "custom",
        _ => "unknown as found",
    }
}

fn row(l: &Lineage, t: &OnTree, in_unit: Option<i64>, figure: Figure, e: &Encoding, prefs: &Prefs) -> MapRow {
    let m = &t.map;
    let pulled = t
        .pulled
        .map_or_else(|| "never pulled".to_owned(), |d| format!("pulled last on {}", prefs.written.date(d)));
    let fuel = m.for_fuel.as_ref().map(|f| format!("for {f}")).unwrap_or_default();
    let facts = [kind_words(&m.kind).to_owned(), fuel, pulled];
    let same = |o: &&OnTree| {
        o.map.id != m.id
            && o.map.file.as_ref().zip(m.file.as_ref()).is_some_and(|(a, b)| a.sha256 == b.sha256)
    };
    let (gain, gain_with, href, strong) = match &t.step {
        Some(s) => (
            gain_words(&s.gain, figure, prefs),
            step_with(s, prefs),
            format!("/line-up?sets={},{}", s.sets[0], s.sets[1]),
            matches!(s.gain.verdict, Verdict::Gain | Verdict::Loss),
        ),
        None if t.node.parent.is_some() => (
            "gain not measured".into(),
            "never pulled on one day with the same of everything else".into(),
            String::new(),
            false,
        ),
        None => Default::default(),
    };
    MapRow {
        id: m.id,
        lines: lineage_svg(&t.node.open, t.node.parent.is_some(), t.node.last, Paint::Page),
        name: m.name.clone(),
        tone: e.map_tone(&m.name, &m.kind).name(),
        facts: facts.into_iter().filter(|f| !f.is_empty()).collect::<Vec<_>>().join(" · "),
        note: m.note.clone(),
        file: m.file.clone(),
        same_as: l.tree.iter().find(same).map_or_else(String::new, |o| o.map.name.clone()),
        is_child: t.node.parent.is_some(),
        gain,
        gain_with,
        href,
        strong,
        in_unit: in_unit == Some(m.id),
    }
}

fn step_with(s: &StepGain, prefs: &Prefs) -> String {
    format!("on {}, {}", s.with.join(", "), prefs.written.date(s.date))
}

/// What is in the unit, and whether later pulls contradict what was flashed.
pub(crate) fn unit_words(l: &Lineage, prefs: &Prefs) -> (String, bool) {
    let flashed = l.flashes.first();
    let later = l.pulled_later();
    let (on, pulled_on) =
        (flashed.map(|f| prefs.written.date(f.on)), l.newest.as_ref().map(|p| prefs.written.date(p.1)));
    let flashed_in = flashed.zip(on.as_ref()).map(|(f, on)| MapOn { map: &f.map, on });
    let pulled = l.newest.as_ref().zip(pulled_on.as_ref()).map(|(p, on)| MapOn { map: &p.0, on });
    let contradicts = later && flashed_in.zip(pulled).is_some_and(|(f, p)| f.map != p.map);
    (in_unit_sentence(flashed_in, pulled, later), contradicts)
}

pub(crate) fn lineage_page(l: &Lineage, figure: Figure, e: &Encoding, prefs: &Prefs) -> LineagePage {
    let prefs = &prefs.fitting(&l.vehicle.vehicle.engine);
    let (answer, contradicts) = unit_words(l, prefs);
    let in_unit = l.flashes.first().filter(|_| !contradicts).map(|f| f.map_id);
    let software: Vec<String> = l.software.iter().map(|u| format!("{} {}", u.unit, u.version)).collect();
    LineagePage {
        shell: Shell::new(format!("Maps, {}", l.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id: l.vehicle.id,
        vehicle: l.vehicle.vehicle.name.clone(),
        answer,
        warn: contradicts,
        maps: l.tree.iter().map(|t| row(l, t, in_unit, figure, e, prefs)).collect(),
        flashes: l
            .flashes
            .iter()
            .map(|f| FlashRow {
                id: f.id,
                when: format!(
                    "{}{}",
                    prefs.written.date(f.on),
                    f.at.map_or_else(String::new, |t| t.format(", %H:%M").to_string())
                ),
                map: f.map.clone(),
                note: f.note.clone(),
                by: f.by.clone(),
            })
            .collect(),
        software: software.join(", "),
        figures: FIGURES
            .into_iter()
            .map(|f| Choice { id: f.id().into(), label: f.label().into(), on: f == figure })
            .collect(),
        today: chrono::Local::now().date_naive().to_string(),
    }
}
