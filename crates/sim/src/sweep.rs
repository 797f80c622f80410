//! What a pull is asked for.

use crate::driveline::SimDyno;
use serde::Deserialize;

/// How a pull is driven.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Sweep {
    /// Engine speed where it starts, rpm.
    pub from_rpm: f64,
    /// Engine speed where the driver lifts, rpm.
    pub to_rpm: f64,
    /// Rate on a controlled dyno, engine rpm/s; an inertia drum takes its own.
    #[serde(default = "usual_rate")]
    pub rate_rpm_s: f64,
    /// Pedal, %.
    #[serde(default = "full")]
    pub pedal: f64,
    /// From high speed down under load, as with a tractor on a brake.
    #[serde(default)]
    pub lug_down: bool,
    /// Speeds held one after the other instead of a sweep; an inertia drum cannot.
    #[serde(default)]
    pub held: Option<Held>,
}

/// A step test: the dyno holds one speed after the other with the pedal down.
#[derive(Debug, Clone, Copy, PartialEq, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Held {
    /// From one speed to the next, rpm.
    pub every_rpm: f64,
    /// How long each is held, s.
    pub seconds: f64,
}

impl Sweep {
    /// What keeps it from being driven on such a dyno, in words.
    pub(crate) fn problem(&self, dyno: SimDyno) -> Option<String> {
        let h = self.held?;
        if dyno == SimDyno::RollerInertia {
            return Some("an inertia drum cannot hold a speed: leave out sweep.held".into());
        }
        let fits = |v: f64, low: f64, high: f64| (low..=high).contains(&v);
        (!fits(h.every_rpm, 20.0, 5000.0) || !fits(h.seconds, 0.5, 60.0)).then(|| {
            format!(
                "held every {} rpm for {} s: steps are 20 to 5000 rpm and 0.5 to 60 s",
                h.every_rpm, h.seconds
            )
        })
    }
}

fn usual_rate() -> f64 {
    590.0
}
fn full() -> f64 {
    100.0
}
