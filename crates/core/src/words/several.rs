//! Gains on several vehicles, each in per cent of its own baseline.

use super::comparison::{Told, told_of};
use super::sentence_case;
use crate::analysis::Verdict;

/// What the best set of one vehicle gained over that one's own baseline.
#[derive(Debug, Clone, PartialEq)]
pub struct GainOn {
    /// The vehicle.
    pub vehicle: String,
    /// The set.
    pub set: String,
    /// Difference at peak power, per cent; `None` where there is none.
    pub percent: Option<f64>,
    /// Half of its 95 % interval.
    pub half: Option<f64>,
    /// Its verdict.
    pub verdict: Verdict,
}

/// "C3 on E30 gains 18.2 ± 0.9 % on Tolvern T3; …": one clause a vehicle, and what is not compared.
pub fn several_sentence(all: &[GainOn]) -> String {
    let clause = |g: &GainOn| {
        let (set, vehicle) = (&g.set, &g.vehicle);
        match told_of(g.verdict, g.percent, g.half) {
            Told::Differs { more, sure: true, by, half } => {
                let verb = if more { "gains" } else { "loses" };
                format!("{set} {verb} {by:.1} ± {half:.1} % on {vehicle}")
            }
            Told::Differs { more, sure: false, by, half } => {
                let sign = if more { '+' } else { '-' };
                format!("{set} provisionally differs by {sign}{by:.1} ± {half:.1} % on {vehicle}")
            }
            Told::NotShown(half) => format!("no difference of {set} shown on {vehicle} (± {half:.1} %)"),
            Told::Bare(d) => {
                format!("can't tell what {set} did on {vehicle} ({d:+.1} %, without an interval)")
            }
            Told::Nothing => format!("nothing to compare on {vehicle}"),
        }
    };
    let clauses: Vec<String> = all.iter().map(clause).collect();
    format!(
        "{}. Each in per cent of its own baseline at peak: kilowatts of different vehicles are not compared.",
        sentence_case(&clauses.join("; "))
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_vehicle_has_its_clause() {
        let on = |vehicle: &str, percent, half, verdict| GainOn {
            vehicle: vehicle.into(),
            set: "C3".into(),
            percent,
            half,
            verdict,
        };
        let said = several_sentence(&[
            on("Tolvern T3", Some(18.24), Some(0.9), Verdict::Gain),
            on("Marrow 48", Some(0.4), Some(1.2), Verdict::NoDifferenceShown),
            on("Quillet 650", None, None, Verdict::CantTell),
        ]);
        assert!(
            said.starts_with("C3 gains 18.2 ± 0.9 % on Tolvern T3; no difference of C3 shown on Marrow 48"),
            "{said}"
        );
        assert!(
            said.contains("nothing to compare on Quillet 650") && said.contains("are not compared"),
            "{said}"
        );
    }
}
