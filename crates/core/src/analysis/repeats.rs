//! Whether a day's pulls repeat: settled or not, warm or not, in the same conditions, and which do not belong.

use super::compare::Comparison;
use super::measure::Measured;
use super::sets::{Figure, SETTLED_SHARE, SetResult};
use crate::factors::Factors;
use crate::log::Flag;
use crate::stats::drift::{Drift, Observation, ancova};
use crate::stats::outliers::outliers;
use crate::units::PowerUnit;

/// Oil this much colder at the start than in the set's warmest pull, with less power, is called warm-up, °C (our choice).
const COLD_OIL_C: f64 = 8.0;
/// Temperatures at the start of a pull may differ by this from the day's usual, °C (our choice, to be judged before power).
const WINDOW: [(&str, &str, f64); 3] = [("oil_temp", "oil", 10.0), ("coolant_temp", "coolant", 7.0), ("intake_temp", "intake air", 12.0)];

/// Whether the pulls of a set have come to rest.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Settled {
    /// From this pull on (0 is the first) consecutive pulls agree within 0.7 %.
    From(usize),
    /// The last two differ by this share.
    NotYet(f64),
    /// One pull cannot show it.
    Unknown,
}

impl Settled {
    /// From the values of a set in order of running.
    pub fn of(values: &[f64]) -> Self {
        let step = |w: &[f64]| (w[1] - w[0]).abs() / w[0].abs().max(1e-12);
        match values {
            [] | [_] => Self::Unknown,
            _ => {
                let from = values.windows(2).rposition(|w| step(w) > SETTLED_SHARE).map_or(0, |i| i + 1);
                if from + 1 < values.len() { Self::From(from) } else { Self::NotYet(step(&values[values.len() - 2..])) }
            }
        }
    }

    /// Words for a set.
    pub fn words(self) -> String {
        match self {
            Self::From(0) => "settled from the first pull".into(),
            Self::From(i) => format!("settled from pull {}", i + 1),
            Self::NotYet(share) => format!("not settled: the last two pulls differ by {:.1} %", 100.0 * share),
            Self::Unknown => "one pull: can't tell whether it has settled".into(),
        }
    }
}

/// Something to know about one pull.
#[derive(Debug, Clone, PartialEq)]
pub struct PullFlag {
    /// Index of its set.
    pub set: usize,
    /// Index of the pull in the set.
    pub pull: usize,
    /// Kind and sentence: `outlier`, `warm_up` or `conditions`.
    pub flag: Flag,
}

/// Flags over sets of one day: pulls outside the day's conditions (judged without looking at power), warm-up, and outliers at peak.
/// A flag excludes nothing; a person does, with a reason. `say` is the unit of power in the words.
pub fn flag_pulls(sets: &[SetResult], measured: &[Vec<Measured>], say: PowerUnit) -> Vec<PullFlag> {
    flags_of(&sets.iter().zip(measured).map(|(s, m)| (s, m.as_slice())).collect::<Vec<_>>(), say)
}

fn flags_of(day: &[(&SetResult, &[Measured])], say: PowerUnit) -> Vec<PullFlag> {
    let mut out = Vec::new();
    for (kind, words, room) in WINDOW {
        let start = |m: &Measured| m.channels.iter().find(|c| c.channel.as_str() == kind).map(|c| c.start);
        let mut all: Vec<f64> = day.iter().flat_map(|d| d.1).filter_map(start).collect();
        if all.len() < 3 {
            continue;
        }
        let usual = crate::signal::hygiene::median_in_place(&mut all);
        for (set, (_, pulls)) in day.iter().enumerate() {
            for (pull, m) in pulls.iter().enumerate() {
                if let Some(t) = start(m).filter(|t| (t - usual).abs() > room) {
                    let side = if t > usual { "warmer" } else { "colder" };
                    let text = format!("{words} {:.0} °C {side} at the start than the day's usual {usual:.0} °C", (t - usual).abs());
                    out.push(PullFlag { set, pull, flag: Flag::new("conditions", text) });
                }
            }
        }
    }
    for (set, (s, pulls)) in day.iter().enumerate() {
        out.extend(warm_up(s, pulls).map(|(pull, flag)| PullFlag { set, pull, flag }));
    }
    for alike in alike(day) {
        let values: Vec<&[f64]> = alike.iter().map(|&i| day[i].0.figure(Figure::PeakPower).values.as_slice()).collect();
        for o in outliers(&values) {
            let set = alike[o.set];
            let pull = counted(day[set].0, o.value);
            let side = if o.off > 0.0 { "above" } else { "below" };
            let text =
                format!("peak power {} {side} the set's other pulls, {:.1} times what scatter explains", say.say(o.off.abs()), (o.t / o.limit).abs());
            out.push(PullFlag { set, pull, flag: Flag::new("outlier", text) });
        }
    }
    out
}

