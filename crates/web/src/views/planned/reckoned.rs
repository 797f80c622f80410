//! What a plan reckons with, and where that comes from.

use super::super::Typed;
use crate::prefs::Prefs;
use jamjar_workflow::planned::{Asked, PlannedDay};

/// A number it reckons with.
pub(crate) struct Reckoned {
    pub(crate) name: &'static str,
    pub(crate) label: String,
    pub(crate) value: String,
    /// What is taken where nothing is typed.
    pub(crate) usual: String,
}

/// The numbers in sight, and the rest of them.
pub(super) fn reckoned(asked: &Asked, typed: &Typed, prefs: &Prefs) -> (Vec<Reckoned>, Vec<Reckoned>) {
    let row = |name: &'static str, label: String, usual: String| Reckoned {
        name,
        label,
        value: typed.of(name).to_owned(),
        usual,
    };
    let plain = |v: f64| format!("{v}");
    let litres = |v: f64| format!("{:.1}", v / prefs.volume.litres());
    let volume = prefs.volume.label();
    let d = Asked::default();
    let first = vec![
        row("begins", "Begins at".into(), asked.begins.format("%H:%M").to_string()),
        row("hours", "Time there is, h".into(), "no end".into()),
        row("difference", format!("Gain worth knowing, {}", prefs.power.label()), "3 pulls".into()),
        row("every", "Baseline after every … sets".into(), plain(d.every as f64)),
    ];
    let rest = vec![
        row("warm", "Warming up, min".into(), plain(d.pace.warm_up_min)),
        row("pull", "A pull, min".into(), plain(d.pace.pull_min)),
        row("cool", "Cooling after it, min".into(), plain(d.pace.cool_min)),
        row("sweep", "Its sweep, s".into(), plain(d.sweep_s)),
        row("sheds", "Heat fan and extraction carry off, kW".into(), "not known".into()),
        row("flash", "A flash, min".into(), plain(d.pace.flash_min)),
        row("change", "Draining, rinsing, filling, min".into(), plain(d.change_min)),
        row("topup", "Stopping for more, min".into(), plain(d.pace.top_up_min)),
        row("rinse", format!("Rinsing takes, {volume}"), litres(d.rinse_l)),
        row("litres", format!("A pull takes of gasoline, {volume}"), litres(d.litres)),
        row("tank", format!("Tank holds, {volume}"), litres(d.tank_l)),
        row("reserve", format!("Stays in it, {volume}"), litres(d.reserve_l)),
    ];
    (first, rest)
}

/// How far pulls scatter, and how many a wanted difference takes.
pub(super) fn scatter_words(p: &PlannedDay, asked: &Asked, prefs: &Prefs) -> String {
    match (p.scatter, asked.difference_kw) {
        (None, _) => "How far pulls scatter can't be told yet: nothing was pulled twice.".into(),
        (Some(s), d) => {
            let whose = if s.of_the_day { "this day's" } else { "an earlier day's" };
            let asks = |(d, n): (f64, u32)| {
                let (d, proposed) = (prefs.power.say(d), p.cell.baseline.pulls);
                match n {
                    n if n <= proposed => format!("; for {d} that asks for {n} pulls a set"),
                    u32::MAX => format!("; {d} is far below that: no number of pulls in a day tells it"),
                    n => format!("; for {d} that asks for {n} pulls a set, and only {proposed} are proposed"),
                }
            };
            let pulls = d.zip(p.needed).map_or_else(String::new, asks);
            format!(
                "Single pulls scatter by {} ({whose}, {} to go by){pulls}.",
                prefs.power.say(s.sd_kw),
                s.df
            )
        }
    }
}

/// Whether it waits for heat.
pub(super) fn heat_words(p: &PlannedDay, asked: &Asked) -> String {
    match asked.pace.sheds_kw {
        Some(_) if !p.heat_known => {
            "How much heat a pull leaves is not known: nothing was measured or quoted.".into()
        }
        Some(_) => "Between pulls it waits until the heat of the last is gone.".into(),
        None => "What heat the cell sheds is not known, so waiting for it is not reckoned.".into(),
    }
}
