//! The unit of a column, from what was given, what its header says and what its values allow; and the
//! questions where these leave a doubt.

use crate::columns::{Assigned, POWERS, Question, TORQUES, conversion};
use crate::csv::TimeKind;
use crate::power_like::{GrowsLikePower, grows_like_power};
use crate::units::{Said, said, with_zero};
use jamjar_core::findings::UnitDoubt;
use jamjar_core::log::Recording;
use jamjar_core::units::Unit;

pub(crate) fn time_unit(a: &Assigned, raw: &[f64], kind: TimeKind) -> (Unit, bool) {
    if kind == TimeKind::Clock {
        return (Unit::Clock, true);
    }
    if let Some(u) = a.given {
        return (u, true);
    }
    if let Some(Said::Unit(u)) = said(&a.unit_text) {
        return (u, true);
    }
    let step = jamjar_core::signal::savgol::median_step(
        &raw.iter().copied().filter(|v| v.is_finite()).collect::<Vec<_>>(),
    )
    .unwrap_or(0.0);
    if step >= 2.0 { (Unit::Millisecond, false) } else { (Unit::Second, false) }
}

/// The unit of a value column, from what was given, what the header says, and what the values allow.
pub(crate) fn value_unit(
    a: &Assigned,
    header: &str,
    (low, high): (f64, f64),
    questions: &mut Vec<Question>,
) -> (Unit, bool) {
    if let Some(u) = a.given {
        return (u, true);
    }
    let kind = a.channel.kind().map_or("", |k| k.name);
    let mut ask = |doubt: UnitDoubt, options: Vec<Unit>| {
        let guess = options[0];
        questions.push(Question { column: header.to_owned(), channel: a.channel.clone(), doubt, options });
        (guess, false)
    };
    let spoken = said(&a.unit_text);
    // A column called by a canonical name is in its canonical unit; a plain word can be two things.
    let canonical = header.trim() == a.channel.as_str();
    match (kind, spoken) {
        ("manifold_pressure" | "boost_target" | "back_pressure", None | Some(Said::Pressure(_))) => {
            let unit = match spoken {
                Some(Said::Pressure(u)) => u,
                _ => pressure_by_size(high),
            };
            gauge_or_absolute(header, unit, low, spoken.is_some(), &mut ask)
        }
        ("lambda" | "lambda_target", None | Some(Said::Afr | Said::Unit(Unit::None))) => {
            let afr = low > 5.0;
            if afr && !matches!(spoken, Some(Said::Unit(_))) {
                ask(UnitDoubt::Afr { low, high }, vec![Unit::AfrGasoline, Unit::Lambda])
            } else {
                (Unit::Lambda, true)
            }
        }
        (_, Some(Said::Unit(u))) => (u, true),
        // Where its zero lies is not said: oil and fuel gauges read above the air around them.
        ("oil_pressure" | "fuel_pressure" | "intake_depression", Some(Said::Pressure(u))) => (u, canonical),
        (_, Some(Said::Pressure(u))) => (u, true),
        (k, _) if k.ends_with("_temp") => {
            let hot = if k == "exhaust_temp" { 1_250.0 } else { 140.0 };
            if high > hot || (k == "ambient_temp" && low > 50.0) {
                ask(UnitDoubt::Fahrenheit { low, high }, vec![Unit::Fahrenheit, Unit::Celsius])
            } else {
                (Unit::Celsius, canonical)
            }
        }
        ("throttle" | "pedal", _) if high <= 1.2 && high > 0.0 => {
            ask(UnitDoubt::Fraction { high }, vec![Unit::Fraction, Unit::Percent])
        }
        ("ambient_pressure", _) if high > 500.0 => (Unit::Hpa, false),
        ("ambient_pressure", _) if high < 35.0 && high > 20.0 => (Unit::InHg, false),
        ("oil_pressure" | "fuel_pressure", _) if canonical => (Unit::KpaAbs, true),
        ("oil_pressure" | "fuel_pressure", _) => (pressure_by_size(high), false),
        ("rail_pressure", _) if high > 400.0 => (Unit::BarAbs, false),
        ("rail_pressure", _) => (Unit::Mpa, false),
        ("hub_torque" | "brake_torque", _) => (Unit::NewtonMetre, canonical),
        ("power", _) => (Unit::KiloWatt, canonical),
        ("road_speed", _) => (Unit::KmPerH, canonical),
        _ => (Unit::None, true),
    }
}

