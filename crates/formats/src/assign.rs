//! Columns to channels: recognition, unit guesses from header and values, questions, canonical units, time
//! repair.

use crate::csv::{Dialect, RawTable, TimeKind, read_table};
use crate::error::{FormatError, FormatProblem};
use crate::recognise::recognise;
use crate::units::{Said, said, with_zero};
use jamjar_core::channel::Channel;
use jamjar_core::findings::{Finding, UnitDoubt};
use jamjar_core::log::Recording;
use jamjar_core::signal::hygiene::repair_time;
use jamjar_core::units::Unit;
use rayon::prelude::*;
use serde::{Deserialize, Serialize};
use std::io::Read;

/// Sea-level standard, used to read a gauge pressure when the cell's pressure is not known.
const STANDARD_KPA: f64 = 101.325;

/// A column a person (or a remembered source) has assigned.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Rule {
    /// Channel.
    pub channel: Channel,
    /// Header text, exactly.
    pub column: String,
    /// Unit; guessed when absent.
    pub unit: Option<Unit>,
}

/// Assignments that win over recognition, and the cell's pressure for gauge readings.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
pub struct Mapping {
    /// Assigned columns.
    pub rules: Vec<Rule>,
    /// Columns that are not used, by header text.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub unused: Vec<String>,
    /// Ambient pressure, kPa.
    pub ambient_kpa: Option<f64>,
}

/// How sure a column's channel and unit are.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Confidence {
    /// A guess.
    Low,
    /// Probably.
    Medium,
    /// Name and unit said so.
    High,
    /// A person said so.
    Given,
}

/// Something only a person can decide; the guess stands until then.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct Question {
    /// Header of the column.
    pub column: String,
    /// Channel it is about.
    pub channel: Channel,
    /// Why its unit is asked for.
    #[serde(alias = "text")]
    pub doubt: UnitDoubt,
    /// Units offered; the first is the guess.
    pub options: Vec<Unit>,
}

/// What became of one column.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct ColumnReport {
    /// Header text.
    pub header: String,
    /// Channel; `None` when not recognised.
    pub channel: Option<Channel>,
    /// Unit read.
    pub unit: Option<Unit>,
    /// How sure.
    pub confidence: Confidence,
    /// First values, as they stand in the file.
    #[serde(default)]
    pub first: Vec<String>,
    /// Lowest and highest value as they stand in the file; `None` where the column was not read.
    #[serde(default)]
    pub range: Option<[f64; 2]>,
}

/// A log with the account of how it was read.
#[derive(Debug, Clone, PartialEq)]
pub struct ReadLog {
    /// The log in canonical units.
    pub log: Recording,
    /// One entry per column.
    pub columns: Vec<ColumnReport>,
    /// Open questions.
    pub questions: Vec<Question>,
}

struct Assigned {
    column: usize,
    channel: Channel,
    given: Option<Unit>,
    by_person: bool,
    confidence: f64,
    unit_text: String,
}

/// Reads a CSV log: dialect, channels, units, time repair.
///
/// # Errors
/// [`FormatError`] with file, line and field; see [`read_table`]. Also for a rule naming a column that is not
/// there, a missing time column, and time that runs backward beyond repair.
pub fn read_log(input: impl Read, file: &str, mapping: &Mapping) -> Result<ReadLog, FormatError> {
    let mut assigned = Vec::new();
    let table = read_table(input, file, |d| {
        assigned = assign(d, file, mapping)?;
        Ok(assigned.iter().map(|a| (a.column, a.channel.as_str() == "time")).collect())
    })?;
    build(table, &assigned, file, mapping)
}

