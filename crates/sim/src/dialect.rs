//! How recorders write: ten dialects of CSV, none of which stands for any product.

use crate::instruments::{Column, Recorded};
use serde::Deserialize;
use std::fmt::Write;

/// A dialect.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Dialect {
    /// Comma, units in brackets, one comment line.
    Brackets,
    /// Semicolon, decimal comma, units row, λ as AFR under a bare header.
    UnitsRow,
    /// Tab, time in ms.
    TabMilliseconds,
    /// Comma, time of day.
    ClockTime,
    /// Byte order mark, CRLF, quoted headers.
    QuotedCrlf,
    /// Latin-1, semicolon, preamble of keys.
    Latin1Preamble,
    /// psi, °F, lb·ft, mph, AFR on the gasoline scale.
    Imperial,
    /// Lower-case names with the unit as last word.
    Underscores,
    /// UTF-16 with tabs.
    Utf16,
    /// Semicolon, trailing separator, repeated comment lines.
    Trailing,
}

impl Dialect {
    /// All of them.
    pub const ALL: [Self; 10] = [
        Self::Brackets,
        Self::UnitsRow,
        Self::TabMilliseconds,
        Self::ClockTime,
        Self::QuotedCrlf,
        Self::Latin1Preamble,
        Self::Imperial,
        Self::Underscores,
        Self::Utf16,
        Self::Trailing,
    ];
}

/// How one channel is written: header words, unit, and what brings the canonical value to that unit.
struct Written {
    words: String,
    unit: &'static str,
    convert: fn(f64) -> f64,
    digits: usize,
}

fn digits_of(step: f64) -> usize {
    (0..6).find(|d| (step * 10f64.powi(*d as i32)).fract().abs() < 1e-9).unwrap_or(4)
}

