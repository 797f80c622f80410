//! Fuel and spark in words.

use super::count;
use crate::analysis::{InjectionSays, OctaneSays, Untold};
use crate::fuelling::cells::{Cell, Corrections};
use crate::fuelling::cylinders::Cylinders;
use crate::fuelling::injector::CrossCheck;
use crate::fuelling::injector::OnBlend;
use crate::fuelling::moved::Moved;
use crate::fuelling::seen::What;
use crate::spark::adapts::Adapts;
use crate::spark::delivered::Recorded;
use crate::spark::sweep::{Best, Sweep};

/// "λ 1 was lean by 0.05 (0.04 s after a cut)": what a probe showed.
pub fn mixture_seen(w: &What) -> String {
    match w {
        What::Lean { by, fuel_was_cut: false } => format!("leaner than wanted by {by:.3} λ at most"),
        What::Lean { by, fuel_was_cut: true } => {
            format!("leaner than wanted by {by:.3} λ at most, where fuel was cut")
        }
        What::Rich { by } => format!("richer than wanted by {by:.3} λ at most"),
        What::Oscillating { hz, swing } => format!("to and fro {hz:.1} times a second, by {swing:.3} λ"),
        What::EndOfRange { value } => {
            format!("at the end of what the probe reads ({value:.2}): beyond is unknown")
        }
        What::WarmingUp => "the probe was not hot yet".into(),
    }
}

/// The first sentence of a correction.
pub fn cells_sentence(c: &Corrections) -> String {
    let n = |said| c.count(said);
    let (done, held) = (n(Cell::Corrected), n(Cell::Clamped));
    let visited = c.cells.len() - n(Cell::Unvisited);
    let changed: Vec<f64> = c
        .cells
        .iter()
        .filter(|c| matches!(c.said, Cell::Corrected | Cell::Clamped))
        .map(|c| 100.0 * (c.apply - 1.0))
        .collect();
    if changed.is_empty() {
        return format!(
            "No cell is corrected: {visited} of {} were passed through, none often enough.",
            c.cells.len()
        );
    }
    let (low, high) =
        changed.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
    let held = match held {
        0 => String::new(),
        1 => ", one of them by as much as one step may".to_owned(),
        k => format!(", {k} of them by as much as one step may"),
    };
    format!(
        "{} of {} cells are corrected{held}: {low:+.1} to {high:+.1} % fuel. {} were passed too seldom, {} not at all.",
        done + n(Cell::Clamped),
        c.cells.len(),
        n(Cell::TooFew) + n(Cell::NotShown),
        n(Cell::Unvisited)
    )
}

/// What cylinders show of each other, by their names.
pub fn cylinders_sentence(c: &Cylinders, names: &[String]) -> String {
    let by = |f: fn(f64, f64) -> bool| {
        (1..c.means.len()).fold(0, |best, i| if f(c.means[i], c.means[best]) { i } else { best })
    };
    let (lean, rich) = (by(|a, b| a > b), by(|a, b| a < b));
    let name = |i: usize| names.get(i).map_or("?", String::as_str);
    match (c.is_named(), c.by_chance) {
        (Some(true), Some(chance)) => format!(
            "{} runs leanest and {} richest, {:.3} λ apart; equal cylinders show {chance:.3} by chance.",
            name(lean),
            name(rich),
            c.spread
        ),
        (Some(false), Some(chance)) => {
            format!(
                "No spread between cylinders is shown: {:.3} λ apart, {chance:.3} come by chance.",
                c.spread
            )
        }
        _ => format!(
            "{:.3} λ apart in one pull: whether that is a spread can't be told without a repeat.",
            c.spread
        ),
    }
}

/// What a recorded spark is.
pub fn recorded_spark(r: Recorded) -> &'static str {
    match r {
        Recorded::Delivered => "spark as logged is what the plugs got: it moves with knock retard",
        Recorded::Commanded => "spark as logged is what the map asked: knock retard comes off it",
        Recorded::Same => "no knock retard stood out, so spark asked for and delivered are the same here",
        Recorded::Unsure => "whether the log holds spark as asked for or as delivered can't be told",
    }
}

/// One probe moved from cylinder to cylinder.
pub fn moved_sentence(m: &Moved) -> String {
    let each: Vec<String> =
        m.places.iter().map(|(place, v, n)| format!("{place} {v:.3} ({})", count(*n, "pull"))).collect();
    let all = format!("One probe, moved between sets: {}.", each.join(", "));
    let other = "These are other pulls under like conditions, never one pull's spread.";
    match (m.is_named(), m.by_chance) {
        (Some(true), Some(c)) => format!(
            "{all} They differ by {:.3} λ, more than the {c:.3} that equal cylinders show by chance. {other}",
            m.spread
        ),
        (Some(false), Some(c)) => format!(
            "{all} No cylinder is named: a spread of {:.3} λ is within the {c:.3} that equal cylinders show by chance. {other}",
            m.spread
        ),
        _ => format!("{all} Whether they differ, one pull each cannot tell. {other}"),
    }
}