fn assign(d: &Dialect, file: &str, mapping: &Mapping) -> Result<Vec<Assigned>, FormatError> {
    let mut out: Vec<Assigned> = Vec::new();
    for rule in &mapping.rules {
        let column =
            d.headers.iter().position(|h| h == &rule.column || bare(h) == rule.column).ok_or_else(|| {
                FormatError::at(
                    file,
                    d.header_line,
                    1,
                    FormatProblem::NoSuchColumn { column: rule.column.clone(), among: d.headers.join(", ") },
                )
            })?;
        out.push(Assigned {
            column,
            channel: rule.channel.clone(),
            given: rule.unit,
            by_person: true,
            confidence: 2.0,
            unit_text: d.units[column].clone(),
        });
    }
    for (column, header) in d.headers.iter().enumerate() {
        if out.iter().any(|a| a.column == column) || mapping.unused.iter().any(|u| u == header) {
            continue;
        }
        let Some((guess, trailing)) = recognise(header) else { continue };
        let mut channel = guess.channel;
        if let Some(i) = out.iter().position(|a| a.channel == channel) {
            if let Some(free) = next_free(&channel, &out) {
                channel = free;
            } else if out[i].confidence < guess.confidence {
                out.remove(i);
            } else {
                continue;
            }
        }
        let unit_text =
            if d.units[column].is_empty() { trailing.unwrap_or_default() } else { d.units[column].clone() };
        out.push(Assigned {
            column,
            channel,
            given: None,
            by_person: false,
            confidence: guess.confidence,
            unit_text,
        });
    }
    if !out.iter().any(|a| a.channel.as_str() == "time") {
        return Err(FormatError::at(
            file,
            d.header_line,
            1,
            FormatProblem::NoTime { among: d.headers.join(", ") },
        ));
    }
    Ok(out)
}

/// A header without the unit in brackets behind it.
pub(crate) fn bare(header: &str) -> &str {
    header.split(['[', '(']).next().unwrap_or(header).trim()
}

/// The next sensor number not yet taken, for numbered kinds.
fn next_free(channel: &Channel, taken: &[Assigned]) -> Option<Channel> {
    let kind = channel.kind().filter(|k| k.numbered)?;
    (1..=16)
        .map(|n| format!("{}_{n}", kind.name))
        .filter_map(|n| Channel::new(n).ok())
        .find(|c| taken.iter().all(|a| a.channel != *c))
}

