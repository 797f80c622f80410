//! Recordings out, in the open forms they can come in as: CSV, MDF 4, Parquet.

use crate::mdf::{Master, OutChannel, OutGroup, write_mdf};
use crate::parquet::{ParquetColumn, write_parquet};
use jamjar_core::channel::Channel;
use jamjar_core::log::Recording;
use std::collections::HashMap;
use std::io::{self, Write};

/// A form a recording is written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum LogForm {
    /// Comma-separated, units in brackets, UTF-8.
    Csv,
    /// MDF 4.10, deflated: each recording a group on its own clock.
    Mdf,
    /// Parquet, zstd.
    Parquet,
}

impl LogForm {
    /// All of them.
    pub const ALL: [Self; 3] = [Self::Csv, Self::Mdf, Self::Parquet];

    /// The ending of a file of it.
    pub fn ending(self) -> &'static str {
        match self {
            Self::Csv => "csv",
            Self::Mdf => "mf4",
            Self::Parquet => "parquet",
        }
    }

    /// The form a file's name asks for.
    pub fn of(name: &str) -> Option<Self> {
        let ending = name.rsplit_once('.')?.1.to_ascii_lowercase();
        match ending.as_str() {
            "mdf" | "mf4" => Some(Self::Mdf),
            _ => Self::ALL.into_iter().find(|f| f.ending() == ending),
        }
    }

    /// Its media type.
    pub fn media(self) -> &'static str {
        match self {
            Self::Csv => "text/csv; charset=utf-8",
            Self::Mdf | Self::Parquet => "application/octet-stream",
        }
    }

    /// Whether one file holds recordings on several clocks.
    pub fn holds_several(self) -> bool {
        self == Self::Mdf
    }
}

/// The unit of a channel as a file names it, so that whoever reads it need not ask: pressures whose zero matters say
/// that they are absolute.
pub fn written_unit(channel: &Channel) -> &'static str {
    match channel.as_str() {
        "manifold_pressure" | "boost_target" | "back_pressure" | "ambient_pressure" => "kPa abs",
        _ => channel.unit(),
    }
}

/// A recording to be written.
#[derive(Debug, Clone, Copy)]
pub struct OutLog<'a> {
    /// What recorded it.
    pub name: &'a str,
    /// Its samples.
    pub log: &'a Recording,
    /// Units of its channels where they are not the canonical ones.
    pub units: Option<&'a HashMap<Channel, String>>,
}

impl<'a> OutLog<'a> {
    /// In canonical units.
    pub fn new(name: &'a str, log: &'a Recording) -> Self {
        Self { name, log, units: None }
    }

    fn unit(&self, c: &Channel) -> &'a str {
        self.units.and_then(|u| u.get(c)).map_or_else(|| written_unit(c), String::as_str)
    }
}

/// Writes recordings, each with what recorded it; `about` is a line that says what they are, `began_ns` when time 0 was
/// (nanoseconds since 1970 in UTC, 0 where nobody knows).
///
/// # Errors
/// Whatever writing refuses with; several recordings in a form that holds one ([`io::ErrorKind::InvalidInput`]).
pub fn write_recordings(
    out: impl Write + Send,
    form: LogForm,
    logs: &[OutLog<'_>],
    (about, began_ns): (&str, u64),
) -> io::Result<()> {
    let one = || match logs {
        [one] => Ok(*one),
        _ => Err(io::Error::new(io::ErrorKind::InvalidInput, "this form holds one recording")),
    };
    match form {
        LogForm::Csv => csv(out, one()?),
        LogForm::Parquet => {
            let of = one()?;
            let time = ParquetColumn { name: "time", unit: "s", values: &of.log.t };
            let own = of.log.channels.iter().map(|(c, values)| ParquetColumn {
                name: c.as_str(),
                unit: of.unit(c),
                values,
            });
            write_parquet(out, &std::iter::once(time).chain(own).collect::<Vec<_>>(), about)
        }
        LogForm::Mdf => {
            let mut groups: Vec<OutGroup<'_>> = Vec::new();
            for of in logs {
                let channels = of.log.channels.iter().map(|(c, values)| channel_of(of, c, values)).collect();
                groups.push(OutGroup { name: of.name, by: Master::Time, t: &of.log.t, channels });
            }
            write_mdf(out, &groups, (about, began_ns), true)
        }
    }
}

fn channel_of<'a>(of: &OutLog<'a>, c: &'a Channel, values: &'a [f64]) -> OutChannel<'a> {
    let comment = of.log.origins.get(c).map_or("", |o| o.header.as_str());
    OutChannel { name: c.as_str(), unit: of.unit(c), comment, values }
}

fn csv(out: impl Write, of: OutLog<'_>) -> io::Result<()> {
    let log = of.log;
    let mut out = csv::Writer::from_writer(out);
    let head = |c: &Channel| match of.unit(c) {
        "" => c.as_str().to_owned(),
        unit => format!("{} [{unit}]", c.as_str()),
    };
    out.write_record(std::iter::once("time [s]".to_owned()).chain(log.channels.keys().map(head)))?;
    let mut row: Vec<String> = vec![String::new(); 1 + log.channels.len()];
    for (i, t) in log.t.iter().enumerate() {
        row[0] = t.to_string();
        for (cell, v) in row[1..].iter_mut().zip(log.channels.values()) {
            *cell = if v[i].is_finite() { v[i].to_string() } else { String::new() };
        }
        out.write_record(&row)?;
    }
    out.flush()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Mapping, read_log};
    use jamjar_core::channel::KINDS;

    /// Forty samples of every known channel, with a blank in each.
    fn everything() -> Recording {
        let t: Vec<f64> = (0..40).map(|i| 0.05 * f64::from(i)).collect();
        let mut log = Recording { t: t.clone(), ..Recording::default() };
        for (k, kind) in KINDS.iter().filter(|k| k.name != "time").enumerate() {
            let name = if kind.numbered { format!("{}_1", kind.name) } else { kind.name.to_owned() };
            let (low, high) = kind.plausible;
            let mut v: Vec<f64> = t.iter().map(|t| low + (0.3 + 0.2 * t) * (high - low)).collect();
            v[k % 40] = f64::NAN;
            log.channels.insert(Channel::new(name).unwrap(), v);
        }
        log
    }

    #[test]
    fn every_known_channel_comes_back_as_it_was_in_every_form() {
        let log = everything();
        for form in LogForm::ALL {
            let mut bytes = Vec::new();
            write_recordings(&mut bytes, form, &[OutLog::new("ecu", &log)], ("a pull", 0)).unwrap();
            let name = format!("p.{}", form.ending());
            assert_eq!(LogForm::of(&name), Some(form));
            let read = read_log(bytes.as_slice(), &name, &Mapping::default()).unwrap();
            assert!(read.questions.is_empty(), "{form:?}: {:?}", read.questions);
            assert_eq!(read.log.t, log.t, "{form:?}");
            for (c, v) in &log.channels {
                let back = read.log.column(c.as_str()).unwrap_or_else(|| panic!("{form:?} lost {c:?}"));
                let same =
                    v.iter().zip(back).all(|(a, b)| a.to_bits() == b.to_bits() || a.is_nan() && b.is_nan());
                assert!(same && back.len() == v.len(), "{form:?}: {c:?}");
            }
        }
        let both = ["dyno", "ecu"].map(|n| OutLog::new(n, &log));
        assert!(write_recordings(Vec::new(), LogForm::Csv, &both, ("", 0)).is_err());
        assert!(write_recordings(Vec::new(), LogForm::Mdf, &both, ("", 0)).is_ok());
    }
}
