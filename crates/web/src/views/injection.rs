//! When a diesel injects, how much, and whether its injectors are alike.

use super::Shell;
use super::common::{Encoding, ObservedRow, observed_rows};
use crate::prefs::Prefs;
use crate::seen::mark;
use askama::Template;
use jamjar_chart::{InjectionBand, InjectionChart, Paint};
use jamjar_core::diesel::judge;
use jamjar_core::fuelling::paste;
use jamjar_core::words::flow_sentences;
use jamjar_workflow::injection::{Injected, InjectedSet, InjectionRead, quantity_map};

/// A set in the table: its name, and its rows.
pub(crate) struct InjectionRows {
    pub(crate) name: String,
    pub(crate) tone: &'static str,
    pub(crate) href: String,
    /// Speed and what was read there.
    pub(crate) rows: Vec<Vec<String>>,
}

/// A test point of the flow sheet.
pub(crate) struct FlowRow {
    pub(crate) at: String,
    pub(crate) mean: String,
    pub(crate) spread: String,
    pub(crate) map: String,
    pub(crate) each: Vec<String>,
}

/// What was looked up in the quantity map.
#[derive(Default)]
pub(crate) struct LookUp {
    pub(crate) pressure: String,
    pub(crate) duration: String,
    pub(crate) mass: String,
    pub(crate) answer: String,
    pub(crate) problem: String,
}

#[derive(Template)]
#[template(path = "injection.html")]
pub(crate) struct InjectionPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) diesel: bool,
    /// What matters most of all that is below.
    pub(crate) answer: String,
    pub(crate) day: Option<(i64, String)>,
    pub(crate) without: usize,
    pub(crate) chart: String,
    pub(crate) sentences: Vec<String>,
    pub(crate) sets: Vec<InjectionRows>,
    pub(crate) observed: Vec<ObservedRow>,
    pub(crate) problem: String,
    pub(crate) sheet_source: String,
    pub(crate) sheet_said: Vec<String>,
    pub(crate) injectors: Vec<String>,
    pub(crate) sheet: Vec<FlowRow>,
    pub(crate) sheet_seen: String,
    pub(crate) sheet_typed: String,
    pub(crate) map_text: String,
    pub(crate) map_problem: String,
    pub(crate) map_seen: String,
    pub(crate) look: LookUp,
}

/// Engine speeds of the table, rpm apart.
const ROWS_RPM: u32 = 500;

/// One set in words: where its injection is longest, and what of it lies after top dead centre there.
fn sentence(s: &InjectedSet, name: &str) -> Option<String> {
    let at = s.at.iter().filter_map(|(rpm, i)| Some((*rpm, i.length_deg?, i)));
    let (rpm, length, i) = at.max_by(|a, b| a.1.total_cmp(&b.1))?;
    let before = match i.before() {
        Some(share) => format!("{:.0} % of it before TDC", 100.0 * share),
        None => "its start was not logged, so its place in the turn is not measured".into(),
    };
    Some(format!("{name} injects longest at {rpm} rpm: {length:.1}° of the crank, {before}."))
}

/// Where rail pressure stays furthest below its target.
fn rail_sentence(s: &InjectedSet, name: &str) -> Option<String> {
    let off = s.at.iter().filter_map(|(rpm, i)| Some((*rpm, i.target_mpa? - i.rail_mpa?)));
    let (rpm, by) = off.max_by(|a, b| a.1.total_cmp(&b.1)).filter(|o| o.1 >= 2.0)?;
    Some(format!("{name}: rail pressure is {by:.0} MPa under its target at {rpm} rpm."))
}

fn row(rpm: u32, i: &Injected) -> Vec<String> {
    let of = |v: Option<f64>, decimals: usize| v.map_or_else(String::new, |v| format!("{v:.decimals$}"));
    let off = i.rail_mpa.zip(i.target_mpa).map(|(r, t)| r - t);
    vec![
        rpm.to_string(),
        of(i.start_deg, 1),
        of(i.length_deg, 1),
        of(i.before().map(|b| 100.0 * b), 0),
        of(i.rail_mpa, 1),
        off.map_or_else(String::new, |v| format!("{v:+.1}")),
        of(i.mass_mg, 1),
        of(i.lambda, 2),
        of(i.vane_pct, 0),
        of(i.filter_kpa, 1),
    ]
}