/// Fuel reckoned by the injectors and by the air.
pub fn cross_check_sentence(c: &CrossCheck) -> String {
    /// Two ways this near agree (our choice: what a flow sheet and an air meter are good for).
    const NEAR: f64 = 0.08;
    let both = format!("{:.1} g/s by the injectors, {:.1} g/s by air and λ", c.by_injector_g_s, c.by_air_g_s);
    let off = c.ratio - 1.0;
    if off.abs() <= NEAR {
        format!("{both}: they agree within {:.0} %.", 100.0 * off.abs())
    } else if off < 0.0 {
        format!(
            "{both}: the injectors account for {:.0} % less. Air meter high, λ reading rich, or more fuel than the sheet says.",
            -100.0 * off
        )
    } else {
        format!(
            "{both}: the injectors account for {:.0} % more. Fuel pressure lower than thought, a blocked injector, air meter low, or λ reading lean.",
            100.0 * off
        )
    }
}

/// Whether the map learns from pull to pull.
pub fn adapts_sentence(a: Adapts) -> String {
    match a {
        Adapts::Steady => "Delivered spark stayed from pull to pull.".into(),
        Adapts::Settled { moved_deg, from_pull } => format!(
            "The map learns: delivered spark moved by {moved_deg:+.1}° and stays from pull {from_pull}. Count pulls from there."
        ),
        Adapts::StillMoving { moved_deg } => format!(
            "The map still learns: delivered spark moved by {moved_deg:+.1}° and had not settled. Pull again before anything is compared."
        ),
    }
}

/// What a sweep of spark says, in a unit of power or torque.
pub fn sweep_sentence(s: &Sweep, unit: &str, read: impl Fn(f64) -> f64) -> String {
    let out = match s.retarded {
        0 => String::new(),
        1 => " One pull was left out: knock control had taken spark.".to_owned(),
        n => format!(" {n} pulls were left out: knock control had taken spark."),
    };
    let degree = s
        .per_degree
        .map_or_else(String::new, |d| format!("; one more degree is worth {:+.2} {unit}", read(d)));
    let (best, [low, high]) = match &s.fit {
        Some(f) => (f.vertex_deg, f.vertex_ci95.unwrap_or([f64::NAN; 2])),
        None => (f64::NAN, [f64::NAN; 2]),
    };
    let said = match s.best {
        Best::AtMbt => format!("At MBT: best at {best:.1}° ({low:.1} to {high:.1}), inside what was tried"),
        Best::KnockLimited => format!("Knock-limited below MBT{degree}"),
        Best::StillGaining => format!("Still gaining at the most spark that was tried{degree}"),
        Best::LessNotTried => "Best below the least spark that was tried: less was not tried".into(),
        Best::NotResolved => "Not resolved: the scatter allows the best angle anywhere".into(),
    };
    format!("{said}.{out}")
}

/// What a step to more octane says.
pub fn octane_sentence(o: OctaneSays) -> &'static str {
    match o {
        OctaneSays::WasKnockLimited => "Octane was what limited it: it gained, and the knock retard went.",
        OctaneSays::GainedOtherwise => {
            "It gained without any retard before: not by knock. Another property of the fuel, or the map adds spark by itself."
        }
        OctaneSays::NotOctaneLimited => {
            "More octane gained nothing, and knock control took no spark on either: not octane-limited. It is near MBT, or the map does not add spark."
        }
        OctaneSays::RetardWentForNothing => {
            "Knock retard went, and no gain is shown: the spark that came back is worth less than the scatter."
        }
        OctaneSays::StillKnockLimited => {
            "Knock control still takes spark on the higher fuel: it is not enough."
        }
        OctaneSays::Lost => "It lost on the higher fuel.",
        OctaneSays::CantTell => {
            "Can't tell what limits: the difference is not resolved, or nobody knows whether knock control listened."
        }
    }
}