/// The day's sets that scatter alike: one gear and one kind of pull each.
fn alike(day: &[(&SetResult, &[Measured])]) -> Vec<Vec<usize>> {
    let mut out: Vec<Vec<usize>> = Vec::new();
    for (i, (s, _)) in day.iter().enumerate() {
        let same = |o: &SetResult| o.factors.get("gear") == s.factors.get("gear") && o.kinds == s.kinds;
        match out.iter_mut().find(|g| same(day[g[0]].0)) {
            Some(g) => g.push(i),
            None => out.push(vec![i]),
        }
    }
    out
}

/// Flags over sets of any days, each judged among those of its own day.
pub fn flag_days(sets: &[SetResult], measured: &[Vec<Measured>], say: PowerUnit) -> Vec<PullFlag> {
    let mut days: Vec<&String> = sets.iter().map(|s| &s.day).collect();
    days.sort();
    days.dedup();
    let mut flags = Vec::new();
    for day in days {
        let own: Vec<usize> = (0..sets.len()).filter(|&i| sets[i].day == *day).collect();
        let its: Vec<(&SetResult, &[Measured])> = own.iter().map(|&i| (&sets[i], measured[i].as_slice())).collect();
        flags.extend(flags_of(&its, say).into_iter().map(|f| PullFlag { set: own[f.set], ..f }));
    }
    flags
}

/// Index of the pull behind the `i`-th value: excluded pulls have none.
fn counted(s: &SetResult, i: usize) -> usize {
    let mut with = (0..s.included.len()).filter(|&k| s.included[k] && s.pull_figures[k].peak_power.is_some());
    with.nth(i).unwrap_or(i)
}

fn warm_up(s: &SetResult, pulls: &[Measured]) -> Option<(usize, Flag)> {
    let oil = |m: &Measured| m.channels.iter().find(|c| c.channel.as_str() == "oil_temp").map(|c| c.start);
    let first = pulls.first()?;
    let (t0, p0) = (oil(first)?, s.pull_figures.first()?.peak_power?.value);
    let later = pulls.iter().zip(&s.pull_figures).skip(1).filter_map(|(m, f)| Some((oil(m)?, f.peak_power?.value)));
    let (t, p) = later.max_by(|a, b| a.0.total_cmp(&b.0))?;
    (t - t0 >= COLD_OIL_C && p0 < p * (1.0 - SETTLED_SHARE)).then(|| {
        let text = format!("oil {:.0} °C colder than in the warmest pull of the set, {:.1} % less power: warm-up", t - t0, 100.0 * (1.0 - p0 / p));
        (0, Flag::new("warm_up", text))
    })
}

/// Drift of a day beside its configurations.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct DayDrift {
    /// The fit.
    pub fit: Drift,
    /// Configurations in the order of the fit.
    pub configurations: Vec<Factors>,
    /// What one unit of the order is: "hour" when every set has a clock time, else "set".
    pub unit: &'static str,
}

/// Fits drift over the sets of one day and gear for a figure; the configuration of `first` is number 0.
pub(super) fn day_drift(sets: &[&SetResult], first: &Factors, figure: Figure) -> Option<DayDrift> {
    let clocks = sets.iter().all(|s| s.at_h.is_some());
    let mut configurations = vec![first.clone()];
    let mut pulls = Vec::new();
    for s in sets {
        let configuration = configurations.iter().position(|c| *c == s.factors).unwrap_or_else(|| {
            configurations.push(s.factors.clone());
            configurations.len() - 1
        });
        let order = if clocks { s.at_h.unwrap_or(0.0) } else { s.order };
        for (i, value) in s.figure(figure).values.iter().enumerate() {
            pulls.push(Observation { configuration, order, position: counted(s, i) as f64, value: *value });
        }
    }
    if !pulls.iter().any(|p| p.configuration == 0) {
        return None;
    }
    Some(DayDrift { fit: ancova(&pulls)?, configurations, unit: if clocks { "hour" } else { "set" } })
}

/// Adds to each comparison what its two sets' pulls are flagged with, and whether they have settled.
pub fn note_pulls(comparisons: &mut [Comparison], sets: &[SetResult], measured: &[Vec<Measured>], say: PowerUnit) {
    let flags = flag_days(sets, measured, say);
    for c in comparisons {
        for set in [c.base, c.candidate] {
            for f in flags.iter().filter(|f| f.set == set && sets[set].included.get(f.pull) == Some(&true)) {
                c.notes.push(Flag::new("flagged", format!("{}: pull {}: {}.", sets[set].id, f.pull + 1, f.flag.text)));
            }
            let settled = Settled::of(&sets[set].figure(Figure::PeakPower).values);
            if let Settled::NotYet(_) = settled {
                c.notes.push(Flag::new("unsettled", format!("{}: {}.", sets[set].id, settled.words())));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn settling_is_read_from_the_end() {
        assert_eq!(Settled::of(&[100.0, 100.3, 100.1]), Settled::From(0));
        assert_eq!(Settled::of(&[97.0, 100.3, 100.1]), Settled::From(1));
        assert!(matches!(Settled::of(&[97.0, 100.3, 98.1]), Settled::NotYet(s) if (s - 0.0219).abs() < 1e-3));
        assert_eq!(Settled::of(&[97.0]), Settled::Unknown);
        assert!(Settled::of(&[97.0, 100.0]).words().contains("3.1 %"));
    }
}
