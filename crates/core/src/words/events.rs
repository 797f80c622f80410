//! What happened during a pull, in words.

use crate::analysis::Event;
use crate::analysis::measured::{Cause, Cut, Happened};

/// Two or three words for a chart.
pub fn event_short(e: &Event) -> String {
    match &e.what {
        Happened::TipIn => "tip-in".into(),
        Happened::Held { .. } => e.rpm.map_or_else(String::new, |r| format!("{r:.0}")),
        Happened::SpoolEnd { .. } => "spool end".into(),
        Happened::OffBoostTarget { over: true, .. } => "boost over".into(),
        Happened::OffBoostTarget { over: false, .. } => "boost short".into(),
        Happened::PeakTorque => "peak torque".into(),
        Happened::PeakPower => "peak power".into(),
        Happened::Dip { share, .. } => format!("dip {:.1} %", 100.0 * share),
        Happened::Knock { .. } => "knock".into(),
        Happened::Cut { what, .. } => cut(*what).into(),
        Happened::End { by } => by.label().into(),
    }
}

/// The sentence, without a full stop.
pub fn event(e: &Event) -> String {
    let rpm = e.rpm.map_or_else(String::new, |r| format!(" at {r:.0} rpm"));
    match &e.what {
        Happened::TipIn => format!("tip-in settled{rpm}"),
        Happened::Held { counted_s, moving } => {
            let moved = moving.map_or_else(String::new, |m| format!(", still moving by {:+.1} %", 100.0 * m));
            format!("held{rpm}: {counted_s:.1} s counted{moved}")
        }
        Happened::SpoolEnd { of_target, after_s } => {
            let what = if *of_target {
                "90 % of the boost target"
            } else {
                "90 % of the highest boost it reached (no target was logged)"
            };
            match after_s {
                None => format!("{what} was there from the start{rpm}"),
                Some(s) => format!("{what}{rpm}, {s:.1} s after tip-in"),
            }
        }
        Happened::OffBoostTarget { over, kpa, to_rpm, gate_pct, gate_spent } => {
            let side = if *over { "over" } else { "short of" };
            let place = match (e.rpm, to_rpm) {
                (Some(a), Some(b)) => format!(" from {a:.0} to {b:.0} rpm"),
                _ => String::new(),
            };
            let gate = gate_pct.map_or_else(String::new, |d| format!("; wastegate duty {d:.0} %"));
            let spent = if *gate_spent { ": no more to give (out of turbo, or a leak)" } else { "" };
            format!("boost up to {kpa:.0} kPa {side} its target{place}{gate}{spent}")
        }
        Happened::PeakTorque => format!("peak torque{rpm}"),
        Happened::PeakPower => format!("peak power{rpm}"),
        Happened::Dip { share, width_rpm, causes } => {
            let why = match causes.as_slice() {
                [] => "nothing that was recorded moved with it".to_owned(),
                all => format!("with it: {}", all.iter().map(cause).collect::<Vec<_>>().join("; ")),
            };
            format!("torque dips by {:.1} %{rpm}, {width_rpm:.0} rpm wide; {why}", 100.0 * share)
        }
        Happened::Knock { channel, most_deg, to_rpm } => {
            let place = e.rpm.map_or_else(String::new, |r| format!(" at {r:.0}"));
            let until = to_rpm.map_or_else(String::new, |r| format!(" to {r:.0}"));
            format!("{}: up to {most_deg:.1}°{place}{until} rpm", channel.label())
        }
        Happened::Cut { what, for_s } => format!("{}{rpm} for {for_s:.2} s", cut(*what)),
        Happened::End { by } => {
            let beyond = if by.is_limiter() { ": no peak beyond it is known" } else { "" };
            format!("ended{rpm} by {}{beyond}", by.label())
        }
    }
}

fn cut(c: Cut) -> &'static str {
    match c {
        Cut::Fuel => "fuel cut",
        Cut::Spark => "spark cut",
    }
}

fn cause(c: &Cause) -> String {
    match c {
        Cause::Cut(c) => cut(*c).into(),
        Cause::ThrottleClosed { by_pct } => format!("throttle closed by {by_pct:.0} %"),
        Cause::TargetFell { by_kpa } => {
            format!("the boost target fell by {by_kpa:.0} kPa: a protection, or the map")
        }
        Cause::Retard { channel, by_deg } => format!("{} up by {by_deg:.1}°", channel.label()),
        Cause::Lean { channel, by } => format!("{} lean by {by:.2}", channel.label()),
        Cause::Rich { channel, by } => format!("{} rich by {by:.2}", channel.label()),
        Cause::PressureFell { by_kpa } => format!("manifold pressure fell by {by_kpa:.0} kPa"),
        Cause::BeltSlipped { share } => format!("the blower belt slipped by {:.1} %", 100.0 * share),
        Cause::DriveSlipped { share } => {
            format!("tyre, clutch or converter slipped by {:.1} %", 100.0 * share)
        }
    }
}
