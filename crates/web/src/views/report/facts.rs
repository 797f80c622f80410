//! The appendix of a sheet: in what state sets were pulled, which pulls counted, which limits held.

use crate::prefs::Prefs;
use crate::views::common::{air_words, cylinder_words};
use crate::views::day::fill;
use crate::views::lineup::name_of;
use jamjar_core::air::AirState;
use jamjar_core::analysis::Measured;
use jamjar_core::calculators::kind::Kind;
use jamjar_core::factors::tank::{Fill, in_tank};
use jamjar_core::limits::{Limit, Severity};
use jamjar_core::words::{gate_words, limit_rule, tank_sentence};
use jamjar_store::{Pour, SetWithPulls};
use jamjar_workflow::report::Part;
use std::sync::Arc;

/// In what state a set was pulled: name of a fact and what it was.
pub(crate) struct SetFacts {
    pub(crate) name: String,
    pub(crate) facts: Vec<(&'static str, String)>,
}

/// A pull: which it is, its peak, how it ended, and whether it counts.
pub(crate) struct PullFacts {
    pub(crate) set: String,
    pub(crate) number: usize,
    pub(crate) peak: String,
    pub(crate) ended_by: &'static str,
    /// Blank where it counts.
    pub(crate) left_out: String,
}

/// A limit as it held.
pub(crate) struct LimitFacts {
    pub(crate) label: String,
    pub(crate) rule: String,
    pub(crate) gate: String,
    pub(crate) severity: &'static str,
    pub(crate) source: String,
}

/// Lowest and highest of what some pulls have.
pub(super) fn span(of: impl Iterator<Item = f64>) -> Option<[f64; 2]> {
    of.filter(|v| v.is_finite())
        .fold(None, |s: Option<[f64; 2]>, v| Some(s.map_or([v, v], |[a, b]| [a.min(v), b.max(v)])))
}

/// "590", or "580 to 600".
fn from_to(s: [f64; 2], digits: usize) -> String {
    let [a, b] = s.map(|v| format!("{v:.digits$}"));
    if a == b { a } else { format!("{a} to {b}") }
}

/// The air of its pulls: that of the middle one, for a day's air moves little.
fn air(pulls: &[Arc<Measured>]) -> Option<AirState> {
    let all: Vec<AirState> = pulls.iter().filter_map(|m| m.air).collect();
    all.get(all.len() / 2).copied()
}

/// What was in the tank when its first pull began, where anybody wrote down what was poured.
fn in_its_tank(s: &SetWithPulls, poured: &[Pour], prefs: &Prefs) -> Option<String> {
    let began = s.pulls.iter().filter_map(|p| p.0.started_at).min()?;
    let before = poured.iter().filter(|p| (p.date, p.at) <= (s.set.date, began));
    let fills: Vec<Fill> = before.map(fill).collect();
    in_tank(&fills).map(|t| tank_sentence(&t, prefs.volume))
}

/// Facts of the set with that number; blank ones are left out, and what nobody measured is said as that.
pub(super) fn set_facts(p: &Part, i: usize, prefs: &Prefs) -> SetFacts {
    let (l, s) = (&*p.line_up, &p.line_up.sets[i]);
    let (c, pulls) = (&s.set.config, &l.measured[i]);
    let measured = |what: Option<String>| what.unwrap_or_else(|| "not measured".into());
    let said = |what: &str| if what.is_empty() { "not said".to_owned() } else { what.to_owned() };
    let ethanol = match (s.set.fuel.kind, s.set.fuel.ethanol) {
        (Some(kind @ (Kind::Methanol | Kind::Diesel)), _) => format!("{}, {}", c.fuel, kind.label()),
        (_, Some(e)) => format!("{}, ethanol {:.0} %", c.fuel, 100.0 * e),
        (_, None) => format!("{}, ethanol not measured", c.fuel),
    };
    let hash = p.lineage.tree.iter().find(|m| m.map.name == c.map).and_then(|m| m.map.file.as_ref());
    let map = match hash {
        Some(f) => format!("{}, file {}", c.map, &f.sha256[..f.sha256.len().min(16)]),
        None => format!("{}, its file is not in custody", c.map),
    };
    let dyno = l.vehicle.vehicle.dyno.kind.place();
    let mut facts = vec![
        ("day", format!("{}, {}", prefs.written.date(s.set.date), said(&s.set.cell))),
        ("map", map),
        ("fuel", ethanol),
        ("build", said(&c.build)),
        ("boost", said(&c.boost)),
        ("gear", said(&c.gear)),
        ("air", measured(air(pulls).map(|a| air_words(&a, prefs)))),
        (
            "ramp",
            measured(
                span(pulls.iter().filter_map(|m| m.rate_rpm_s)).map(|s| format!("{} rpm/s", from_to(s, 0))),
            ),
        ),
        (
            "start",
            measured(
                span(pulls.iter().filter_map(|m| m.grid.rpm.first().copied()))
                    .map(|s| format!("{} rpm", from_to(s, 0))),
            ),
        ),
        ("mounting", format!("measured {dyno}, engine turns {} times the dyno", from_to(ratio(pulls), 3))),
    ];
    if let Some(tank) = in_its_tank(s, &p.poured, prefs) {
        facts.insert(3, ("tank", tank));
    }
    for (k, v) in c.factors() {
        if !["map", "fuel", "boost", "gear", "build"].contains(&k.as_str()) {
            facts.push(("also", format!("{} {v}", k.replace('_', " "))));
        }
    }
    if let Some(why) = &s.set.invalid {
        facts.push(("left out", why.clone()));
    }
    SetFacts { name: name_of(l, i), facts }
}

fn ratio(pulls: &[Arc<Measured>]) -> [f64; 2] {
    span(pulls.iter().map(|m| m.ratio)).unwrap_or([1.0; 2])
}

/// Every pull of every set.
pub(super) fn pull_facts(p: &Part, prefs: &Prefs) -> Vec<PullFacts> {
    let l = &*p.line_up;
    let mut out = Vec::new();
    for (i, s) in l.sets.iter().enumerate() {
        let r = &l.results[i];
        for (k, (pull, _)) in s.pulls.iter().enumerate() {
            let peak = r.pull_figures.get(k).and_then(|f| f.peak_power);
            let counted = r.included.get(k).copied().unwrap_or(false);
            let left_out = match p.left_out.get(&pull.id) {
                Some(x) => format!(
                    "{} ({})",
                    x.reason.as_deref().unwrap_or("no reason said"),
                    x.by.as_deref().unwrap_or("nobody said who")
                ),
                None if counted => String::new(),
                None => l.measured[i]
                    .get(k)
                    .and_then(|m| m.excluded.clone())
                    .unwrap_or_else(|| "no figure".into()),
            };
            out.push(PullFacts {
                set: name_of(l, i),
                number: k + 1,
                peak: peak.map_or_else(
                    || "no figure".into(),
                    |x| {
                        format!("{:.1} {} at {:.0}", prefs.power.from_kw(x.value), prefs.power.label(), x.rpm)
                    },
                ),
                ended_by: l.measured[i]
                    .get(k)
                    .and_then(|m| m.span)
                    .map_or("not known", |s| s.ended_by.label()),
                left_out,
            });
        }
    }
    out
}

/// Every limit, as it held when the sheet was made.
pub(super) fn limit_facts(p: &Part, prefs: &Prefs) -> Vec<LimitFacts> {
    let v = &p.line_up.vehicle;
    let of = |l: &Limit| LimitFacts {
        label: cylinder_words(&l.channel, &v.sheet.cylinders),
        rule: limit_rule(l, prefs.units()),
        gate: gate_words(l),
        severity: match l.severity {
            Severity::Stop => "stop",
            Severity::Caution => "caution",
        },
        source: if l.starting_point {
            "a starting point nobody has looked at for this engine".into()
        } else {
            l.source.clone().filter(|s| !s.is_empty()).unwrap_or_else(|| "not said".into())
        },
    };
    v.limits.iter().map(of).collect()
}
