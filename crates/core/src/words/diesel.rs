//! Injectors of a diesel in words.

use crate::diesel::FlowSaid;
use crate::diesel::flow_sheet::{OFF_SHARE, SHOT_SHARE};

/// What a flow sheet says, one sentence each, what matters first.
pub fn flow_sentences(said: &FlowSaid) -> Vec<String> {
    let mut out = Vec::new();
    let injectors = said.points.iter().map(|p| p.each.len()).max().unwrap_or(0);
    if injectors < 2 {
        out.push("One injector: whether the set is alike cannot be told.".into());
    } else if said.off.is_empty() {
        out.push(format!(
            "No injector departs from the others by {:.0} % at any test point.",
            100.0 * OFF_SHARE
        ));
    } else if injectors == 2 {
        let o = &said.off[0];
        let [p, d] = o.at;
        out.push(format!(
            "The two differ by {:.1} % at {p:.0} MPa and {d:.0} µs: which of them is off, a sheet of two cannot tell.",
            100.0 * o.most.abs()
        ));
    } else {
        for o in &said.off {
            let [p, d] = o.at;
            out.push(format!(
                "Injector {} gives {:+.1} % against the others on the mean of the sheet, {:+.1} % at {p:.0} MPa and {d:.0} µs.",
                o.injector,
                100.0 * o.by,
                100.0 * o.most
            ));
        }
    }
    if let Some(w) = said
        .points
        .iter()
        .filter(|p| p.spread.is_some())
        .max_by(|a, b| a.spread.unwrap_or(0.0).total_cmp(&b.spread.unwrap_or(0.0)))
    {
        out.push(format!(
            "The set spreads most at {:.0} MPa and {:.0} µs: {:.1} % from the lowest to the highest.",
            w.pressure_mpa,
            w.duration_us,
            100.0 * w.spread.unwrap_or(0.0)
        ));
    }
    match (said.scattering.first(), said.shots_known) {
        (Some((injector, share, [p, d])), _) => out.push(format!(
            "Shots of injector {injector} scatter by {:.1} % at {p:.0} MPa and {d:.0} µs (from {:.0} % on it is said; our choice).",
            100.0 * share,
            100.0 * SHOT_SHARE
        )),
        (None, true) => out.push(format!("Shot-to-shot deviation stays below {:.0} %.", 100.0 * SHOT_SHARE)),
        (None, false) => out.push("Shot-to-shot deviation: not on the sheet.".into()),
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::diesel::{FlowSheet, SheetPoint, judge};

    fn said(masses: &[f64]) -> Vec<String> {
        let points = masses.iter().enumerate().map(|(i, m)| SheetPoint {
            injector: (i + 1).to_string(),
            pressure_mpa: 60.0,
            duration_us: 500.0,
            mass_mg: *m,
            shot_sd_mg: None,
        });
        flow_sentences(&judge(&FlowSheet { source: String::new(), points: points.collect() }, None))
    }

    #[test]
    fn the_one_that_is_off_is_named_and_of_two_neither_is() {
        assert!(
            said(&[20.0, 20.1, 19.9, 21.5])[0].starts_with("Injector 4 gives +7.5 %"),
            "{:?}",
            said(&[20.0, 20.1, 19.9, 21.5])
        );
        assert!(said(&[20.0, 22.0])[0].contains("cannot tell"));
        assert!(said(&[20.0, 20.1, 20.2])[0].starts_with("No injector"));
        assert!(said(&[20.0])[0].starts_with("One injector"));
        assert_eq!(said(&[20.0, 20.1]).last().unwrap(), "Shot-to-shot deviation: not on the sheet.");
    }
}