/// What the mixture says of an auxiliary injection that was switched on.
pub fn injection_sentence(i: InjectionSays) -> String {
    match i {
        InjectionSays::OverFuels { lambda: [off, on], at_least } => {
            let least = if at_least { " at least: λ sat at the rich end of its sensor with it" } else { "" };
            format!(
                "With the injection λ is {on:.2} where it is {off:.2} without, over whole pulls{least}: what it brings is fuel too, and the map takes too little of its own back, {:.0} % in all.",
                100.0 * (off / on - 1.0)
            )
        }
        InjectionSays::Leaner { lambda: [off, on] } => format!(
            "With the injection λ is {on:.2} where it is {off:.2} without, over whole pulls: more fuel is taken back than the injection brings. Should it fail, the map alone is leaner still."
        ),
        InjectionSays::Same { lambda: [off, on] } => format!(
            "λ is {on:.2} with the injection and {off:.2} without, over whole pulls: the mixture is the same."
        ),
        InjectionSays::CantTell(Untold::NotMeasured) => {
            "Whether the injection over-fuels can't be told: λ was not measured within its range in both.".into()
        }
        InjectionSays::CantTell(Untold::OtherTarget) => {
            "Whether the injection over-fuels can't be told: the map asks for another λ with it.".into()
        }
        InjectionSays::CantTell(Untold::Scatter) => {
            "Whether the injection over-fuels can't be told: λ differs by no more than it scatters from pull to pull.".into()
        }
    }
}

/// What another blend would take of injectors that pulls have shown: the duty they had, at which speed, the blends from and
/// to, the highest duty that is kept, and whether a dead time was known.
pub fn on_blend_sentence(
    (duty, rpm): (f64, f64),
    b: &OnBlend,
    [now, then]: [&str; 2],
    keeps: f64,
    dead_known: bool,
) -> String {
    let verdict = match b.duty_percent {
        d if d > 100.0 => format!(": more than there is time for, and over the {keeps:.0} % that are kept"),
        d if d > keeps => format!(": over the {keeps:.0} % that are kept"),
        _ => format!(", within the {keeps:.0} % that are kept"),
    };
    let dead = if dead_known {
        ""
    } else {
        " Without a dead time all of the pulse is taken to grow: it is this at most."
    };
    format!(
        "From {now} to {then}, at the same air and λ, it takes {:.3} times the fuel: the highest duty, {duty:.1} % at {rpm:.0} rpm, would become {:.1} %{verdict}. The pump would have to give {:.3} times its flow; whether it can, these pulls do not show.{dead}",
        b.ratio, b.duty_percent, b.pump_ratio
    )
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::fuelling::cells::{Rules, Sample, corrections};

    #[test]
    fn a_correction_says_how_much_of_the_table_it_touches() {
        let samples: Vec<Sample> = (0..100)
            .map(|i| Sample { x: 2000.0, y: 100.0, ratio: 1.04, t: f64::from(i) * 0.05, pull: 0 })
            .collect();
        let c = corrections(&[1000.0, 2000.0], &[50.0, 100.0], &samples, &Rules::default()).unwrap();
        assert_eq!(
            cells_sentence(&c),
            "1 of 4 cells are corrected: +4.0 to +4.0 % fuel. 0 were passed too seldom, 3 not at all."
        );
        let few = corrections(&[1000.0, 2000.0], &[50.0, 100.0], &samples[..5], &Rules::default()).unwrap();
        assert!(cells_sentence(&few).starts_with("No cell is corrected: 1 of 4"));
    }

    #[test]
    fn cylinders_are_named_only_beyond_chance() {
        let of = |spread, by_chance| Cylinders {
            means: vec![0.85, 0.85 + spread],
            spread,
            by_chance,
            sd: Some(0.004),
            pulls: 3,
        };
        let names = ["front".to_owned(), "rear".to_owned()];
        assert!(
            cylinders_sentence(&of(0.03, Some(0.01)), &names)
                .starts_with("rear runs leanest and front richest, 0.030")
        );
        assert!(cylinders_sentence(&of(0.005, Some(0.01)), &names).starts_with("No spread"));
        assert!(cylinders_sentence(&of(0.03, None), &names).contains("can't be told"));
    }

    #[test]
    fn what_another_blend_takes_is_held_against_what_is_kept() {
        let b = OnBlend { ratio: 1.2, pulse_ms: 20.0, duty_percent: 90.0, pump_ratio: 1.2 };
        let said = on_blend_sentence((75.0, 6200.0), &b, ["5 % ethanol", "40 % ethanol"], 85.0, false);
        assert!(said.contains("75.0 % at 6200 rpm, would become 90.0 %: over the 85 %"), "{said}");
        assert!(said.ends_with("it is this at most."));
        assert!(
            on_blend_sentence((75.0, 6200.0), &b, ["5 % ethanol", "40 % ethanol"], 95.0, true)
                .contains("within the 95 %")
        );
    }
}
