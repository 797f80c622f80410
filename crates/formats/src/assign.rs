//! Columns to channels: recognition, unit guesses from header and values, questions, canonical units, time
//! repair.

use crate::columns::{
    Assigned, ColumnReport, Confidence, Mapping, POWERS, Question, ReadLog, TORQUES, conversion,
};
use crate::csv::{Dialect, RawTable, TimeKind};
use crate::error::{FormatError, FormatProblem};
use crate::recognise::{bare, recognise};
use crate::recorded::read_table;
use crate::unit_of::{doubt, doubt_torque, time_unit, value_unit};
use jamjar_core::channel::Channel;
use jamjar_core::findings::Finding;
use jamjar_core::log::{Origin, Recording};
use jamjar_core::signal::hygiene::repair_time;
use jamjar_core::units::Unit;
use rayon::prelude::*;

use std::io::Read;

/// Sea-level standard, used to read a gauge pressure when the cell's pressure is not known.
const STANDARD_KPA: f64 = 101.325;

/// Reads a log, text, MDF 4 or Parquet: dialect, channels, units, time repair.
///
/// # Errors
/// [`FormatError`] with file, line and field, or of what a binary file holds. Also for a rule naming a column that is not
/// there, a missing time column, and time that runs backward beyond repair.
pub fn read_log(input: impl Read, file: &str, mapping: &Mapping) -> Result<ReadLog, FormatError> {
    let mut assigned = Vec::new();
    let table = read_table(input, file, |d| {
        assigned = assign(d, file, mapping)?;
        Ok(assigned.iter().map(|a| (a.column, a.channel.as_str() == "time")).collect())
    })?;
    build(table, &assigned, file, mapping)
}

fn power() -> Channel {
    Channel::new("power".to_owned()).expect("a name")
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
        // Torque said to be in a unit of power is power.
        let is_power =
            rule.unit.is_some_and(|u| POWERS.contains(&u)) && TORQUES.contains(&rule.channel.as_str());
        out.push(Assigned {
            column,
            channel: if is_power { power() } else { rule.channel.clone() },
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
    let read = |a: &Assigned, raw: Vec<f64>, ambient: f64| {
        let at = Place { header: &d.headers[a.column], file, lines: &table.lines };
        Column::read(a, raw, (a.column == time.column).then_some(table.time), ambient, &at)
    };
    // The barometer first, where one was logged: gauge pressures stand on it.
    let all = assigned.iter().zip(table.columns).map(|(a, (_, raw))| (a, raw));
    let (barometers, others): (Vec<_>, Vec<_>) =
        all.partition(|(a, _)| a.channel.as_str() == "ambient_pressure");
    let mut barometer = mapping.ambient_kpa.is_some();
    let mut read_columns: Vec<(&Assigned, Column)> = Vec::with_capacity(assigned.len());
    for (a, raw) in barometers {
        let c = read(a, raw, ambient)?;
        if let Some(p) = logged_barometer(&c.values) {
            (ambient, barometer) = (p, true);
        }
        read_columns.push((a, c));
    }
    let others: Vec<_> =
        others.into_par_iter().map(|(a, raw)| read(a, raw, ambient).map(|c| (a, c))).collect();
    for c in others {
        read_columns.push(c?);
    }
    let (mut t, mut over_standard, mut impossible) = (Vec::new(), Vec::new(), Vec::new());
    for (a, c) in read_columns {
        let report = &mut columns[a.column];
        (report.channel, report.unit, report.confidence) =
            (Some(a.channel.clone()), Some(c.unit), c.confidence(a));
        report.range = c.range;
        let (_, offset) = conversion(&a.channel, c.unit, ambient);
        if !barometer && (conversion(&a.channel, c.unit, ambient + 1.0).1 - offset).abs() > 0.5 {
            over_standard.push(a.channel.clone());
        }
        questions.extend(c.questions);
        impossible.extend(c.impossible);
        if a.column == time.column {
            t = c.values
        } else {
            let header = d.headers[a.column].clone();
            log.origins.insert(a.channel.clone(), Origin { header, unit: c.unit });
            log.channels.insert(a.channel.clone(), c.values);
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
    if let Some(q) = doubt_torque(&log, assigned, &d.headers) {
        columns.iter_mut().filter(|c| c.header == q.column).for_each(|c| c.confidence = Confidence::Low);
        questions.push(q);
    }
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

/// Where a column stands.
struct Place<'a> {
    header: &'a str,
    file: &'a str,
    lines: &'a [u32],
}

/// A column in its canonical unit.
struct Column {
    values: Vec<f64>,
    unit: Unit,
    sure: bool,
    range: Option<[f64; 2]>,
    questions: Vec<Question>,
    impossible: Option<Finding>,
}

impl Column {
    /// Finds the unit of a column, converts it and blanks what cannot be; `clock` is how time was written, for the
    /// column that holds it.
    fn read(
        a: &Assigned,
        raw: Vec<f64>,
        clock: Option<TimeKind>,
        ambient: f64,
        at: &Place<'_>,
    ) -> Result<Self, FormatError> {
        let (low, high) = extent(&raw);
        let mut questions = Vec::new();
        let (mut unit, mut sure) = match clock {
            Some(kind) => time_unit(a, &raw, kind),
            None => value_unit(a, at.header, (low, high), &mut questions),
        };
        if a.given.is_none()
            && clock.is_none()
            && questions.is_empty()
            && let Some(q) = doubt(a, at.header, &raw, unit, ambient)
        {
            (unit, sure) = (q.options[0], false);
            questions.push(q);
        }
        let (scale, offset) = conversion(&a.channel, unit, ambient);
        let mut values = raw;
        if (scale - 1.0).abs() > 0.0 || offset.abs() > 0.0 {
            values.iter_mut().for_each(|x| *x = *x * scale + offset);
        }
        let impossible = match clock {
            Some(_) => None,
            None => beyond(a, at.header, &mut values, at.lines, at.file)?,
        };
        let range = (low <= high).then_some([low, high]);
        Ok(Self { values, unit, sure, range, questions, impossible })
    }

    fn confidence(&self, a: &Assigned) -> Confidence {
        let named = a.confidence >= 0.95;
        match (a.by_person && a.given.is_some(), named && self.sure, self.sure || named) {
            (true, ..) => Confidence::Given,
            (_, true, _) => Confidence::High,
            (_, _, true) => Confidence::Medium,
            _ => Confidence::Low,
        }
    }
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
