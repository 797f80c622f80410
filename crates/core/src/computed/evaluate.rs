//! Computed channels added to recordings, sample by sample: blank where any part is blank or the arithmetic has no
//! answer.

use super::compile::{Formula, Node, Read, of_family};
use super::parse::Function;
use crate::channel::Channel;
use crate::log::Recording;
use crate::signal::interp::Walk;
use crate::signal::median::median_interval;
use std::borrow::Cow;
use std::sync::Arc;

/// A part between two of its own samples is read along the line that joins them, over gaps up to this, s, or so many
/// of its own intervals (domain, section 10: what is no gap for a limit is none here).
const GAP_S: f64 = 0.2;
const OWN_INTERVALS: f64 = 2.5;

/// Why a computed channel is not there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Lacking {
    /// A channel it reads was not logged.
    Channel(Channel),
    /// No sensor of a family was logged, or only one where a spread takes two.
    Family(&'static str),
    /// Its parts stand in two logs that are not aligned.
    NotAligned(Channel),
}

/// Both recordings, and what is lacking of the computed channels that are on neither.
pub type WithComputed<'a> = (Cow<'a, Recording>, Option<Cow<'a, Recording>>, Vec<(Channel, Lacking)>);

/// Both recordings with the computed channels on them, and what is lacking of those that are on neither.
///
/// A channel stands on the recording that holds its parts; on the engine computer's where both are needed, with the
/// dyno's read at its times. Division by zero, and any part that is blank, leave a blank.
pub fn with_computed<'a>(
    formulas: &[Formula],
    dyno: Cow<'a, Recording>,
    ecu: Option<Cow<'a, Recording>>,
    lag: Option<f64>,
) -> WithComputed<'a> {
    let (mut dyno, mut ecu, mut lacking) = (dyno, ecu, Vec::new());
    for f in formulas {
        match Bound::new(f, &dyno, ecu.as_deref(), lag) {
            Err(why) => lacking.push((f.name.clone(), why)),
            Ok(bound) => {
                let (values, on_ecu) = (bound.values(), bound.on_ecu);
                let log = if on_ecu { ecu.as_mut().expect("bound to it") } else { &mut dyno };
                log.to_mut().channels.insert(f.name.clone(), values);
            }
        }
    }
    (dyno, ecu, lacking)
}

/// The same for recordings that are one's own; what is lacking is not said.
pub fn with_computed_owned(
    formulas: &[Formula],
    dyno: Recording,
    ecu: Option<Arc<Recording>>,
    lag: Option<f64>,
) -> (Recording, Option<Arc<Recording>>) {
    if formulas.is_empty() {
        return (dyno, ecu);
    }
    let (with, of_ecu, _) = with_computed(formulas, Cow::Owned(dyno), ecu.as_deref().map(Cow::Borrowed), lag);
    let own = match of_ecu {
        Some(Cow::Owned(log)) => Some(Arc::new(log)),
        _ => ecu.clone(),
    };
    (with.into_owned(), own)
}

/// A part with its own samples, times brought to the clock it is read on.
struct Part {
    t: Vec<f64>,
    v: Vec<f64>,
    gap_s: f64,
}

struct Bound<'f, 'l> {
    formula: &'f Formula,
    times: &'l [f64],
    on_ecu: bool,
    /// For each read, its parts: one, or those of a family.
    parts: Vec<Vec<Part>>,
}

impl<'f, 'l> Bound<'f, 'l> {
    fn new(
        formula: &'f Formula,
        dyno: &'l Recording,
        ecu: Option<&'l Recording>,
        lag: Option<f64>,
    ) -> Result<Self, Lacking> {
        let holds = |log: &Recording, c: &Channel| log.has(c.as_str());
        let names = |log: &Recording| log.channels.keys().cloned().collect::<Vec<_>>();
        let logged: Vec<Channel> = ecu
            .map(names)
            .into_iter()
            .flatten()
            .chain(names(dyno))
            .filter(|c| holds(dyno, c) || ecu.is_some_and(|e| holds(e, c)))
            .collect();
        let mut wanted: Vec<Vec<Channel>> = Vec::new();
        for r in &formula.reads {
            wanted.push(match r {
                Read::One(c) if logged.contains(c) => vec![c.clone()],
                Read::One(c) => return Err(Lacking::Channel(c.clone())),
                Read::Family(kind) => {
                    let found = of_family(kind, logged.iter());
                    if found.len() < usize::from(formula.spreads()) + 1 {
                        return Err(Lacking::Family(kind));
                    }
                    found
                }
            });
        }
        let on = |log: Option<&Recording>| log.is_some_and(|l| wanted.iter().flatten().all(|c| holds(l, c)));
        let (home, other, on_ecu, late) = match ecu {
            Some(e) if on(Some(e)) => (e, None, true, 0.0),
            _ if on(Some(dyno)) => (dyno, None, false, 0.0),
            Some(e) => {
                let stranger = wanted.iter().flatten().find(|c| !holds(e, c)).expect("not all are there");
                let lag = lag.ok_or_else(|| Lacking::NotAligned(stranger.clone()))?;
                (e, Some(dyno), true, lag)
            }
            None => return Err(Lacking::Channel(wanted.concat().remove(0))),
        };
        let part = |c: &Channel| {
            let own = home.series(c.as_str());
            let from_other = own.is_none();
            let mut s = own.or_else(|| other?.series(c.as_str())).unwrap_or_default();
            if from_other {
                s.t.iter_mut().for_each(|t| *t += late);
            }
            let gap_s = GAP_S.max(OWN_INTERVALS * median_interval(&s.t)) * 1.05;
            Part { t: s.t, v: s.v, gap_s }
        };
        let parts = wanted.iter().map(|all| all.iter().map(part).collect()).collect();
        Ok(Self { formula, times: &home.t, on_ecu, parts })
    }

