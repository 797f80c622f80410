//! The figures as a page for `docs/` and as JSON.

use super::detections::Claim;
use super::found::Found;
use super::{Share, Validation};
use serde_json::{Value, json};
use std::fmt::Write;

fn percent(s: Share) -> String {
    format!("{:.1} ± {:.1} %", 100.0 * s.value, 100.0 * s.se)
}

/// A size with as many decimals as it needs, at most three.
fn short(v: f64) -> String {
    let s = format!("{v:.3}");
    s.trim_end_matches('0').trim_end_matches('.').to_owned()
}

/// The whole page.
pub fn markdown(v: &Validation) -> String {
    let mut s = String::from(
        "# What the analysis finds of what is true\n\n\
         Made by `jamjar validate`; every figure comes from simulated days whose answer is known. ± is one standard error, clustered by day.\n\n\
         ## Coverage of 95 % intervals\n\n",
    );
    let _ = writeln!(
        s,
        "{} days for each design: six configurations against a baseline, true curves of the simulated engine with 0.45 % scatter from pull to pull and noise along the curve added, through the code that makes the intervals on the pages.\n",
        v.days
    );
    s.push_str("| design | peak power | band mean | all family-wise at once | whole curve in its band | bias at peak, kW | half-width, kW |\n|---|---|---|---|---|---|---|\n");
    for c in &v.coverage {
        let _ = writeln!(
            s,
            "| {} | {} | {} | {} | {} | {:+.3} ± {:.3} | {:.2} |",
            c.design.name,
            percent(c.peak),
            percent(c.band_mean),
            percent(c.family),
            percent(c.curve),
            c.bias_kw.value,
            c.bias_kw.se,
            c.half_kw
        );
    }
    s.push_str(
        "\nWith mountings that scatter and nothing run again the interval cannot know of it: the page then says “within one mounting only”. \
         Run again once, a single difference tells the scatter between mountings, with one degree of freedom, \
         and where mountings scatter as much as pulls or more that is too few: the intervals are then too narrow, and the page says so. From three sets \
         run again the set means themselves are the observations. \
         Where mountings do not scatter the estimate can only err upward, for it is never below zero: intervals are then a little too wide, never too narrow.\n\n",
    );
    let w = &v.whole;
    let _ = writeln!(
        s,
        "## Whole days\n\n{} days on the hub dyno ({} pulls): recordings written, read back, aligned, measured, compared.\n\n| what | figure |\n|---|---|\n\
         | right logs refused | {} of {} |\n\
         | lag error, ms: rms, 95 %, largest | {:.2}, {:.2}, {:.2} |\n\
         | lag error ÷ stated uncertainty, rms | {:.2} |\n\
         | lag error on the inertia drum, ms: rms, 95 %, largest | {:.1}, {:.1}, {:.1} |\n\
         | power against the pull's own truth, 2400–6500 rpm: 95 %, largest | {:.2} %, {:.2} % |\n\
         | coverage of band-mean intervals | {} |\n\
         | bias of band-mean differences, against the first baseline | {:+.3} ± {:.3} kW |\n\
         | the same against the baseline run again at the end | {:+.3} ± {:.3} kW |\n\n\
         The truth is at one heat for all. The first baseline is run with oil some kelvins colder than the sets after it, and colder oil drags: \
         what looks like a bias against it is warm-up, and it is gone against the baseline run again.\n",
        w.days,
        w.pulls,
        w.refused,
        w.pulls,
        w.lag_ms[0],
        w.lag_ms[1],
        w.lag_ms[2],
        w.lag_ratio,
        w.drum_lag_ms[0],
        w.drum_lag_ms[1],
        w.drum_lag_ms[2],
        100.0 * w.power_share[1],
        100.0 * w.power_share[0],
        percent(w.coverage),
        w.bias_kw.value,
        w.bias_kw.se,
        w.bias_again_kw.value,
        w.bias_again_kw.se
    );
    s.push_str("## Planted faults\n\n| fault | size | said by | found | at half the size | false alarms | pulls |\n|---|---|---|---|---|---|---|\n");
    s.push_str(&fault_rows(&v.faults));
    s.push_str("\n## What else is claimed\n\n| claim | planted | rightly said | said wrongly | which means |\n|---|---|---|---|---|\n");
    s.push_str(&claim_rows(&v.claims));
    s.push_str(SIMPLIFIED);
    s
}

