//! A flow sheet: what each injector gave on the bench, how far the set spreads and how far shots scatter.

use crate::calculators::injector::QuantityMap;
use crate::signal::median::median_in_place;
use crate::stats::two_sets::mean;
use serde::{Deserialize, Serialize};

/// Two test points are one within these shares of pressure and duration (our choice: bench settings repeat to
/// less).
const SAME_POINT: f64 = 0.005;
/// An injector is off its set, or off the map, from this share on, of one (our choice: common tolerance of a matched
/// set; to be edited).
pub const OFF_SHARE: f64 = 0.03;
/// Shots scatter by too much from this share on, of one (our choice).
pub const SHOT_SHARE: f64 = 0.02;
/// Most points of a sheet.
pub const MOST_POINTS: usize = 2000;

/// One injector at one test point.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct SheetPoint {
    /// What the injector is called: its cylinder or its number.
    pub injector: String,
    /// Rail pressure, MPa.
    pub pressure_mpa: f64,
    /// Duration of the command, µs.
    pub duration_us: f64,
    /// Mean mass of a shot, mg.
    pub mass_mg: f64,
    /// Standard deviation from shot to shot, mg.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub shot_sd_mg: Option<f64>,
}

/// A sheet with where it comes from.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct FlowSheet {
    /// Bench, date and paper, in words.
    #[serde(default)]
    pub source: String,
    /// Its points, in the order of the sheet.
    pub points: Vec<SheetPoint>,
}

/// The injectors at one test point.
#[derive(Debug, Clone, PartialEq)]
pub struct AtPoint {
    /// Rail pressure, MPa.
    pub pressure_mpa: f64,
    /// Duration, µs.
    pub duration_us: f64,
    /// Mean over the injectors, mg.
    pub mean_mg: f64,
    /// (highest − lowest) ÷ mean, of one; `None` of one injector.
    pub spread: Option<f64>,
    /// What the quantity map says there, mg; `None` without a map or outside it.
    pub map_mg: Option<f64>,
    /// Each injector: its name, mass, mg, departure from the mean, of one, and shot deviation, of one.
    pub each: Vec<(String, f64, f64, Option<f64>)>,
}

/// An injector that stands out.
#[derive(Debug, Clone, PartialEq)]
pub struct OffSheet {
    /// Which.
    pub injector: String,
    /// Its mean departure from the set, of one.
    pub by: f64,
    /// Its largest, and at which pressure, MPa, and duration, µs.
    pub most: f64,
    #[allow(missing_docs)]
    pub at: [f64; 2],
}

/// What a sheet says.
#[derive(Debug, Clone, PartialEq)]
pub struct FlowSaid {
    /// Test points, by pressure and duration.
    pub points: Vec<AtPoint>,
    /// Injectors off the set by [`OFF_SHARE`] or more somewhere, furthest first.
    pub off: Vec<OffSheet>,
    /// Where shots scatter by [`SHOT_SHARE`] or more: injector, share, pressure, MPa, duration, µs; widest first.
    pub scattering: Vec<(String, f64, [f64; 2])>,
    /// Whether shot deviations stand on the sheet at all.
    pub shots_known: bool,
}

/// Share by which an injector departs, and the pressure, MPa, and duration, µs, it does so at.
type Departure = (f64, [f64; 2]);