    fn values(&self) -> Vec<f64> {
        let mut walks: Vec<Vec<Walk<'_>>> =
            self.parts.iter().map(|all| all.iter().map(|p| Walk::new(&p.t)).collect()).collect();
        let mut now: Vec<Vec<f64>> = self.parts.iter().map(|all| vec![f64::NAN; all.len()]).collect();
        self.times
            .iter()
            .map(|&t| {
                for ((walks, parts), now) in walks.iter_mut().zip(&self.parts).zip(&mut now) {
                    for ((walk, part), value) in walks.iter_mut().zip(parts).zip(now) {
                        *value = part.at(walk, t);
                    }
                }
                let v = value(&self.formula.tree, &now);
                if v.is_finite() { v } else { f64::NAN }
            })
            .collect()
    }
}

impl Part {
    fn at(&self, walk: &mut Walk<'_>, t: f64) -> f64 {
        let Some((i, share)) = walk.place(t) else { return f64::NAN };
        if share == 0.0 {
            return self.v[i];
        }
        if self.t[i + 1] - self.t[i] > self.gap_s {
            return f64::NAN;
        }
        self.v[i] + (self.v[i + 1] - self.v[i]) * share
    }
}

impl Formula {
    /// Whether it takes the spread of a family.
    fn spreads(&self) -> bool {
        fn any(n: &Node) -> bool {
            match n {
                Node::Call(Function::Spread, _) => true,
                Node::Call(_, all) => all.iter().any(any),
                Node::Negated(a) | Node::Scaled(_, a) | Node::Power(a, _) => any(a),
                Node::Two(_, a, b) => any(a) || any(b),
                Node::Number(_) | Node::Read(_) => false,
            }
        }
        any(&self.tree)
    }
}

fn value(node: &Node, now: &[Vec<f64>]) -> f64 {
    match node {
        Node::Number(v) => *v,
        Node::Read(i) => now[*i][0],
        Node::Negated(a) => -value(a, now),
        Node::Scaled(by, a) => by * value(a, now),
        Node::Power(a, n) => value(a, now).powi(i32::from(*n)),
        Node::Two(sign, a, b) => {
            let (a, b) = (value(a, now), value(b, now));
            match sign {
                '+' => a + b,
                '-' => a - b,
                '*' => a * b,
                _ if b == 0.0 => f64::NAN,
                _ => a / b,
            }
        }
        Node::Call(f, args) => {
            let family = match args.as_slice() {
                [Node::Read(i)] => Some(&now[*i]),
                _ => None,
            };
            match family {
                Some(all) if !matches!(f, Function::Abs | Function::Sqrt) => call(*f, all.iter().copied()),
                _ => call(*f, args.iter().map(|a| value(a, now))),
            }
        }
    }
}

/// A function of some values; blank when any of them is.
fn call(f: Function, values: impl Iterator<Item = f64>) -> f64 {
    let (mut n, mut sum, mut low, mut high) = (0.0, 0.0, f64::INFINITY, f64::NEG_INFINITY);
    for v in values {
        if v.is_nan() {
            return f64::NAN;
        }
        n += 1.0;
        sum += v;
        low = f64::min(low, v);
        high = f64::max(high, v);
    }
    match f {
        Function::Abs => sum.abs(),
        Function::Sqrt => sum.sqrt(),
        Function::Min => low,
        Function::Max => high,
        Function::Mean => sum / n,
        Function::Spread => high - low,
    }
}
