//! A recommendation in sentences, clause by clause, so that each can be followed to what it rests on.

use super::{Speech, sentence_case};
use crate::analysis::{Barred, Candidate, Danger, Recommendation, SetResult};
use crate::channel::Channel;
use crate::limits::{Limit, Verdict};

/// What a clause is about: where it leads.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub enum About {
    Set(usize),
    Gain(usize),
    Limit { set: usize, limit: String },
    Versus(usize, usize),
    Sensor(Channel),
    Nothing,
}

/// A part of a sentence.
#[derive(Debug, Clone, PartialEq)]
pub struct Clause {
    /// Its words.
    pub text: String,
    /// What it is about.
    pub about: About,
}

fn clause(text: impl Into<String>, about: About) -> Clause {
    Clause { text: text.into(), about }
}

impl Danger {
    /// As it is said.
    pub fn words(self) -> &'static str {
        match self {
            Self::Mixture => "mixture",
            Self::Knock => "knock",
            Self::ExhaustHeat => "exhaust temperature",
            Self::RailPressure => "rail pressure",
            Self::Smoke => "smoke (λ from below)",
            Self::Boost => "boost",
        }
    }

    /// What to fit so that it is watched.
    pub fn sensor(self) -> &'static str {
        match self {
            Self::Mixture | Self::Smoke => "a wide-band λ probe",
            Self::Knock => "knock retard with its knock level, from the engine computer",
            Self::ExhaustHeat => "an exhaust thermocouple",
            Self::RailPressure => "rail pressure, from the engine computer",
            Self::Boost => "manifold pressure",
        }
    }
}

/// Sentences of a recommendation, each a list of clauses.
pub fn recommendation(
    r: &Recommendation,
    sets: &[SetResult],
    limits: &[Limit],
    speech: &Speech<'_>,
) -> Vec<Vec<Clause>> {
    let w = Words { r, sets, limits, speech };
    let mut out = vec![w.head()];
    out.extend(w.runner_up());
    out.extend(w.more_but());
    out.extend(w.missing());
    out
}

struct Words<'a> {
    r: &'a Recommendation,
    sets: &'a [SetResult],
    limits: &'a [Limit],
    speech: &'a Speech<'a>,
}

