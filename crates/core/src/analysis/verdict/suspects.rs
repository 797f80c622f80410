//! Hardware that may have changed between two sets of one configuration, from the channels that tell: shaft speed
//! and gate at equal boost, depression before the compressor, overshoot, the coast after the lift. What cannot be
//! told apart is named together.

use crate::analysis::measured::{Tells, ToldLevel};
use crate::analysis::set::{Figure, SetResult};
use crate::stats::drift::{Observation, ancova};
use crate::stats::two_sets::{compare, mean, mean_of};

/// Boost from which shaft speed and gate are compared, kPa gauge (our choice: below it both are mostly noise).
const BOOST_FROM_KPA: f64 = 30.0;
/// Manifold pressures this close count as equal, kPa (our choice).
const EQUAL_KPA: f64 = 6.0;
/// A difference is claimed from this p value down (our choice: seven signs are looked at, and a false alarm sends
/// somebody looking for a leak).
const CLAIM_P: f64 = 0.02;
/// Smallest differences that are claimed, whatever their p value (our choice: beyond what heat and control do):
/// shares of shaft speed, depression and coast, points of the gate's duty, kPa.
const LEAST_SHAFT: f64 = 0.015;
const LEAST_DEPRESSION: f64 = 0.3;
const LEAST_DEPRESSION_KPA: f64 = 0.7;
const LEAST_COAST: f64 = 0.03;
const LEAST_GATE: f64 = 4.0;
const LEAST_OVER_KPA: f64 = 5.0;
const LEAST_SPOOL_RPM: f64 = 150.0;
/// Share of peak power whose loss is worth a search, and the p value of a loss beyond it that is said (our choice: one
/// side of a 95 % interval; pulls of a day that warms lose up to one per cent by that alone).
const LEAST_LOSS: f64 = 0.01;
const LOSS_P: f64 = 0.05;
/// Oil this much colder drags by itself, °C (our choice).
const OIL_C: f64 = 8.0;

/// What may be wrong.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
#[allow(missing_docs)]
pub enum Suspect {
    BoostLeak,
    DirtyFilter,
    LazyWastegate,
    ExhaustLeak,
    LowTyrePressure,
    /// Heat, air that a correction does not make up for, or another mounting: no hardware at all.
    Heat,
}

/// What told: the candidate against the base.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Sign {
    /// Turbo speed at equal pressure ratio is higher by this share.
    ShaftSpeed(f64),
    /// The same once the depression before the compressor is reckoned in.
    ShaftSpeedBehindFilter(f64),
    /// The gate is driven further shut at equal boost, percentage points.
    Gate(f64),
    /// Depression before the compressor at equal boost, kPa each.
    Depression([f64; 2]),
    /// The charger has spooled later, its gate driven shut until then, rpm each.
    Spool([f64; 2]),
    /// Boost over its target soon after it had arrived, kPa each.
    Overshoot([f64; 2]),
    /// The drum slows faster after the lift by this share.
    Coast(f64),
    /// Less power, kW at peak.
    LessPower(f64),
}

/// A channel or test that would tell suspects apart.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum WouldTell {
    TurboSpeed,
    Depression,
    GateDuty,
    LeakTest,
    CoastDown,
}

/// One or several suspects: several are not told apart.
#[derive(Debug, Clone, PartialEq)]
pub struct Suspicion {
    /// One is claimed; several cannot be told apart.
    pub suspects: Vec<Suspect>,
    /// What told.
    pub signs: Vec<Sign>,
    /// What would tell more.
    pub would_tell: Vec<WouldTell>,
}

/// What drives the candidate's suspicion: what the vehicle has.
#[derive(Debug, Clone, Copy)]
pub struct Has {
    /// A turbocharger.
    pub turbo: bool,
    /// Tyres between vehicle and dyno.
    pub tyres: bool,
}

/// Looks at two sets of one configuration: nothing that was stated differs.
///
/// # Formula
/// `q = ln(N/√(T/298 K)) − ½·ln(p_m/p_1 − 1)`: shaft speed at equal pressure ratio, mean over the engine speeds where
/// every pull holds 30 kPa gauge; sets by a pooled t test of their pulls
///
/// where
/// - `N`: turbo speed, rpm; `T`: ambient temperature, K; `p_m`: manifold pressure, `p_1`: pressure before the
///   compressor, kPa (head of a compressor goes with the square of its corrected speed; domain, sections 9 and 13).
pub fn suspicions(a: &SetResult, b: &SetResult, has: Has) -> Vec<Suspicion> {
    let pair =
        Pair { base: a.tells.iter().flatten().collect(), candidate: b.tells.iter().flatten().collect() };
    let mut out = Vec::new();
    if has.turbo {
        out.extend(charging(&pair));
    } else if let Some(s) = pair.depression().filter(|d| d.found) {
        out.push(Suspicion {
            suspects: vec![Suspect::DirtyFilter],
            signs: vec![Sign::Depression(s.means)],
            would_tell: Vec::new(),
        });
    }
    out.extend(rolling(&pair));
    if out.is_empty()
        && let Some(kw) = lost(a, b)
    {
        out.extend(unexplained(&pair, has, kw));
    }
    out
}

