//! Faults planted in one set of a day: how often the analysis says so, and how often it says so of pulls that
//! have none.

use super::found::Found;
use super::{Share, Subject, hardware};
use jamjar_core::analysis::{Beside, CouplingKind, Measured, PullInput, belt, coupling};
use jamjar_core::limits::Verdict;
use jamjar_core::pull::span::EndedBy;
use jamjar_formats::read_log;
use jamjar_sim::{FaultKind, FaultSpec, SimPull};
use rayon::prelude::*;

/// Whether it was said of each planted pull of a day, and of each other.
struct Said {
    planted: Vec<f64>,
    other: Vec<f64>,
}

/// A kind with where it is planted and what counts as finding it.
struct Case {
    kind: FaultKind,
    scenario: &'static str,
    /// Pulls of the second set it is planted in.
    pulls: &'static [usize],
    said_by: &'static str,
    says: fn(&Seen<'_>) -> bool,
    /// The limit that is truly crossed or not, as instruments without noise or steps show; half a size may not cross it.
    crosses: Option<&'static str>,
}

/// A measured pull beside its recordings.
struct Seen<'a> {
    m: &'a Measured,
    input: &'a PullInput,
}

impl Seen<'_> {
    fn beside(&self) -> Beside<'_> {
        Beside { dyno: &self.input.dyno, ecu: self.input.ecu.as_deref().zip(self.m.alignment.usable_lag()) }
    }

    /// How engine and shaft go together, when they part by more than 2 %.
    fn coupled(&self, kind: CouplingKind) -> bool {
        self.m
            .span
            .and_then(|s| coupling(&self.beside(), s.from_s, s.to_s, Some(self.m.ratio)))
            .is_some_and(|c| c.kind == kind && c.worst > 0.02)
    }
}

fn flag(m: &Measured, kind: &str) -> bool {
    m.flags.iter().any(|f| f.kind() == kind)
}

fn limit(m: &Measured, id: &str, verdicts: &[Verdict]) -> bool {
    m.limits.iter().any(|l| l.limit == id && verdicts.contains(&l.verdict))
}

fn ratio_off(m: &Measured, from: f64, to: f64) -> bool {
    flag(m, "ratio_differs")
        && m.alignment.measured_ratio.is_some_and(|k| (from..to).contains(&(k / m.ratio - 1.0).abs()))
}

fn ended(m: &Measured, by: EndedBy) -> bool {
    m.span.is_some_and(|s| s.ended_by == by)
}