/// Planted faults as rows of their table.
pub fn fault_rows(faults: &[Found]) -> String {
    let mut s = String::new();
    for f in faults {
        let share = |x: Option<Share>| x.map_or_else(|| "–".to_owned(), percent);
        let _ = writeln!(
            s,
            "| {} | {} {} | {} | {} | {} | {} | {} |",
            f.kind.id().replace('_', " "),
            f.size,
            f.meaning,
            f.said_by.unwrap_or("nothing claims to find it yet"),
            share(f.recall),
            f.recall_half
                .map_or_else(|| "–".to_owned(), |(size, s)| format!("{}: {}", short(size), percent(s))),
            share(f.false_alarms),
            if f.pulls == 0 { "–".to_owned() } else { f.pulls.to_string() }
        );
    }
    s
}

/// Claims as rows of their table.
pub fn claim_rows(claims: &[Claim]) -> String {
    let mut s = String::new();
    for c in claims {
        let wrong = c.false_alarms.map_or_else(|| "–".to_owned(), percent);
        let _ =
            writeln!(s, "| {} | {} | {} | {} | {} |", c.name, c.planted, percent(c.found), wrong, c.when_not);
    }
    s
}

const SIMPLIFIED: &str = "
## What the simulator leaves out, and whom that could flatter

- Mean values at 2 ms: no pulses, no torsional vibration, no combustion noise in torque. Real torque cells see more; the filter's bias on sharp features is underestimated.
- Scatter from pull to pull is one factor for the whole curve. Real scatter differs along the curve (spool most of all): simultaneous bands are tested on noise along the curve that is milder than life.
- Pulls of a set are independent given their heat. Real pulls drift: intervals that assume independence look better here than in a cell.
- Recorders' clocks are linear. A clock that stutters or a logger that batches its stamps is not simulated; lag errors in milliseconds are a best case.
- The dyno holds its ramp within a few per cent. A driver's foot on an inertia drum varies more.
- Slip grows with torque alone, not with the tyre's heat. The slip that is fitted beside the lag has the same form up to its power.
- λ sensors have one delay and one lag, known in form; ageing, cross-sensitivity and exhaust leaks are absent.
- Knock is a threshold with normal scatter, heard without fail. Real knock control mishears.
- Weather changes only air density and temperature; the coupling of humidity to knock and burn is left out.
- The faults are clean and of one size each. Smaller ones are found less often: the table says the size.
";

fn share(s: Share) -> Value {
    json!({"value": s.value, "se": s.se})
}

/// The same as JSON.
pub fn to_json(v: &Validation) -> Value {
    let w = &v.whole;
    json!({
        "jamjar_validation": 1,
        "days": v.days,
        "coverage": v.coverage.iter().map(|c| json!({
            "design": c.design.name, "pulls_per_set": c.design.pulls, "mounting_share": c.design.mounting, "run_again": c.design.again,
            "peak_power": share(c.peak), "band_mean_power": share(c.band_mean), "family": share(c.family), "curve": share(c.curve),
            "bias_kw": share(c.bias_kw), "half_width_kw": c.half_kw,
        })).collect::<Vec<_>>(),
        "whole": {
            "days": w.days, "pulls": w.pulls, "right_logs_refused": w.refused, "lag_ms": {"rms": w.lag_ms[0], "p95": w.lag_ms[1], "largest": w.lag_ms[2]},
            "lag_over_sigma_rms": w.lag_ratio, "drum_lag_ms": {"rms": w.drum_lag_ms[0], "p95": w.drum_lag_ms[1], "largest": w.drum_lag_ms[2]},
            "coverage": share(w.coverage), "bias_kw": share(w.bias_kw), "bias_against_second_baseline_kw": share(w.bias_again_kw), "power_share": {"largest": w.power_share[0], "p95": w.power_share[1]},
        },
        "claims": v.claims.iter().map(|c| json!({
            "claim": c.name, "planted": c.planted, "found": share(c.found), "false_alarms": c.false_alarms.map(share), "false_alarm_means": c.when_not,
        })).collect::<Vec<_>>(),
        "faults": v.faults.iter().map(|f| json!({
            "kind": f.kind.id(), "size": f.size, "said_by": f.said_by, "recall": f.recall.map(share), "recall_at_half_size": f.recall_half.map(|(size, s)| json!({"size": size, "recall": share(s)})), "false_alarms": f.false_alarms.map(share), "pulls": f.pulls,
        })).collect::<Vec<_>>(),
    })
}
