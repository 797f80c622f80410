//! A fuel table made over, on a page.

use super::Shell;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_core::fuelling::injector::OnBlend;
use jamjar_core::fuelling::paste;
use jamjar_core::fuelling::rescale::Rescaled;
use jamjar_core::maps::Table;
use serde::Deserialize;

/// What the form holds.
#[derive(Deserialize, Default, Clone)]
#[serde(default)]
pub(crate) struct FuelTableFields {
    pub(crate) table: String,
    pub(crate) x: String,
    pub(crate) y: String,
    pub(crate) new_x: String,
    pub(crate) new_y: String,
    pub(crate) flow_old: String,
    pub(crate) flow_new: String,
    pub(crate) at_old: String,
    pub(crate) at_new: String,
    pub(crate) p_old: String,
    pub(crate) p_new: String,
    pub(crate) dead_old: String,
    pub(crate) dead_new: String,
    pub(crate) pulse: String,
    pub(crate) dead: String,
    pub(crate) rpm: String,
    pub(crate) now: String,
    pub(crate) then: String,
    pub(crate) two_stroke: String,
}

#[derive(Template)]
#[template(path = "fuel_table.html")]
pub(crate) struct FuelTablePage {
    pub(crate) shell: Shell,
    pub(crate) problem: String,
    pub(crate) f: FuelTableFields,
    /// The table made over, to be pasted.
    pub(crate) made: String,
    /// What cannot be carried over, in sentences.
    pub(crate) said: Vec<String>,
    pub(crate) blend: Vec<(&'static str, String)>,
}

impl FuelTablePage {
    pub(crate) fn new(prefs: &Prefs) -> Self {
        Self {
            shell: Shell::new("A fuel table made over", &prefs.theme, "vehicles"),
            problem: String::new(),
            f: FuelTableFields::default(),
            made: String::new(),
            said: Vec::new(),
            blend: Vec::new(),
        }
    }

    pub(crate) fn table(&mut self, made: Option<(Rescaled, Option<f64>, Table)>) {
        let Some((r, ratio, old)) = made else { return };
        let digits = if old.max() >= 20.0 { 1 } else { 3 };
        self.made = paste::write(&r.table, digits, true, '\t');
        self.said.push(match r.beyond.len() {
            0 => "Every new place lies within the old axes.".to_owned(),
            n => format!(
                "{n} of {} places lie beyond the old axes: the old edge is held there, and nobody has mapped it.",
                r.table.rows.len() * r.table.x.at.len()
            ),
        });
        self.said.push(match r.lost_at.filter(|_| r.lost > 1e-9) {
            None => "At its old places the table reads as before.".to_owned(),
            Some([x, y]) => format!(
                "What lay between the new places is lost: most at {x}{}, where it reads {:.digits$} otherwise than before.",
                old.y.as_ref().map_or_else(String::new, |_| format!(" and {y}")),
                r.lost
            ),
        });
        if let Some(k) = ratio {
            self.said.push(format!(
                "The new injector gives {k:.3} times the fuel in the engine; each pulse keeps its fuel, its dead time is the new one's. Short pulses, and how each injector behaves near its dead time, cannot be carried over: measure idle and cruise again."
            ));
        }
    }

    pub(crate) fn blend(&mut self, b: Option<OnBlend>) {
        let Some(b) = b else { return };
        let over = if b.duty_percent > 85.0 { ": beyond the 85 % usual for port injection" } else { "" };
        self.blend = vec![
            ("Fuel by volume", format!("{:.3} times", b.ratio)),
            ("Pulse width", format!("{:.2} ms", b.pulse_ms)),
            ("Injector duty", format!("{:.1} %{over}", b.duty_percent)),
            ("Pump flow", format!("{:.3} times", b.pump_ratio)),
        ];
    }
}