fn build(
    table: RawTable,
    assigned: &[Assigned],
    file: &str,
    mapping: &Mapping,
) -> Result<ReadLog, FormatError> {
    let d = &table.dialect;
    let mut log = Recording { name: file.to_owned(), ..Recording::default() };
    let mut questions = Vec::new();
    let mut columns: Vec<ColumnReport> = d
        .headers
        .iter()
        .enumerate()
        .map(|(i, h)| ColumnReport {
            header: h.clone(),
            channel: None,
            unit: None,
            confidence: Confidence::Low,
            first: d.first_rows.iter().filter_map(|r| r.get(i).cloned()).collect(),
            range: None,
        })
        .collect();
    let is_time = |a: &&Assigned| a.channel.as_str() == "time";
    let time = assigned.iter().find(is_time).expect("checked in assign");
    let mut ambient = mapping.ambient_kpa.unwrap_or(STANDARD_KPA);
    let (mut t, mut over_standard, mut impossible) = (Vec::new(), Vec::new(), Vec::new());
    // The barometer first, where one was logged: gauge pressures stand on it.
    let mut ordered: Vec<(&Assigned, Vec<f64>)> =
        assigned.iter().zip(table.columns).map(|(a, (_, raw))| (a, raw)).collect();
    ordered.sort_by_key(|(a, _)| a.channel.as_str() != "ambient_pressure");
    let mut barometer = mapping.ambient_kpa.is_some();
    let extents: Vec<(f64, f64)> = ordered.par_iter().map(|(_, raw)| extent(raw)).collect();
    for ((a, raw), (low, high)) in ordered.into_iter().zip(extents) {
        let header = &d.headers[a.column];
        let (mut unit, mut sure) = if a.column == time.column {
            time_unit(a, &raw, table.time)
        } else {
            value_unit(a, header, (low, high), &mut questions)
        };
        if a.given.is_none()
            && a.column != time.column
            && questions.iter().all(|q| q.column != *header)
            && let Some(q) = doubt(a, header, &raw, unit, ambient)
        {
            (unit, sure) = (q.options[0], false);
            questions.push(q);
        }
        let confidence = match (
            a.by_person && a.given.is_some(),
            a.confidence >= 0.95 && sure,
            sure || a.confidence >= 0.95,
        ) {
            (true, ..) => Confidence::Given,
            (_, true, _) => Confidence::High,
            (_, _, true) => Confidence::Medium,
            _ => Confidence::Low,
        };
        let report = &mut columns[a.column];
        (report.channel, report.unit, report.confidence) = (Some(a.channel.clone()), Some(unit), confidence);
        report.range = (low <= high).then_some([low, high]);
        let (scale, offset) = conversion(&a.channel, unit, ambient);
        if !barometer && (conversion(&a.channel, unit, ambient + 1.0).1 - offset).abs() > 0.5 {
            over_standard.push(a.channel.clone());
        }
        let mut v = raw;
        if (scale - 1.0).abs() > 0.0 || offset.abs() > 0.0 {
            v.iter_mut().for_each(|x| *x = *x * scale + offset);
        }
        if a.column != time.column {
            impossible.extend(beyond(a, header, &mut v, &table.lines, file)?);
        }
        if let Some(p) = (a.channel.as_str() == "ambient_pressure").then(|| logged_barometer(&v)).flatten() {
            (ambient, barometer) = (p, true);
        }
        if a.column == time.column {
            t = v
        } else {
            log.channels.insert(a.channel.clone(), v);
        }
    }
    if table.time == TimeKind::Clock {
        unwrap_midnight(&mut t);
        log.clock_of_day_s = t.iter().copied().find(|v| v.is_finite());
    }
    let (keep, flags) = repair_time(&t).map_err(|e| {
        let column = time.column as u64 + 1;
        FormatError::at(
            file,
            u64::from(table.lines[e.index]),
            column,
            FormatProblem::TimeRunsBackward { before: e.before, after: e.after },
        )
    })?;
    log.flags = flags;
    log.flags.extend(impossible);
    if let (Some(first), Some(last)) = (t.first(), t.last())
        && last - first > LONGEST_S
    {
        let days = (last - first) / 86_400.0;
        return Err(FormatError::at(
            file,
            d.header_line,
            time.column as u64 + 1,
            FormatProblem::TooLong { days },
        ));
    }
    if !over_standard.is_empty() {
        log.flags.push(Finding::BarometerAssumed { channels: over_standard, kpa: STANDARD_KPA });
    }
    if keep.iter().any(|k| !*k) {
        let filter = |v: &mut Vec<f64>| {
            let mut i = 0;
            v.retain(|_| {
                i += 1;
                keep[i - 1]
            });
        };
        filter(&mut t);
        log.channels.values_mut().for_each(filter);
    }
    log.t = t;
    if table.truncated {
        log.flags.push(Finding::Truncated);
    }
    let guess = |q: &Question| Finding::UnitGuess {
        header: q.column.clone(),
        doubt: q.doubt.clone(),
        taken: q.options[0],
    };
    log.flags.extend(questions.iter().map(guess));
    Ok(ReadLog { log, columns, questions })
}

/// No recording is longer, s.
const LONGEST_S: f64 = 10.0 * 86_400.0;
/// Readings that cannot be are blanked when they are at most this share of a column, and refuse the file when
/// they are more.
const STRAY_SHARE: f64 = 0.01;

/// Blanks readings that no sensor of that kind gives, and says so; a column full of them is refused where it
/// begins.
fn beyond(
    a: &Assigned,
    header: &str,
    v: &mut [f64],
    lines: &[u32],
    file: &str,
) -> Result<Option<Finding>, FormatError> {
    let Some(kind) = a.channel.kind() else { return Ok(None) };
    let (low, high) = kind.possible();
    let cannot = |x: &f64| x.is_finite() && (*x < low || *x > high);
    let Some(first) = v.iter().position(&cannot) else { return Ok(None) };
    let (n, known) = (v.iter().filter(|x| cannot(x)).count(), v.iter().filter(|x| x.is_finite()).count());
    if n as f64 > (STRAY_SHARE * known as f64).max(3.0) {
        let text = FormatProblem::CannotBe {
            column: header.to_owned(),
            value: v[first],
            unit: kind.unit,
            kind: kind.label,
        };
        return Err(FormatError::at(
            file,
            u64::from(lines.get(first).copied().unwrap_or(0)),
            a.column as u64 + 1,
            text,
        ));
    }
    v.iter_mut().filter(|x| cannot(x)).for_each(|x| *x = f64::NAN);
    Ok(Some(Finding::Impossible {
        n,
        channel: a.channel.clone(),
        first_line: lines.get(first).copied().unwrap_or(0),
    }))
}