/// Peak power lost, kW, negative, where the interval of the loss leaves more than is worth a search: a loss that is no
/// more than estimated to be that large may be a warmer day. Sets that were mounted anew may differ by that alone: it is
/// named among the suspects.
fn lost(a: &SetResult, b: &SetResult) -> Option<f64> {
    let (x, y) = (&a.figure(Figure::PeakPower).values, &b.figure(Figure::PeakPower).values);
    lost_between(x, y)
}

fn lost_between(x: &[f64], y: &[f64]) -> Option<f64> {
    let least = LEAST_LOSS * mean(x);
    let worth: Vec<f64> = x.iter().map(|v| v - least).collect();
    let beyond = compare(&worth, y).ok().filter(|_| x.len() >= 2 && y.len() >= 2)?;
    (beyond.difference < 0.0 && (beyond.p < LOSS_P || beyond.p.is_nan())).then_some(beyond.difference - least)
}

/// What the charger's channels say together.
fn charging(p: &Pair<'_>) -> Option<Suspicion> {
    let (shaft, gate, over) = (p.shaft(false), p.gate(), p.overshoot());
    let depression = p.depression();
    let mut signs = Vec::new();
    let mut suspects = Vec::new();
    if let Some(d) = depression.filter(|d| d.found) {
        suspects.push(Suspect::DirtyFilter);
        signs.push(Sign::Depression(d.means));
    }
    if let Some(s) = shaft.filter(|s| s.found) {
        signs.push(Sign::ShaftSpeed(s.by.exp_m1()));
        match p.shaft(true) {
            // Reckoned from behind the filter, what is left is not the filter's.
            Some(behind) if behind.found => {
                suspects.push(Suspect::BoostLeak);
                if depression.is_some_and(|d| d.found) {
                    signs.push(Sign::ShaftSpeedBehindFilter(behind.by.exp_m1()));
                }
            }
            Some(_) => {}
            None => {
                let both = vec![Suspect::BoostLeak, Suspect::DirtyFilter];
                signs.extend(gate.filter(|g| g.found).map(|g| Sign::Gate(g.by)));
                let would_tell = vec![WouldTell::Depression, WouldTell::LeakTest];
                return Some(Suspicion { suspects: both, signs, would_tell });
            }
        }
    }
    if let Some(o) = over.filter(|o| o.found) {
        suspects.push(Suspect::LazyWastegate);
        signs.push(Sign::Overshoot(o.means));
    }
    let late = p.spool().filter(|s| s.found);
    signs.extend(late.map(|s| Sign::Spool(s.means)));
    signs.extend(gate.filter(|g| g.found).map(|g| Sign::Gate(g.by)));
    if suspects.is_empty() && (late.is_some() || gate.is_some_and(|g| g.found)) {
        return Some(before_the_turbine(shaft.is_some(), depression.is_some(), signs));
    }
    // Each of these was told by a channel of its own.
    (!suspects.is_empty()).then(|| Suspicion { suspects, signs, would_tell: Vec::new() })
}

/// Boost takes more of the gate, or longer, and no channel told why: what can be left.
fn before_the_turbine(shaft_logged: bool, depression_logged: bool, signs: Vec<Sign>) -> Suspicion {
    if shaft_logged {
        // The shaft turns as it did at equal pressure: what is lost is lost before the turbine.
        let suspects = vec![Suspect::LazyWastegate, Suspect::ExhaustLeak];
        return Suspicion { suspects, signs, would_tell: vec![WouldTell::LeakTest] };
    }
    let mut suspects = vec![Suspect::BoostLeak, Suspect::LazyWastegate, Suspect::ExhaustLeak];
    let mut would_tell = vec![WouldTell::TurboSpeed, WouldTell::LeakTest];
    if !depression_logged {
        suspects.push(Suspect::DirtyFilter);
        would_tell.insert(1, WouldTell::Depression);
    }
    Suspicion { suspects, signs, would_tell }
}