/// Doubts a unit that the header states but the values cannot have: most of them lie outside what the channel
/// can read, and another unit of the same kind brings them inside.
pub(crate) fn doubt(a: &Assigned, header: &str, raw: &[f64], unit: Unit, ambient: f64) -> Option<Question> {
    const FAMILIES: [&[Unit]; 3] = [
        &[
            Unit::KpaAbs,
            Unit::BarAbs,
            Unit::PsiAbs,
            Unit::KpaGauge,
            Unit::BarGauge,
            Unit::PsiGauge,
            Unit::Hpa,
            Unit::Mpa,
        ],
        &[Unit::Celsius, Unit::Fahrenheit],
        &[Unit::Lambda, Unit::AfrGasoline],
    ];
    let (low, high) = a.channel.kind()?.plausible;
    let family = FAMILIES.into_iter().find(|f| f.contains(&unit))?;
    let mut values: Vec<f64> = raw.iter().copied().filter(|v| v.is_finite()).collect();
    if values.is_empty() {
        return None;
    }
    let middle = jamjar_core::signal::median::median_in_place(&mut values);
    let as_read = |u: Unit| {
        let (scale, offset) = conversion(&a.channel, u, ambient);
        middle * scale + offset
    };
    let fits = |u: Unit| (low..=high).contains(&as_read(u));
    if fits(unit) {
        return None;
    }
    let better: Vec<Unit> = family.iter().copied().filter(|u| fits(*u)).collect();
    (!better.is_empty()).then(|| Question {
        column: header.to_owned(),
        channel: a.channel.clone(),
        doubt: UnitDoubt::CannotBe {
            channel: a.channel.clone(),
            middle,
            stated: unit,
            would_be: as_read(unit),
        },
        options: better.into_iter().chain([unit]).collect(),
    })
}

fn pressure_by_size(high: f64) -> Unit {
    if high <= 8.0 {
        Unit::BarAbs
    } else if high <= 60.0 {
        Unit::PsiAbs
    } else {
        Unit::KpaAbs
    }
}

fn gauge_or_absolute(
    header: &str,
    unit: Unit,
    low: f64,
    spoken: bool,
    ask: &mut impl FnMut(UnitDoubt, Vec<Unit>) -> (Unit, bool),
) -> (Unit, bool) {
    let words = header.to_lowercase();
    let (scale, _) = unit.to_si(0.0);
    let lowest_kpa = low * scale;
    let says_absolute =
        words.contains("abs") || words.split(|c: char| !c.is_alphanumeric()).any(|w| w == "map");
    let says_gauge = words.contains("gauge") || words.contains("boost");
    if lowest_kpa < -3.0 || (says_gauge && lowest_kpa < 60.0) {
        return (with_zero(unit, true), spoken);
    }
    if says_absolute && lowest_kpa > 10.0 {
        return (with_zero(unit, false), spoken);
    }
    let guess_gauge = lowest_kpa < 15.0;
    let options = vec![with_zero(unit, guess_gauge), with_zero(unit, !guess_gauge)];
    ask(UnitDoubt::NoZero { low }, options)
}

/// Adds a day at every step from the end of a day to the start of the next.
/// Doubts a torque that nobody vouched for and that grows as power does.
pub(crate) fn doubt_torque(log: &Recording, assigned: &[Assigned], headers: &[String]) -> Option<Question> {
    let a = assigned.iter().find(|a| TORQUES.contains(&a.channel.as_str()) && a.given.is_none())?;
    // Where power stands beside it, the two tell each other.
    if log.has("power") {
        return None;
    }
    let speed = ["engine_speed", "roller_speed", "road_speed"].iter().find_map(|n| log.column(n))?;
    let GrowsLikePower { half, top } = grows_like_power(log.channels.get(&a.channel)?, speed)?;
    let stated = match said(&a.unit_text) {
        Some(Said::Unit(u)) => vec![u],
        _ => vec![Unit::NewtonMetre, Unit::PoundFoot],
    };
    Some(Question {
        column: headers[a.column].clone(),
        channel: a.channel.clone(),
        doubt: UnitDoubt::GrowsLikePower { half, top },
        options: stated.into_iter().chain(POWERS).collect(),
    })
}