fn written(c: &Column, d: Dialect, misplaced: bool) -> Written {
    let (stem, number) = match c.channel.rsplit_once('_') {
        Some((s, n)) if !n.is_empty() && n.bytes().all(|b| b.is_ascii_digit()) => (s, Some(n)),
        _ => (c.channel.as_str(), None),
    };
    let imperial = d == Dialect::Imperial;
    let same: fn(f64) -> f64 = |v| v;
    let digits = digits_of(c.step);
    let mut out = match stem {
        "engine_speed" => Written {
            words: if d == Dialect::UnitsRow { "RPM" } else { "Engine speed" }.into(),
            unit: "rpm",
            convert: same,
            digits,
        },
        "roller_speed" => Written {
            words: match d {
                Dialect::Brackets => "Hub speed",
                Dialect::Imperial | Dialect::Trailing => "Roller speed",
                _ => "Shaft speed",
            }
            .into(),
            unit: "rpm",
            convert: same,
            digits,
        },
        "hub_torque" | "brake_torque" if imperial => {
            Written { words: title(stem), unit: "lb·ft", convert: |v| v / 1.355_817_9, digits }
        }
        "hub_torque" | "brake_torque" => Written { words: title(stem), unit: "N·m", convert: same, digits },
        "road_speed" if imperial => {
            Written { words: "Vehicle speed".into(), unit: "mph", convert: |v| v / 1.609_344, digits }
        }
        "road_speed" => Written { words: "Road speed".into(), unit: "km/h", convert: same, digits },
        "manifold_pressure" if misplaced => {
            Written { words: "MAP".into(), unit: "bar", convert: same, digits }
        }
        "manifold_pressure" | "back_pressure" | "boost_target" if imperial => {
            Written { words: title(stem), unit: "psi abs", convert: |v| v / 6.894_757, digits: digits + 1 }
        }
        "manifold_pressure" => Written { words: "MAP".into(), unit: "kPa abs", convert: same, digits },
        "back_pressure" => Written { words: "Back pressure".into(), unit: "kPa abs", convert: same, digits },
        "boost_target" => Written { words: "Boost target".into(), unit: "kPa abs", convert: same, digits },
        "fuel_pressure" | "oil_pressure" if imperial => {
            Written { words: title(stem), unit: "psi", convert: |v| v / 6.894_757, digits: 1 }
        }
        "intake_depression" => Written { words: title(stem), unit: "kPa", convert: same, digits },
        "fuel_pressure" | "oil_pressure" => {
            Written { words: title(stem), unit: "kPa", convert: same, digits }
        }
        "lambda" if matches!(d, Dialect::UnitsRow | Dialect::Imperial) => Written {
            words: "WB".into(),
            unit: if imperial { "AFR gasoline" } else { "AFR" },
            convert: |v| v * 14.7,
            digits: 2,
        },
        "lambda" => Written { words: "Lambda".into(), unit: "λ", convert: same, digits },
        "lambda_target" => Written { words: "Lambda target".into(), unit: "λ", convert: same, digits },
        "spark_advance" => Written { words: "Spark advance".into(), unit: "°", convert: same, digits },
        "knock_retard" => Written { words: "Knock retard".into(), unit: "°", convert: same, digits },
        "knock_level" => Written { words: "Knock level".into(), unit: "", convert: same, digits },
        "exhaust_temp" if imperial => {
            Written { words: "EGT".into(), unit: "°F", convert: |v| v * 1.8 + 32.0, digits: 0 }
        }
        "exhaust_temp" => Written { words: "EGT".into(), unit: "°C", convert: same, digits },
        "intake_temp" if imperial => {
            Written { words: "IAT".into(), unit: "°F", convert: |v| v * 1.8 + 32.0, digits: 1 }
        }
        "intake_temp" => Written { words: "IAT".into(), unit: "°C", convert: same, digits },
        "coolant_temp" | "oil_temp" if imperial => {
            Written { words: title(stem), unit: "°F", convert: |v| v * 1.8 + 32.0, digits: 1 }
        }
        "coolant_temp" | "oil_temp" => Written { words: title(stem), unit: "°C", convert: same, digits },
        "injector_pulse_width" => {
            Written { words: "Injector pulse width".into(), unit: "ms", convert: same, digits }
        }
        "rail_pressure" => {
            Written { words: "Rail pressure".into(), unit: "bar", convert: |v| v * 10.0, digits: 0 }
        }
        "injection_start" => Written { words: "Injection start".into(), unit: "°", convert: same, digits },
        "injection_duration" => {
            Written { words: "Injection duration".into(), unit: "µs", convert: same, digits }
        }
        "fuel_flow" | "air_flow" => Written { words: title(stem), unit: "g/s", convert: same, digits },
        "turbo_speed" | "blower_speed" => Written { words: title(stem), unit: "rpm", convert: same, digits },
        "fuel_cut" => Written { words: "Fuel cut".into(), unit: "", convert: same, digits: 0 },
        other => Written { words: title(other), unit: "%", convert: same, digits },
    };
    if let Some(n) = number {
        out.words = if d == Dialect::UnitsRow && stem == "lambda" {
            format!("WB{n}")
        } else {
            format!("{} {n}", out.words)
        };
    }
    out
}

fn title(name: &str) -> String {
    let words = name.replace('_', " ");
    let mut c = words.chars();
    c.next().map_or_else(String::new, |f| f.to_uppercase().chain(c).collect())
}