/// What the coast after the lift says.
fn rolling(p: &Pair<'_>) -> Option<Suspicion> {
    let oil = |t: &[&Tells]| all_mean(t.iter().map(|t| t.oil_c));
    if let Some((x, y)) = oil(&p.base).zip(oil(&p.candidate))
        && y < x - OIL_C
    {
        return None;
    }
    let c = p.coast().filter(|c| c.found)?;
    Some(Suspicion {
        suspects: vec![Suspect::LowTyrePressure],
        signs: vec![Sign::Coast(c.by.exp_m1())],
        would_tell: Vec::new(),
    })
}

/// Power is lost and no channel that was logged tells why: what those that are missing could.
fn unexplained(p: &Pair<'_>, has: Has, kw: f64) -> Option<Suspicion> {
    let (mut suspects, mut would_tell) = (Vec::new(), Vec::new());
    let mut add = |missing: bool, s: Suspect, w: WouldTell| {
        if missing {
            suspects.push(s);
            would_tell.push(w);
        }
    };
    add(has.turbo && p.shaft(false).is_none(), Suspect::BoostLeak, WouldTell::TurboSpeed);
    add(has.turbo && p.overshoot().is_none(), Suspect::LazyWastegate, WouldTell::GateDuty);
    add(p.depression().is_none(), Suspect::DirtyFilter, WouldTell::Depression);
    add(has.tyres && p.coast().is_none(), Suspect::LowTyrePressure, WouldTell::CoastDown);
    if suspects.is_empty() {
        return None;
    }
    suspects.insert(0, Suspect::Heat);
    Some(Suspicion { suspects, signs: vec![Sign::LessPower(kw)], would_tell })
}

/// One sign over the pulls of both sets.
#[derive(Debug, Clone, Copy)]
struct Found {
    /// Candidate less base, in the sign's own measure.
    by: f64,
    /// Means of both.
    means: [f64; 2],
    /// Large and certain enough to be said.
    found: bool,
}

struct Pair<'a> {
    base: Vec<&'a Tells>,
    candidate: Vec<&'a Tells>,
}

