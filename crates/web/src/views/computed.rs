//! The channels a shop computes, as a form.

use super::Shell;
use super::common::named_with_unit;
use crate::prefs::Prefs;
use crate::seen::mark;
use askama::Template;
use jamjar_core::channel::Channel;
use jamjar_core::computed::Computed;
use jamjar_core::units::Units;
use jamjar_store::VehicleRecord;
use std::collections::BTreeSet;

/// A computed channel in the form.
#[derive(Default)]
pub(crate) struct ComputedRow {
    pub(crate) words: String,
    pub(crate) unit: String,
    pub(crate) expr: String,
    pub(crate) notes: String,
    pub(crate) problem: String,
}

#[derive(Template)]
#[template(path = "computed.html")]
pub(crate) struct ComputedPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) seen: String,
    pub(crate) rows: Vec<ComputedRow>,
    pub(crate) problem: String,
    /// Channels that can be read: name in expressions, words.
    pub(crate) channels: Vec<(String, String)>,
    /// What others compute: words, unit, expression.
    pub(crate) ideas: Vec<(&'static str, &'static str, &'static str, usize)>,
}

/// Expressions to start from, where the channels they read are logged.
/// Place among the ideas of the torque that ratings of parts are held against.
pub(crate) const PART_TORQUE: usize = 18;

const IDEAS: [(&str, &str, &str); 19] = [
    (
        "back pressure to boost",
        "",
        "(back_pressure - ambient_pressure) / (manifold_pressure - ambient_pressure)",
    ),
    ("boost gauge", "kPa", "manifold_pressure - ambient_pressure"),
    ("boost error", "kPa", "manifold_pressure - boost_target"),
    ("λ off target", "λ", "max(lambda) - lambda_target"),
    ("spread of λ", "λ", "spread(lambda)"),
    ("spread of exhaust temperatures", "K", "spread(exhaust_temp)"),
    ("injector pressure", "kPa", "fuel_pressure - (manifold_pressure - 101.3 kPa)"),
    ("rail off target", "MPa", "rail_pressure - rail_target"),
    ("injection in degrees", "°", "injection_duration * engine_speed"),
    (
        "injection before TDC",
        "%",
        "max(0 °, min(injection_start, injection_duration * engine_speed)) / (injection_duration * engine_speed)",
    ),
    ("spread of head temperatures", "K", "spread(head_temp)"),
    ("blower slip, pulleys 2 : 1", "%", "1 - blower_speed / (2 * engine_speed)"),
    ("share of 150,000 rpm of the turbo", "%", "turbo_speed / 150000 rpm"),
    ("pressure ratio", "", "manifold_pressure / ambient_pressure"),
    ("ratio of the high-pressure stage", "", "manifold_pressure / interstage_pressure"),
    ("ratio of the low-pressure stage", "", "interstage_pressure / ambient_pressure"),
    (
        "drive to boost, high-pressure stage",
        "",
        "(back_pressure - interstage_drive_pressure) / (manifold_pressure - interstage_pressure)",
    ),
    (
        "drive to boost, low-pressure stage",
        "",
        "(interstage_drive_pressure - ambient_pressure) / (interstage_pressure - ambient_pressure)",
    ),
    ("torque at the engine's speed", "N·m", "hub_torque * roller_speed / engine_speed"),
];

impl ComputedPage {
    /// An idea in the blank row, to be kept or changed.
    pub(crate) fn start_from(&mut self, idea: usize) {
        if let (Some((words, unit, expr)), Some(last)) = (IDEAS.get(idea), self.rows.last_mut()) {
            (last.words, last.unit, last.expr) = ((*words).into(), (*unit).into(), (*expr).into());
        }
    }

    /// What was typed and refused.
    pub(crate) fn typed(&mut self, rows: &[[String; 3]], at: usize, problem: String) {
        self.rows = rows
            .iter()
            .map(|[words, unit, expr]| ComputedRow {
                words: words.clone(),
                unit: unit.clone(),
                expr: expr.clone(),
                ..ComputedRow::default()
            })
            .collect();
        if let Some(r) = self.rows.get_mut(at) {
            r.problem = problem.clone();
        }
        self.problem = format!("Nothing was kept: {problem}.");
        self.rows.push(ComputedRow::default());
    }
}

pub(crate) fn computed_page(v: &VehicleRecord, prefs: &Prefs, logged: &BTreeSet<Channel>) -> ComputedPage {
    let formulas = v.vehicle.formulas();
    let row = |c: &Computed| ComputedRow {
        words: c.name.label(),
        unit: c.unit.clone(),
        expr: c.expr.clone(),
        notes: formulas.iter().find(|f| f.name == c.name).map_or_else(String::new, |f| f.notes.join("; ")),
        problem: String::new(),
    };
    let mut rows: Vec<ComputedRow> = v.sheet.computed.iter().map(row).collect();
    rows.push(ComputedRow::default());
    let own = |c: &&Channel| c.as_str() != "time" && v.sheet.computed.iter().all(|d| d.name != **c);
    // A family takes two sensors, as far as these ideas go.
    let several = |kind: &str| logged.iter().filter(|c| c.kind().is_some_and(|k| k.name == kind)).count() > 1;
    let known = |word: &str| Channel::new(word).is_ok_and(|c| logged.contains(&c)) || several(word);
    let reads = |expr: &str| {
        let words = expr.split(|c: char| !(c.is_ascii_lowercase() || c == '_')).filter(|w| w.len() >= 6);
        words.filter(|w| *w != "spread").all(known)
    };
    ComputedPage {
        shell: Shell::new(format!("Computed channels, {}", v.vehicle.name), &prefs.theme, "vehicles"),
        id: v.id,
        vehicle: v.vehicle.name.clone(),
        seen: mark(&v.sheet.computed),
        rows,
        problem: String::new(),
        channels: logged
            .iter()
            .filter(own)
            .map(|c| (c.to_string(), named_with_unit(c, Units::CANONICAL)))
            .collect(),
        ideas: (0..)
            .zip(IDEAS)
            .filter(|(_, i)| reads(i.2))
            .map(|(k, (words, unit, expr))| (words, unit, expr, k))
            .collect(),
    }
}
