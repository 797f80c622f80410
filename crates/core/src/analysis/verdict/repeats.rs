//! Whether a day's pulls repeat: warm or not, in the same conditions, and which do not belong.

use crate::analysis::measured::{Measured, refs};
use crate::analysis::set::{Figure, SETTLED_SHARE, SetResult};
use crate::channel::Channel;
use crate::findings::Finding;
use crate::signal::median::median_in_place;
use crate::stats::outliers::outliers;
use std::borrow::Borrow;

/// Oil this much colder at the start than in the set's warmest pull, with less power, is called warm-up, °C
/// (our choice).
const COLD_OIL_C: f64 = 8.0;
/// Temperatures at the start of a pull may differ by this from the day's usual, °C (our choice, to be judged
/// before power).
const WINDOW: [(&str, f64); 3] = [("oil_temp", 10.0), ("coolant_temp", 7.0), ("intake_temp", 12.0)];

/// Something to know about one pull beside the others of its day.
#[derive(Debug, Clone, PartialEq)]
pub struct PullFinding {
    /// Index of its set.
    pub set: usize,
    /// Index of the pull in the set.
    pub pull: usize,
    /// What: conditions, warm-up, or an outlier.
    pub found: Finding,
}

/// Sets of one day with their measured pulls.
type Day<'a> = [(&'a SetResult, Vec<&'a Measured>)];

/// What stands out among the sets of one day: pulls outside the day's conditions (judged without looking at
/// power), warm-up, and outliers at peak. A finding excludes nothing; a person does, with a reason.
pub fn find_pulls<M: Borrow<Measured>>(sets: &[SetResult], measured: &[Vec<M>]) -> Vec<PullFinding> {
    of_day(&sets.iter().zip(measured).map(|(s, m)| (s, refs(m))).collect::<Vec<_>>())
}

/// The same over sets of any days, each judged among those of its own day.
pub fn find_days<M: Borrow<Measured>>(sets: &[SetResult], measured: &[Vec<M>]) -> Vec<PullFinding> {
    let mut days: Vec<&String> = sets.iter().map(|s| &s.day).collect();
    days.sort();
    days.dedup();
    let mut out = Vec::new();
    for day in days {
        let own: Vec<usize> = (0..sets.len()).filter(|&i| sets[i].day == *day).collect();
        let its: Vec<(&SetResult, Vec<&Measured>)> =
            own.iter().map(|&i| (&sets[i], refs(&measured[i]))).collect();
        out.extend(of_day(&its).into_iter().map(|f| PullFinding { set: own[f.set], ..f }));
    }
    out
}

fn of_day(day: &Day<'_>) -> Vec<PullFinding> {
    let mut out = Vec::new();
    for (name, room) in WINDOW {
        out.extend(off_usual(day, name, room));
    }
    for (set, (s, pulls)) in day.iter().enumerate() {
        out.extend(warm_up(s, pulls).map(|found| PullFinding { set, pull: 0, found }));
    }
    for alike in alike(day) {
        let values: Vec<&[f64]> =
            alike.iter().map(|&i| day[i].0.figure(Figure::PeakPower).values.as_slice()).collect();
        for o in outliers(&values) {
            let set = alike[o.set];
            let found = Finding::Outlier { off_kw: o.off, times: (o.t / o.limit).abs() };
            out.push(PullFinding { set, pull: day[set].0.pull_of_value(o.value), found });
        }
    }
    out
}

/// Value of a channel at the start of a pull.
fn at_start(m: &Measured, name: &str) -> Option<f64> {
    m.channels.iter().find(|c| c.channel.as_str() == name).map(|c| c.start)
}

/// Pulls that start further than `room` from the day's median.
fn off_usual(day: &Day<'_>, name: &'static str, room: f64) -> Vec<PullFinding> {
    let mut all: Vec<f64> = day.iter().flat_map(|d| &d.1).filter_map(|m| at_start(m, name)).collect();
    if all.len() < 3 {
        return Vec::new();
    }
    let usual_c = median_in_place(&mut all);
    let mut out = Vec::new();
    for (set, (_, pulls)) in day.iter().enumerate() {
        for (pull, m) in pulls.iter().enumerate() {
            if let Some(off_c) = at_start(m, name).map(|t| t - usual_c).filter(|off| off.abs() > room) {
                out.push(PullFinding {
                    set,
                    pull,
                    found: Finding::Conditions { channel: Channel::known(name), off_c, usual_c },
                });
            }
        }
    }
    out
}

/// The day's sets that scatter alike: one gear and one kind of pull each.
fn alike(day: &Day<'_>) -> Vec<Vec<usize>> {
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

/// Whether the first pull of a set was made on colder oil and with less power than its warmest.
fn warm_up(s: &SetResult, pulls: &[&Measured]) -> Option<Finding> {
    let first = pulls.first()?;
    let (t0, p0) = (at_start(first, "oil_temp")?, s.pull_figures.first()?.peak_power?.value);
    let later = pulls
        .iter()
        .zip(&s.pull_figures)
        .skip(1)
        .filter_map(|(m, f)| Some((at_start(m, "oil_temp")?, f.peak_power?.value)));
    let (t, p) = later.max_by(|a, b| a.0.total_cmp(&b.0))?;
    (t - t0 >= COLD_OIL_C && p0 < p * (1.0 - SETTLED_SHARE))
        .then(|| Finding::WarmUp { colder_c: t - t0, less: 1.0 - p0 / p })
}