impl Pair<'_> {
    fn all(&self) -> impl Iterator<Item = &Tells> {
        self.base.iter().chain(&self.candidate).copied()
    }

    /// A value of every pull of both; `None` where one of them has none or there are fewer than two each.
    fn judged(
        &self,
        value: impl Fn(&Tells) -> Option<f64>,
        is_large: impl Fn(f64, [f64; 2]) -> bool,
    ) -> Option<Found> {
        let of =
            |t: &[&Tells]| t.iter().map(|t| value(t)).collect::<Option<Vec<f64>>>().filter(|v| v.len() >= 2);
        let (x, y) = (of(&self.base)?, of(&self.candidate)?);
        let r = compare(&x, &y).ok()?;
        let means = [mean(&x), mean(&y)];
        let found = is_certain(r.difference, r.p) && is_large(r.difference, means);
        Some(Found { by: r.difference, means, found })
    }

    /// Engine speeds, rpm, where every pull has a value above the least boost, and the two sets' pressures are equal
    /// if that is asked.
    fn boosted(&self, equal: bool) -> Vec<f64> {
        let Some(first) = self.base.first() else { return Vec::new() };
        let held = |t: &Tells, rpm: f64| {
            let gauge = at(t, t.manifold.as_ref(), rpm)? - t.ambient?[0];
            (gauge >= BOOST_FROM_KPA).then_some(())
        };
        let level = |t: &[&Tells], rpm: f64| all_mean(t.iter().map(|t| at(t, t.manifold.as_ref(), rpm)));
        let is_equal = |rpm: f64| {
            let both = level(&self.base, rpm).zip(level(&self.candidate, rpm));
            both.is_some_and(|(x, y)| (x - y).abs() <= EQUAL_KPA)
        };
        let rpm = first.rpm.iter().copied();
        rpm.filter(|r| self.all().all(|t| held(t, *r).is_some()) && (!equal || is_equal(*r))).collect()
    }

    fn shaft(&self, behind_filter: bool) -> Option<Found> {
        let speeds = self.boosted(false);
        let q = |t: &Tells| {
            mean_at(&speeds, |rpm| {
                let [ambient, warm] = t.ambient?;
                let lost = if behind_filter { at(t, t.depression.as_ref(), rpm)? } else { 0.0 };
                let ratio = at(t, t.manifold.as_ref(), rpm)? / (ambient - lost);
                let n = at(t, t.shaft.as_ref(), rpm)?;
                (n > 0.0 && ratio > 1.0)
                    .then(|| (n / ((warm + 273.15) / 298.0).sqrt()).ln() - 0.5 * (ratio - 1.0).ln())
            })
        };
        self.judged(q, |by, _| by >= LEAST_SHAFT)
    }

    fn gate(&self) -> Option<Found> {
        let speeds = self.boosted(true);
        self.judged(|t| mean_at(&speeds, |rpm| at(t, t.gate.as_ref(), rpm)), |by, _| by >= LEAST_GATE)
    }

    /// Depression goes with the square of the air, and air with pressure at one engine speed: it is compared as at
    /// the base's pressure.
    fn depression(&self) -> Option<Found> {
        let first = self.base.first()?;
        let all = |rpm: &f64| self.all().all(|t| at(t, t.depression.as_ref(), *rpm).is_some());
        let mut speeds: Vec<f64> = first.rpm.iter().copied().filter(all).collect();
        // The upper half of the sweep: below it a filter loses next to nothing.
        speeds.drain(..speeds.len() / 2);
        let pressure = |t: &Tells| mean_at(&speeds, |rpm| at(t, t.manifold.as_ref(), rpm));
        let usual = all_mean(self.base.iter().map(|t| pressure(t)));
        let value = |t: &Tells| {
            let like = usual.zip(pressure(t)).map_or(1.0, |(u, p)| (u / p).powi(2));
            Some(like * mean_at(&speeds, |rpm| at(t, t.depression.as_ref(), rpm))?)
        };
        self.judged(value, |by, [x, _]| by >= LEAST_DEPRESSION_KPA.max(LEAST_DEPRESSION * x))
    }

    fn spool(&self) -> Option<Found> {
        self.judged(|t| t.spool_rpm, |by, _| by >= LEAST_SPOOL_RPM)
    }

    fn overshoot(&self) -> Option<Found> {
        self.judged(|t| t.overshoot_kpa, |by, _| by >= LEAST_OVER_KPA)
    }

    /// The coast falls as oil warms from pull to pull: it is compared as at one oil temperature where that was logged.
    fn coast(&self) -> Option<Found> {
        let log = |t: &Tells| t.coast_nm.filter(|c| *c > 0.0).map(f64::ln);
        if self.all().any(|t| t.oil_c.is_none()) {
            return self.judged(log, |by, _| by >= LEAST_COAST);
        }
        let of = |t: &[&Tells], configuration: usize| {
            let pull = |t: &&Tells| {
                Some(Observation { configuration, order: t.oil_c?, position: 0.0, value: log(t)? })
            };
            t.iter().map(pull).collect::<Option<Vec<_>>>().filter(|v| v.len() >= 2)
        };
        let (x, y) = (of(&self.base, 0)?, of(&self.candidate, 1)?);
        let level = |v: &[Observation]| mean(&v.iter().map(|p| p.value.exp()).collect::<Vec<_>>());
        let means = [level(&x), level(&y)];
        let d = ancova(&[x, y].concat())?.difference(1);
        Some(Found {
            by: d.difference,
            means,
            found: is_certain(d.difference, d.p) && d.difference >= LEAST_COAST,
        })
    }
}

/// Values that repeat to the last digit scatter by nothing, and any difference of theirs is certain.
fn is_certain(difference: f64, p: f64) -> bool {
    p < CLAIM_P || (p.is_nan() && difference.abs() > 0.0)
}

fn at(t: &Tells, level: Option<&ToldLevel>, rpm: f64) -> Option<f64> {
    let i = t.rpm.iter().position(|r| (r - rpm).abs() < 1.0)?;
    level?.0.get(i).copied().filter(|v| v.is_finite())
}

fn mean_at(speeds: &[f64], value: impl Fn(f64) -> Option<f64>) -> Option<f64> {
    let v: Vec<f64> = speeds.iter().map(|r| value(*r)).collect::<Option<_>>()?;
    (v.len() >= 2).then(|| mean(&v))
}