/// Judges a sheet, beside the quantity map of the vehicle where there is one.
///
/// # Formula
/// `spread = (max − min)/mean`; departure of an injector `= m/m̃ − 1`, `m̃` the median of the *other* injectors at
/// that point, so that one that is far off neither hides itself nor blames the rest
///
/// where
/// - `m`: mean mass of a shot, mg (domain, section 11; the thresholds are our choice and are named).
pub fn judge(sheet: &FlowSheet, map: Option<&QuantityMap>) -> FlowSaid {
    let mut points: Vec<(f64, f64, Vec<&SheetPoint>)> = Vec::new();
    for p in &sheet.points {
        let close = |a: f64, b: f64| (a - b).abs() <= SAME_POINT * b.abs().max(1e-9);
        match points.iter_mut().find(|k| close(p.pressure_mpa, k.0) && close(p.duration_us, k.1)) {
            Some(k) => k.2.push(p),
            None => points.push((p.pressure_mpa, p.duration_us, vec![p])),
        }
    }
    points.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let mut said =
        FlowSaid { points: Vec::new(), off: Vec::new(), scattering: Vec::new(), shots_known: false };
    let mut departures: Vec<(String, Vec<Departure>)> = Vec::new();
    for (pressure, duration, here) in points {
        let masses: Vec<f64> = here.iter().map(|p| p.mass_mg).collect();
        let all = mean(&masses);
        let (low, high) =
            masses.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
        let mut each = Vec::new();
        for p in &here {
            let mut rest: Vec<f64> =
                here.iter().filter(|o| o.injector != p.injector).map(|o| o.mass_mg).collect();
            let others = if rest.is_empty() { p.mass_mg } else { median_in_place(&mut rest) };
            let by = if others > 0.0 { p.mass_mg / others - 1.0 } else { f64::NAN };
            let shot = p.shot_sd_mg.filter(|_| p.mass_mg > 0.0).map(|s| s / p.mass_mg);
            said.shots_known |= shot.is_some();
            if let Some(s) = shot.filter(|s| *s >= SHOT_SHARE) {
                said.scattering.push((p.injector.clone(), s, [pressure, duration]));
            }
            if here.len() > 1 {
                match departures.iter_mut().find(|d| d.0 == p.injector) {
                    Some(d) => d.1.push((by, [pressure, duration])),
                    None => departures.push((p.injector.clone(), vec![(by, [pressure, duration])])),
                }
            }
            each.push((p.injector.clone(), p.mass_mg, by, shot));
        }
        said.points.push(AtPoint {
            pressure_mpa: pressure,
            duration_us: duration,
            mean_mg: all,
            spread: (here.len() > 1 && all > 0.0).then(|| (high - low) / all),
            map_mg: map.and_then(|m| m.mass(pressure, duration).ok()),
            each,
        });
    }
    for (injector, all) in departures {
        let most = all.iter().copied().max_by(|a, b| a.0.abs().total_cmp(&b.0.abs()));
        if let Some((most, at)) = most.filter(|m| m.0.abs() >= OFF_SHARE) {
            let by = mean(&all.iter().map(|d| d.0).collect::<Vec<_>>());
            said.off.push(OffSheet { injector, by, most, at });
        }
    }
    said.off.sort_by(|a, b| b.most.abs().total_cmp(&a.most.abs()));
    said.scattering.sort_by(|a, b| b.1.total_cmp(&a.1));
    // Two injectors tell that they differ, never which of them is off.
    said
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sheet(of: &[(&str, f64, f64, f64, Option<f64>)]) -> FlowSheet {
        let points = of.iter().map(|(n, p, d, m, s)| SheetPoint {
            injector: (*n).to_owned(),
            pressure_mpa: *p,
            duration_us: *d,
            mass_mg: *m,
            shot_sd_mg: *s,
        });
        FlowSheet { source: "bench".into(), points: points.collect() }
    }

    #[test]
    fn the_injector_that_is_off_is_named_with_where_and_its_shots() {
        let s = sheet(&[
            ("1", 60.0, 500.0, 20.0, Some(0.2)),
            ("2", 60.0, 500.0, 20.2, Some(0.2)),
            ("3", 60.0, 500.0, 22.0, Some(0.9)),
            ("4", 60.0, 500.0, 19.8, None),
            ("1", 140.0, 900.0, 80.0, None),
            ("2", 140.0, 900.0, 80.5, None),
            ("3", 140.0, 900.0, 83.0, None),
            ("4", 140.0, 900.0, 79.5, None),
        ]);
        let map =
            QuantityMap::new(vec![60.0, 140.0], vec![500.0, 900.0], vec![vec![20.0, 40.0], vec![50.0, 80.0]])
                .unwrap();
        let said = judge(&s, Some(&map));
        assert_eq!(said.points.len(), 2);
        assert!((said.points[0].spread.unwrap() - 2.2 / 20.5).abs() < 1e-12);
        assert_eq!(said.points[0].map_mg, Some(20.0));
        let [off] = &said.off[..] else { panic!("{:?}", said.off) };
        assert_eq!((off.injector.as_str(), off.at), ("3", [60.0, 500.0]));
        assert!((off.most - 0.1).abs() < 1e-12, "against the median of the others, which is 20.0");
        assert_eq!(said.scattering.len(), 1);
        assert!(said.shots_known && (said.scattering[0].1 - 0.9 / 22.0).abs() < 1e-12);
    }

    #[test]
    fn one_injector_alone_spreads_by_nothing_and_is_off_nothing() {
        let said = judge(&sheet(&[("1", 60.0, 500.0, 20.0, None)]), None);
        assert_eq!((said.points[0].spread, said.off.len(), said.shots_known), (None, 0, false));
    }
}