const CASES: &[Case] = &[
    Case {
        kind: FaultKind::HeatSoak,
        scenario: "first-light",
        pulls: &[3],
        said_by: "flag “heat soak”",
        says: |Seen { m, .. }| flag(m, "heat_soak"),
        crosses: None,
    },
    Case {
        kind: FaultKind::WrongGear,
        scenario: "first-light",
        pulls: &[2],
        said_by: "flag on the ratio",
        says: |Seen { m, .. }| ratio_off(m, 0.08, 9.0),
        crosses: None,
    },
    Case {
        kind: FaultKind::TyreSlip,
        scenario: "brae",
        pulls: &[1, 2, 3],
        said_by: "flag on the ratio, named slip",
        says: |Seen { m, .. }| ratio_off(m, 0.01, 0.08),
        crosses: None,
    },
    Case {
        kind: FaultKind::ConverterSlip,
        scenario: "brae",
        pulls: &[1, 2, 3],
        said_by: "flag on the ratio, named slip",
        says: |Seen { m, .. }| ratio_off(m, 0.01, 0.08),
        crosses: None,
    },
    Case {
        kind: FaultKind::Knock,
        scenario: "first-light",
        pulls: &[1, 2, 3],
        said_by: "knock limit over or close",
        says: |Seen { m, .. }| limit(m, "knock", &[Verdict::Over, Verdict::Close]),
        crosses: Some("knock"),
    },
    Case {
        kind: FaultKind::WeakCylinder,
        scenario: "quillet",
        pulls: &[1, 2, 3, 4],
        said_by: "λ limit of that cylinder over",
        says: |Seen { m, .. }| limit(m, "lean-1", &[Verdict::Over]),
        crosses: Some("lean-1"),
    },
    Case {
        kind: FaultKind::LeanExcursion,
        scenario: "quillet",
        pulls: &[1, 2, 3, 4],
        said_by: "λ limit over",
        says: |Seen { m, .. }| limit(m, "lean-1", &[Verdict::Over]),
        crosses: Some("lean-1"),
    },
    Case {
        kind: FaultKind::FuelPumpSag,
        scenario: "first-light",
        pulls: &[1, 2, 3],
        said_by: "λ limit over",
        says: |Seen { m, .. }| limit(m, "lean", &[Verdict::Over]),
        crosses: Some("lean"),
    },
    Case {
        kind: FaultKind::ExhaustHeat,
        scenario: "first-light",
        pulls: &[1, 2, 3],
        said_by: "exhaust temperature limit over",
        says: |Seen { m, .. }| limit(m, "egt", &[Verdict::Over]),
        crosses: Some("egt"),
    },
    Case {
        kind: FaultKind::SmallInjectors,
        scenario: "first-light",
        pulls: &[1, 2, 3],
        said_by: "duty limit over",
        says: |Seen { m, .. }| limit(m, "duty", &[Verdict::Over]),
        crosses: Some("duty"),
    },
    Case {
        kind: FaultKind::DeafKnockControl,
        scenario: "first-light",
        pulls: &[1, 2, 3],
        said_by: "knock limit “can't tell”",
        says: |Seen { m, .. }| limit(m, "knock", &[Verdict::CantTell]),
        crosses: None,
    },
    Case {
        kind: FaultKind::SaturatedLambda,
        scenario: "first-light",
        pulls: &[1, 2, 3],
        said_by: "λ limit “can't tell”",
        says: |Seen { m, .. }| limit(m, "lean", &[Verdict::CantTell]),
        crosses: None,
    },
    Case {
        kind: FaultKind::FrozenLambda,
        scenario: "first-light",
        pulls: &[2],
        said_by: "λ limit “can't tell”",
        says: |Seen { m, .. }| limit(m, "lean", &[Verdict::CantTell]),
        crosses: None,
    },
    Case {
        kind: FaultKind::ClockDrift,
        scenario: "first-light",
        pulls: &[2],
        said_by: "clock rate over 1000 ppm, or another rate than the job's others",
        says: |Seen { m, .. }| {
            m.alignment.drift_ppm.is_some_and(|d| d.abs() > 1000.0)
                || m.alignment.rate_ppm.is_some_and(|d| d.abs() > 1000.0)
        },
        crosses: None,
    },
    Case {
        kind: FaultKind::BeltSlip,
        scenario: "brae",
        pulls: &[1, 2, 3],
        said_by: "blower speed against its belt",
        says: |s| {
            s.m.span
                .and_then(|p| belt(&s.beside(), p.from_s, p.to_s))
                .is_some_and(|b| matches!(b.kind, CouplingKind::BeltSlip { .. }))
        },
        crosses: None,
    },
    Case {
        kind: FaultKind::TyreSlip,
        scenario: "brae",
        pulls: &[1, 2, 3],
        said_by: "coupling named slip of more than 2 %, where the clocks agree",
        says: |s| s.coupled(CouplingKind::Slip),
        crosses: None,
    },
    Case {
        kind: FaultKind::MisplacedUnit,
        scenario: "first-light",
        pulls: &[2],
        said_by: "question or note at import",
        says: |_| false,
        crosses: None,
    },
    Case {
        kind: FaultKind::LimiterCut,
        scenario: "first-light",
        pulls: &[2],
        said_by: "ended by rev limiter",
        says: |Seen { m, .. }| ended(m, EndedBy::RevLimiter),
        crosses: None,
    },
    Case {
        kind: FaultKind::SpeedLimiter,
        scenario: "quillet",
        pulls: &[2],
        said_by: "ended by speed limiter",
        says: |Seen { m, .. }| ended(m, EndedBy::SpeedLimiter),
        crosses: None,
    },
    Case {
        kind: FaultKind::AbortedPull,
        scenario: "first-light",
        pulls: &[2],
        said_by: "ended by abort",
        says: |Seen { m, .. }| ended(m, EndedBy::Abort),
        crosses: None,
    },
    Case {
        kind: FaultKind::SoftwareOverwritten,
        scenario: "marrow",
        pulls: &[2],
        said_by: "flag: its targets are not those of the map's other pulls",
        says: |Seen { m, .. }| flag(m, "other_targets"),
        crosses: None,
    },
    Case {
        kind: FaultKind::WrongFuel,
        scenario: "first-light",
        pulls: &[1, 2, 3],
        said_by: "λ limit over (a map without a fuel sensor)",
        says: |Seen { m, .. }| limit(m, "lean", &[Verdict::Over]),
        crosses: None,
    },
];

/// Kinds a study is of: all of them for `faults`, the one of that id else.
pub fn kinds(study: &str) -> Vec<FaultKind> {
    FaultKind::ALL.into_iter().filter(|k| study == "faults" || k.id() == study).collect()
}

/// Runs every case over `seeds` days; kinds that nothing claims to find are listed without figures.
///
/// # Errors
/// A sentence when a built-in scenario is broken.
pub fn study(seeds: usize) -> Result<Vec<Found>, String> {
    study_of(&FaultKind::ALL, seeds)
}

/// The same of some kinds alone.
///
/// # Errors
/// As [`study`].
pub fn study_of(kinds: &[FaultKind], seeds: usize) -> Result<Vec<Found>, String> {
    let mut out = Vec::new();
    for &kind in kinds {
        let before = out.len();
        for c in CASES.iter().filter(|c| c.kind == kind) {
            out.push(one(c, seeds)?);
        }
        out.extend(hardware::of(kind, seeds)?);
        if out.len() == before {
            let (size, meaning) = kind.size();
            out.push(Found {
                kind,
                size,
                meaning,
                said_by: None,
                recall: None,
                recall_half: None,
                false_alarms: None,
                pulls: 0,
            });
        }
    }
    Ok(out)
}