/// Mean of values that are all there.
fn all_mean(values: impl Iterator<Item = Option<f64>>) -> Option<f64> {
    mean_of(&values.collect::<Option<Vec<f64>>>()?)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Three pulls that scatter a little, from 2000 to 6000 rpm at 180 kPa.
    fn pulls(shaft: f64, gate: f64, depression: Option<f64>, overshoot: f64, coast: f64) -> Vec<Tells> {
        (0..3)
            .map(|i| {
                let wobble = 1.0 + 0.002 * (f64::from(i) - 1.0);
                let rpm: Vec<f64> = (8..=24).map(|k| f64::from(k) * 250.0).collect();
                let level = |v: f64| ToldLevel(vec![v * wobble; rpm.len()]);
                Tells {
                    manifold: Some(ToldLevel(vec![180.0; rpm.len()])),
                    gate: Some(level(gate)),
                    shaft: Some(level(shaft)),
                    depression: depression.map(level),
                    overshoot_kpa: Some(overshoot * wobble),
                    spool_rpm: Some(2900.0 * wobble),
                    coast_nm: Some(coast * wobble),
                    ambient: Some([100.0, 25.0]),
                    oil_c: Some(90.0),
                    retard_deg: None,
                    rpm,
                }
            })
            .collect()
    }

    fn pair<'a>(base: &'a [Tells], candidate: &'a [Tells]) -> Pair<'a> {
        Pair { base: base.iter().collect(), candidate: candidate.iter().collect() }
    }

    fn of(base: &[Tells], candidate: &[Tells]) -> Vec<Vec<Suspect>> {
        let p = pair(base, candidate);
        charging(&p).into_iter().chain(rolling(&p)).map(|s| s.suspects).collect()
    }

    #[test]
    fn each_suspect_is_named_by_its_own_channel_and_nothing_where_nothing_moved() {
        let usual = pulls(120_000.0, 50.0, Some(2.0), 2.0, 30.0);
        assert!(of(&usual, &pulls(120_300.0, 51.0, Some(2.05), 3.0, 30.2)).is_empty());
        let leak = pulls(125_000.0, 58.0, Some(2.0), 2.0, 30.0);
        assert_eq!(of(&usual, &leak), [[Suspect::BoostLeak]]);
        // Speed that the depression explains: ratio 1.8 becomes 180/92 = 1.957, so √(0.957/0.8) = 1.094.
        let filter = pulls(120_000.0 * (0.9565_f64 / 0.8367).sqrt(), 50.0, Some(8.0), 2.0, 30.0);
        assert_eq!(of(&usual, &filter), [[Suspect::DirtyFilter]]);
        assert_eq!(of(&usual, &pulls(120_000.0, 57.0, Some(2.0), 14.0, 30.0)), [[Suspect::LazyWastegate]]);
        assert_eq!(of(&usual, &pulls(120_000.0, 50.0, Some(2.0), 2.0, 34.0)), [[Suspect::LowTyrePressure]]);
        let gate = of(&usual, &pulls(120_000.0, 58.0, Some(2.0), 2.0, 30.0));
        assert_eq!(gate, [[Suspect::LazyWastegate, Suspect::ExhaustLeak]], "the gate alone tells no more");
        let mut late = usual.clone();
        late.iter_mut().for_each(|t| t.spool_rpm = t.spool_rpm.map(|r| r + 600.0));
        assert_eq!(of(&usual, &late), [[Suspect::LazyWastegate, Suspect::ExhaustLeak]]);
    }

    #[test]
    fn power_is_lost_where_its_interval_leaves_more_than_a_hundredth() {
        let usual = [111.6, 111.4, 111.9];
        assert_eq!(
            lost_between(&usual, &[110.7, 109.5, 109.8]),
            None,
            "1.4 % and uncertain: a warm day does that"
        );
        assert_eq!(lost_between(&usual, &[112.0, 112.4, 112.9]), None);
        let kw = lost_between(&usual, &[108.1, 107.6, 108.2]).unwrap();
        assert!((kw + 3.667).abs() < 0.01, "{kw}");
        assert_eq!(lost_between(&[111.6], &[100.0]), None, "one pull each shows no scatter");
        assert_eq!(lost_between(&[100.0; 3], &[97.0; 3]), Some(-3.0), "values that repeat are certain");
    }

    #[test]
    fn what_no_channel_tells_apart_is_named_together() {
        let (usual, fast) =
            (pulls(120_000.0, 50.0, None, 2.0, 30.0), pulls(125_000.0, 58.0, None, 2.0, 30.0));
        let p = pair(&usual, &fast);
        let s = charging(&p).unwrap();
        assert_eq!(s.suspects, [Suspect::BoostLeak, Suspect::DirtyFilter]);
        assert_eq!(s.would_tell, [WouldTell::Depression, WouldTell::LeakTest]);
        let bare = |t: &[Tells]| {
            t.iter().map(|t| Tells { rpm: t.rpm.clone(), ..Tells::default() }).collect::<Vec<_>>()
        };
        let (x, y) = (bare(&usual), bare(&fast));
        let has = Has { turbo: true, tyres: false };
        let s = unexplained(&pair(&x, &y), has, -3.0).unwrap();
        assert_eq!(
            s.suspects,
            [Suspect::Heat, Suspect::BoostLeak, Suspect::LazyWastegate, Suspect::DirtyFilter]
        );
        assert_eq!(unexplained(&p, has, -3.0).unwrap().suspects, [Suspect::Heat, Suspect::DirtyFilter]);
    }
}