impl Words<'_> {
    fn name(&self, set: usize) -> String {
        self.speech.set(&self.sets[set].id)
    }

    fn value(&self, v: f64) -> String {
        let (unit, k) = match self.r.wish.figure.unit() {
            "kW" => (self.speech.units.power.label(), self.speech.units.power.from_kw(1.0)),
            "N·m" => (self.speech.units.torque.label(), self.speech.units.torque.from_nm(1.0)),
            other => (other, 1.0),
        };
        format!("{:.1} {unit}", k * v)
    }

    fn gain(&self, c: &Candidate) -> Clause {
        let text = match (c.gain, c.interval) {
            (Some(g), Some([a, b])) => {
                format!("{} over the baseline ({} to {})", self.signed(g), self.signed(a), self.signed(b))
            }
            (Some(g), None) => format!("{} over the baseline, with no interval", self.signed(g)),
            (None, _) => "no gain that can be given".into(),
        };
        clause(text, About::Gain(c.set))
    }

    fn signed(&self, v: f64) -> String {
        format!("{}{}", if v < 0.0 { "−" } else { "+" }, self.value(v.abs()))
    }

    fn cost(&self, c: &Candidate) -> Clause {
        match &c.tightest {
            Some((id, share)) => {
                let label = self
                    .limits
                    .iter()
                    .find(|l| l.id == *id)
                    .map_or_else(|| id.clone(), |l| l.channel.label());
                let about = About::Limit { set: c.set, limit: id.clone() };
                clause(
                    format!(
                        "its tightest stop limit, {label}, has {:.0} % of its margin used",
                        100.0 * share.max(0.0)
                    ),
                    about,
                )
            }
            None => clause("no share of a margin is known", About::Nothing),
        }
    }

    fn head(&self) -> Vec<Clause> {
        let r = self.r;
        let plain = |text: &str| clause(text, About::Nothing);
        let Some(first) = r.first.map(|i| &r.candidates[i]) else {
            let mut out = vec![plain("No map can be recommended from what was measured.")];
            if r.candidates.iter().all(|c| c.barred.iter().any(|b| matches!(b, Barred::Unmonitored { .. }))) {
                out.push(plain(
                    " Every one of them is unmonitored: its gain can be shown, its margins cannot.",
                ));
            }
            return out;
        };
        let name = self.name(first.set);
        if r.base == r.first {
            return vec![
                plain("None of the maps whose stop limits are all clear makes more than the baseline: "),
                clause(name, About::Set(first.set)),
                plain(" stays."),
            ];
        }
        let (gain, cost) = (self.gain(first), self.cost(first));
        let smallest = self.value(r.wish.smallest);
        let mut out = match r.worth_it {
            Some(false) => vec![
                plain("Not worth it: the best of those whose stop limits are all clear, "),
                clause(name, About::Set(first.set)),
                plain(", makes "),
                gain,
                plain(&format!(", which is not shown to be more than the {smallest} that count; ")),
                cost,
                plain("."),
            ],
            _ => vec![
                clause(name, About::Set(first.set)),
                plain(" has the highest figure of those whose stop limits are all clear: "),
                gain,
                plain("; "),
                cost,
                plain("."),
            ],
        };
        if first.on_starting_points {
            out.push(plain(" It rests on starting points nobody has looked at for this engine."));
        }
        out
    }

    fn runner_up(&self) -> Option<Vec<Clause>> {
        let (r, up) = (self.r, self.r.runner_up?);
        let (a, b) = (&r.candidates[r.first?], &r.candidates[up.at]);
        let about = About::Versus(b.set, a.set);
        let text = match (up.ahead, up.interval) {
            (Some(d), Some([low, high])) if low > 0.0 => {
                format!(" is {} behind ({} to {})", self.value(d), self.value(low), self.value(high))
            }
            (Some(d), Some(_)) => {
                format!(" is not separated from it: {} behind, within the scatter", self.value(d))
            }
            (Some(d), None) => {
                format!(" is {} behind, and whether that is more than noise can't be told", self.value(d))
            }
            (None, _) => " follows".into(),
        };
        let mut cost = self.cost(b);
        cost.text = format!("; {}", cost.text);
        Some(vec![
            clause("Next, ", About::Nothing),
            clause(self.name(b.set), About::Set(b.set)),
            clause(text, about),
            cost,
            clause(".", About::Nothing),
        ])
    }

    /// Those that made more and are barred: what keeps them back.
    fn more_but(&self) -> Vec<Vec<Clause>> {
        let r = self.r;
        let least = r.first.and_then(|i| r.candidates[i].gain).unwrap_or(f64::MIN);
        let baseline = r.base.map(|i| r.candidates[i].set);
        // Where nothing is recommended the baseline's own reasons are reasons too.
        let is_told = |c: &&Candidate| {
            let told =
                if Some(c.set) == baseline { r.first.is_none() } else { c.gain.is_some_and(|g| g > least) };
            !c.barred.is_empty() && told
        };
        let more = r.candidates.iter().filter(is_told);
        more.map(|c| {
            let mut out = vec![clause(self.name(c.set), About::Set(c.set))];
            if Some(c.set) == baseline {
                out.push(clause(", the baseline: ", About::Nothing));
            } else {
                out.extend([clause(": ", About::Nothing), self.gain(c), clause(", but ", About::Nothing)]);
            }
            let said: Vec<&Barred> = c.barred.iter().filter(|b| !self.is_said(c, b)).collect();
            for (i, b) in said.into_iter().enumerate() {
                if i > 0 {
                    out.push(clause("; ", About::Nothing));
                }
                out.push(self.barred(c.set, b));
            }
            out.push(clause(".", About::Nothing));
            out
        })
        .collect()
    }

    /// What another clause says already: a gain without an interval, a danger whose own limit was not judged.
    fn is_said(&self, c: &Candidate, b: &Barred) -> bool {
        match b {
            Barred::NoInterval => c.interval.is_none() && c.barred.len() > 1,
            Barred::Unmonitored { danger } => c.barred.iter().any(|other| match other {
                Barred::NotClear { limit, .. } => self
                    .limits
                    .iter()
                    .any(|l| l.id == *limit && l.channel.kind().is_some_and(|k| k.name == danger.kind())),
                _ => false,
            }),
            _ => false,
        }
    }

    fn barred(&self, set: usize, b: &Barred) -> Clause {
        match b {
            Barred::NotClear { limit, verdict } => {
                let label = self
                    .limits
                    .iter()
                    .find(|l| l.id == *limit)
                    .map_or_else(|| limit.clone(), |l| l.channel.label());
                let said = match verdict {
                    Verdict::Over => "is over its limit",
                    Verdict::Close => "is close to its limit",
                    Verdict::CantTell => "can't be told",
                    Verdict::NotMeasured => "was not measured",
                    Verdict::NotReached => "was never reached",
                    Verdict::Clear => "is clear",
                };
                clause(format!("{label} {said}"), About::Limit { set, limit: limit.clone() })
            }
            Barred::Unmonitored { danger } => {
                clause(format!("{} was not monitored", danger.words()), About::Nothing)
            }
            Barred::SensorUnwatched { channel } => clause(
                format!("{} was logged and no stop limit watches it", channel.label()),
                About::Sensor(channel.clone()),
            ),
            Barred::NoInterval => clause("its gain has no interval", About::Gain(set)),
            Barred::Provisional => {
                clause("its interval is the cell's habit, not this day's scatter", About::Gain(set))
            }
        }
    }

    fn missing(&self) -> Vec<Vec<Clause>> {
        let each = |(d, logged): &(Danger, Option<Channel>)| {
            let what = format!("{} was not watched in any of them: it takes ", sentence_case(d.words()));
            let (text, about) = match logged {
                Some(c) => {
                    (format!("a stop limit on {}, which is logged", c.label()), About::Sensor(c.clone()))
                }
                None => (format!("{}, and a stop limit on it", d.sensor()), About::Nothing),
            };
            let rest = ", before a map can be recommended.";
            vec![clause(what, About::Nothing), clause(text, about), clause(rest, About::Nothing)]
        };
        self.r.unwatched.iter().map(each).collect()
    }
}