fn one(c: &Case, seeds: usize) -> Result<Found, String> {
    let subject = Subject::new(c.scenario)?;
    let run = |size: Option<f64>| -> Result<Vec<Said>, String> {
        (0..seeds as u64).into_par_iter().map(|seed| one_day(&subject, c, size, 3000 + seed)).collect()
    };
    let days = run(None)?;
    let share = |v: Vec<f64>| (!v.is_empty()).then(|| Share::clustered(&v));
    let mean = |v: &Vec<f64>| (!v.is_empty()).then(|| v.iter().sum::<f64>() / v.len() as f64);
    let (size, meaning) = c.kind.size();
    let recall_half = match c.kind.half() {
        Some(h) => share(run(Some(h))?.iter().filter_map(|d| mean(&d.planted)).collect()).map(|s| (h, s)),
        None => None,
    };
    Ok(Found {
        recall_half,
        kind: c.kind,
        size,
        meaning,
        said_by: Some(c.said_by),
        recall: share(days.iter().filter_map(|d| mean(&d.planted)).collect()),
        false_alarms: share(days.iter().filter_map(|d| mean(&d.other)).collect()),
        pulls: days.iter().map(|d| d.planted.len()).sum(),
    })
}

/// Whether it was said of each planted pull, and of each other.
fn one_day(subject: &Subject, c: &Case, size: Option<f64>, seed: u64) -> Result<Said, String> {
    let mut said_of = Said { planted: Vec::new(), other: Vec::new() };
    let crossed = match c.crosses.filter(|_| size.is_some()) {
        Some(id) => Some(day_of(subject, c, size, seed, true, |_, m, _| Ok(limit(m, id, &[Verdict::Over])))?),
        None => None,
    };
    let said = day_of(subject, c, size, seed, false, |seen, m, p| match c.kind {
        FaultKind::MisplacedUnit => asked_at_import(subject, p),
        _ => Ok((c.says)(&Seen { m, input: seen })),
    })?;
    for (k, set) in said.into_iter().enumerate() {
        for (i, said) in set.into_iter().enumerate() {
            if k == 1 && c.pulls.contains(&(i + 1)) {
                if crossed.as_ref().is_none_or(|x| x[k][i]) {
                    said_of.planted.push(f64::from(u8::from(said)));
                }
            } else {
                said_of.other.push(f64::from(u8::from(said)));
            }
        }
    }
    Ok(said_of)
}

/// What a question answers of each pull of each of the two sets of a day; `exact` runs it with instruments without
/// noise, steps or losses.
fn day_of(
    subject: &Subject,
    c: &Case,
    size: Option<f64>,
    seed: u64,
    exact: bool,
    asks: impl Fn(&PullInput, &Measured, &SimPull) -> Result<bool, String>,
) -> Result<Vec<Vec<bool>>, String> {
    let mut l = subject.loaded.clone();
    if exact {
        super::without_noise(&mut l.scenario);
    }
    l.scenario.day.truncate(1);
    let d = &mut l.scenario.day[0];
    d.set.truncate(2);
    d.set[1].fault = vec![FaultSpec {
        cylinder: Some(1),
        map: (c.kind == FaultKind::SoftwareOverwritten).then(|| "M2".to_owned()),
        fuel: (c.kind == FaultKind::WrongFuel).then(|| "E30".to_owned()),
        ..FaultSpec::new(c.kind, c.pulls, size)
    }];
    if c.kind == FaultKind::BeltSlip {
        // The buggy's belt is at its limit as it comes: the pulls without the fault get grip to spare.
        d.set[0].fault = vec![FaultSpec::new(c.kind, &[], Some(-2.0))];
    }
    if c.kind == FaultKind::WrongFuel {
        l.maps.values_mut().for_each(|m| {
            m.scalars.remove("flex_sensor");
        });
    }
    let run = l.run(Some(seed), None)?;
    let (sets, measured) = subject.measure(&run.days[0])?;
    let of_set = |k: usize| {
        let each = run.days[0].sets[k].pulls.iter().zip(&measured[k]).enumerate();
        each.map(|(i, (p, m))| asks(&sets[k].pulls[i], m, p)).collect::<Result<Vec<bool>, String>>()
    };
    (0..sets.len()).map(of_set).collect()
}

/// Whether reading the engine computer's file leaves a question, or a note that a unit is doubted.
fn asked_at_import(subject: &Subject, p: &SimPull) -> Result<bool, String> {
    let Some(e) = &p.ecu else { return Ok(false) };
    let r = read_log(e.bytes.as_slice(), &e.name, &subject.mapping).map_err(|e| e.to_string())?;
    Ok(r.questions.iter().any(|q| q.channel.as_str() == "manifold_pressure"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_study_of_faults_is_of_all_of_them_or_of_one() {
        assert_eq!(kinds("faults").len(), FaultKind::ALL.len());
        assert_eq!(kinds("boost_leak"), [FaultKind::BoostLeak]);
        assert!(kinds("fitted").is_empty() && kinds("boost leak").is_empty());
    }
}