/// Median of a logged barometer, kPa, when it can be one.
fn logged_barometer(v: &[f64]) -> Option<f64> {
    let mut known: Vec<f64> = v.iter().copied().filter(|p| (50.0..=110.0).contains(p)).collect();
    (2 * known.len() > v.iter().filter(|p| p.is_finite()).count())
        .then(|| jamjar_core::signal::median::median_in_place(&mut known))
}

/// Scale and offset to the canonical unit of a channel: `si = raw·scale + offset`; `ambient_kpa` is used by
/// gauge pressures only.
pub fn conversion(channel: &Channel, unit: Unit, ambient_kpa: f64) -> (f64, f64) {
    let zero_matters = matches!(
        channel.as_str(),
        "manifold_pressure" | "boost_target" | "back_pressure" | "ambient_pressure"
    );
    let (scale, offset) = unit.to_si(if zero_matters { ambient_kpa } else { 0.0 });
    let is_pressure = matches!(
        unit,
        Unit::KpaAbs
            | Unit::KpaGauge
            | Unit::BarAbs
            | Unit::BarGauge
            | Unit::PsiAbs
            | Unit::PsiGauge
            | Unit::Hpa
            | Unit::InHg
    );
    match (channel.as_str(), unit) {
        ("rail_pressure", _) if is_pressure => (scale / 1000.0, offset / 1000.0),
        ("injector_pulse_width", Unit::Microsecond) | ("time", Unit::Microsecond) => {
            (if channel.as_str() == "time" { 1e-6 } else { 1e-3 }, 0.0)
        }
        ("injector_pulse_width", Unit::Millisecond) => (1.0, 0.0),
        ("injection_duration", Unit::Millisecond) => (1000.0, 0.0),
        ("lambda" | "time", _) => (scale, offset),
        (_, Unit::Mpa) if channel.as_str() != "rail_pressure" => (1000.0, 0.0),
        _ => (scale, offset),
    }
}

fn time_unit(a: &Assigned, raw: &[f64], kind: TimeKind) -> (Unit, bool) {
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

/// Least and greatest value; blanks aside. Readings are finite or blank, and `min` and `max` pass over blanks.
fn extent(raw: &[f64]) -> (f64, f64) {
    let eights = raw.chunks_exact(8);
    let mut ends = ([f64::INFINITY; 8], [f64::NEG_INFINITY; 8]);
    let rest = eights.remainder();
    for chunk in eights {
        for (k, v) in chunk.iter().enumerate() {
            ends.0[k] = ends.0[k].min(*v);
            ends.1[k] = ends.1[k].max(*v);
        }
    }
    let low = ends.0.iter().chain(rest).fold(f64::INFINITY, |a, v| a.min(*v));
    let high = ends.1.iter().chain(rest).fold(f64::NEG_INFINITY, |a, v| a.max(*v));
    (low, high)
}

/// The unit of a value column, from what was given, what the header says, and what the values allow.
fn value_unit(
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
        ("oil_pressure" | "fuel_pressure", Some(Said::Pressure(u))) => (u, canonical),
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
fn doubt(a: &Assigned, header: &str, raw: &[f64], unit: Unit, ambient: f64) -> Option<Question> {
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
fn unwrap_midnight(t: &mut [f64]) {
    let (mut shift, mut last) = (0.0, f64::NAN);
    for v in t.iter_mut().filter(|v| v.is_finite()) {
        if last - (*v + shift) > 43_200.0 {
            shift += 86_400.0;
        }
        *v += shift;
        last = *v;
    }
}
