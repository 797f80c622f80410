//! A step test as a table: what each held speed gave, with the channels that have limits.

use crate::prefs::Prefs;
use crate::views::common::named_with_unit;
use jamjar_core::channel::Channel;
use jamjar_core::log::Series;
use jamjar_core::pull::held::HeldStep;
use jamjar_workflow::reading::Reading;

/// Channels beside power and torque that fit the width of a page.
const BESIDE: usize = 5;

#[derive(Default)]
pub(crate) struct StepTable {
    /// Headings of the columns of numbers.
    pub(crate) heads: Vec<String>,
    pub(crate) rows: Vec<StepRow>,
}

pub(crate) struct StepRow {
    pub(crate) cells: Vec<String>,
    pub(crate) moved: String,
    pub(crate) moving: bool,
}

/// One row for each held speed in order of running; empty for a sweep.
pub(crate) fn step_table(r: &Reading, prefs: &Prefs) -> StepTable {
    let steps = &r.measured.steps;
    if steps.is_empty() {
        return StepTable::default();
    }
    let beside = r.beside();
    let mut channels: Vec<(Channel, Series)> = Vec::new();
    for l in &r.vehicle.limits {
        if channels.len() < BESIDE && channels.iter().all(|c| c.0 != l.channel) {
            channels.extend(beside.series(l.channel.as_str()).map(|s| (l.channel.clone(), s)));
        }
    }
    let mut heads: Vec<String> = [
        "Held, rpm".into(),
        "Counted, s".into(),
        format!("Power, {}", prefs.power.label()),
        format!("Torque, {}", prefs.torque.label()),
    ]
    .into();
    heads.extend(channels.iter().map(|(c, _)| named_with_unit(c, prefs.units())));
    let row = |s: &HeldStep| {
        let factor = r.factor_at(s.rpm);
        let mut cells = vec![
            format!("{:.0}", s.rpm),
            format!("{:.1}", s.to_s - s.from_s),
            format!("{:.1}", prefs.power.from_kw(s.power_kw * factor)),
            format!("{:.1}", prefs.torque.from_nm(s.torque_nm * factor)),
        ];
        cells.extend(channels.iter().map(|(c, series)| {
            let unit = prefs.units().shown(c);
            let digits = unit.digits.max(1);
            series
                .mean_between(s.from_s, s.to_s)
                .map_or_else(|| "–".into(), |v| format!("{:.digits$}", unit.value(v)))
        }));
        StepRow { cells, moved: format!("{:+.1} %", 100.0 * s.moved), moving: s.is_moving() }
    };
    StepTable { rows: steps.iter().map(row).collect(), heads }
}