pub(crate) fn injection_page(r: &InjectionRead, prefs: &Prefs, e: &Encoding) -> InjectionPage {
    let v = &r.vehicle;
    let name = |s: &InjectedSet| format!("{} on {}", s.set.config.map, s.set.config.fuel);
    let bands = r.sets.iter().map(|s| InjectionBand {
        label: s.set.config.map.clone(),
        colour: e.tone(&s.set).name(),
        at: s
            .at
            .iter()
            .filter_map(|(rpm, i)| Some((f64::from(*rpm), i.start_deg?, i.start_deg? - i.length_deg?)))
            .collect(),
    });
    let bands: Vec<InjectionBand> = bands.filter(|b| b.at.len() > 1).collect();
    let mut sentences: Vec<String> = r.sets.iter().filter_map(|s| sentence(s, &name(s))).collect();
    sentences.extend(r.sets.iter().filter_map(|s| rail_sentence(s, &name(s))));
    let rows = |s: &InjectedSet| {
        s.at.iter().filter(|(rpm, _)| *rpm % ROWS_RPM == 0).map(|(rpm, i)| row(*rpm, i)).collect()
    };
    let sets = r.sets.iter().map(|s| InjectionRows {
        name: name(s),
        tone: e.tone(&s.set).name(),
        href: format!("/days/{}#set-{}", s.set.day_id, s.set.id),
        rows: rows(s),
    });
    let map = v.sheet.quantity_map.as_ref().map(quantity_map);
    let said = v.sheet.flow_sheet.as_ref().map(|s| judge(s, map.as_ref().and_then(|m| m.as_ref().ok())));
    let mut injectors: Vec<String> = Vec::new();
    for (injector, ..) in said.iter().flat_map(|s| &s.points).flat_map(|p| &p.each) {
        if !injectors.contains(injector) {
            injectors.push(injector.clone());
        }
    }
    let flow_row = |p: &jamjar_core::diesel::AtPoint| FlowRow {
        at: format!("{:.0} MPa, {:.0} µs", p.pressure_mpa, p.duration_us),
        mean: format!("{:.2}", p.mean_mg),
        spread: p.spread.map_or_else(|| "–".into(), |s| format!("{:.1} %", 100.0 * s)),
        map: p
            .map_mg
            .map_or_else(String::new, |m| format!("{m:.1} ({:+.1} %)", 100.0 * (p.mean_mg / m - 1.0))),
        each: injectors
            .iter()
            .map(|n| {
                p.each.iter().find(|e| e.0 == *n).map_or_else(String::new, |(_, mass, by, shot)| {
                    let shot = shot.map_or_else(String::new, |s| format!(", shots ± {:.1} %", 100.0 * s));
                    if p.each.len() > 1 {
                        format!("{mass:.2} ({:+.1} %{shot})", 100.0 * by)
                    } else {
                        format!("{mass:.2}{shot}")
                    }
                })
            })
            .collect(),
    };
    let off = said.as_ref().is_some_and(|s| !s.off.is_empty());
    let sheet_said = said.as_ref().map(flow_sentences).unwrap_or_default();
    let answer = match (sheet_said.first(), sentences.first()) {
        (Some(first), _) if off => first.clone(),
        (_, Some(first)) => first.clone(),
        (Some(first), None) => first.clone(),
        (None, None) => "When it injects, how much, and whether its injectors are alike".into(),
    };
    InjectionPage {
        answer,
        shell: Shell::new(format!("Injection, {}", v.vehicle.name), &prefs.theme, "vehicles"),
        id: v.id,
        vehicle: v.vehicle.name.clone(),
        diesel: v.vehicle.engine.ignition == jamjar_core::analysis::Ignition::Compression,
        day: r.day.as_ref().map(|d| (d.id, d.date.to_string())),
        without: r.without,
        chart: InjectionChart { bands }.svg(Paint::Page),
        sentences,
        sets: sets.collect(),
        observed: observed_rows(&r.observed),
        problem: String::new(),
        sheet_source: v.sheet.flow_sheet.as_ref().map_or_else(String::new, |s| s.source.clone()),
        sheet_said,
        sheet: said.iter().flat_map(|s| &s.points).map(flow_row).collect(),
        injectors,
        sheet_seen: mark(&v.sheet.flow_sheet),
        sheet_typed: String::new(),
        map_text: v.sheet.quantity_map.as_ref().map_or_else(String::new, |t| paste::write(t, 2, true, '\t')),
        map_problem: map.and_then(Result::err).unwrap_or_default(),
        map_seen: mark(&v.sheet.quantity_map),
        look: LookUp::default(),
    }
}