/// Writes a recording as a file's bytes. `start_of_day_s` is when the pull began, for clocks that write the
/// time of day.
pub(crate) fn write(
    r: &Recorded,
    d: Dialect,
    heading: &str,
    start_of_day_s: f64,
    misplaced: bool,
) -> Vec<u8> {
    let columns: Vec<(Written, &Column)> = r.columns.iter().map(|c| (written(c, d, misplaced), c)).collect();
    let comma = matches!(d, Dialect::UnitsRow | Dialect::Latin1Preamble);
    let sep = match d {
        Dialect::UnitsRow | Dialect::Latin1Preamble | Dialect::Trailing => ";",
        Dialect::TabMilliseconds | Dialect::Utf16 => "\t",
        _ => ",",
    };
    let mut s = String::with_capacity(r.t.len() * (columns.len() + 1) * 8);
    preamble(&mut s, d, heading);
    let head = |w: &Written| match d {
        Dialect::UnitsRow => w.words.clone(),
        Dialect::Underscores => {
            let unit = match w.unit {
                "N·m" => "nm",
                "°C" => "degc",
                "°" => "deg",
                "%" => "pct",
                "km/h" => "kmh",
                "kPa abs" | "kPa" => "kpa",
                "g/s" => "gps",
                "λ" | "" => "",
                u => u,
            };
            format!("{} {unit}", w.words).trim().to_lowercase().replace(' ', "_")
        }
        Dialect::QuotedCrlf => format!("\"{} [{}]\"", w.words, w.unit),
        _ if w.unit.is_empty() => w.words.clone(),
        Dialect::Latin1Preamble => format!("{} [{}]", w.words, if w.unit == "λ" { "lambda" } else { w.unit }),
        _ => format!("{} ({})", w.words, w.unit),
    };
    let time_head = match d {
        Dialect::TabMilliseconds => "time_ms",
        Dialect::ClockTime => "Clock time",
        Dialect::UnitsRow => "Time",
        Dialect::QuotedCrlf => "\"Time [s]\"",
        Dialect::Latin1Preamble => "Time [s]",
        Dialect::Underscores => "time_s",
        _ => "Time (s)",
    };
    s.push_str(time_head);
    columns.iter().for_each(|(w, _)| {
        s.push_str(sep);
        s.push_str(&head(w));
    });
    end_line(&mut s, d, sep);
    if d == Dialect::UnitsRow {
        s.push('s');
        columns.iter().for_each(|(w, _)| {
            s.push_str(sep);
            s.push_str(if w.unit == "rpm" { "1/min" } else { w.unit });
        });
        s.push('\n');
    }
    for (k, t) in r.t.iter().enumerate() {
        match d {
            Dialect::TabMilliseconds => {
                let _ = write!(s, "{:.1}", t * 1000.0);
            }
            Dialect::ClockTime => {
                let of_day = start_of_day_s + t;
                let _ = write!(
                    s,
                    "{:02}:{:02}:{:06.3}",
                    (of_day / 3600.0) as u32 % 24,
                    (of_day / 60.0) as u32 % 60,
                    of_day % 60.0
                );
            }
            _ => push_number(&mut s, *t, 3, comma),
        }
        for (w, c) in &columns {
            s.push_str(sep);
            if c.values[k].is_finite() {
                push_number(&mut s, (w.convert)(c.values[k]), w.digits, comma);
            }
        }
        end_line(&mut s, d, sep);
    }
    encode(&s, d)
}

fn preamble(s: &mut String, d: Dialect, heading: &str) {
    match d {
        Dialect::Brackets => {
            let _ = writeln!(s, "# {heading}");
        }
        Dialect::Latin1Preamble => {
            let _ = write!(s, "Cell;{heading}\nOperator;the calibrator\nTemp\u{e9}rature unit;\u{b0}C\n\n");
        }
        Dialect::Trailing => {
            let _ = write!(s, "// {heading}\n// channels follow\n");
        }
        _ => {}
    }
}

fn end_line(s: &mut String, d: Dialect, sep: &str) {
    match d {
        Dialect::QuotedCrlf => s.push_str("\r\n"),
        Dialect::Trailing => {
            s.push_str(sep);
            s.push('\n');
        }
        _ => s.push('\n'),
    }
}

fn push_number(s: &mut String, v: f64, digits: usize, comma: bool) {
    let from = s.len();
    let _ = write!(s, "{v:.digits$}");
    if comma && let Some(dot) = s[from..].find('.') {
        s.replace_range(from + dot..=from + dot, ",");
    }
}

fn encode(s: &str, d: Dialect) -> Vec<u8> {
    match d {
        Dialect::QuotedCrlf => [&[0xEF, 0xBB, 0xBF], s.as_bytes()].concat(),
        Dialect::Latin1Preamble => s.chars().map(|c| u8::try_from(u32::from(c)).unwrap_or(b'?')).collect(),
        Dialect::Utf16 => s.encode_utf16().fold(vec![0xFF, 0xFE], |mut v, u| {
            v.extend(u.to_le_bytes());
            v
        }),
        _ => s.as_bytes().to_vec(),
    }
}
