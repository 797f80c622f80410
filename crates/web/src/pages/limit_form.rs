//! Limits as a form: rows by index, one blank row for a new one.

use crate::views::decimal;
use jamjar_core::channel::Channel;
use jamjar_core::limits::{Direction, GateTerm, Limit, Severity, Threshold};
use std::collections::HashMap;

/// Most limits of a vehicle.
const MOST: usize = 60;

fn number(s: &str, what: &str) -> Result<f64, String> {
    decimal(s).ok_or_else(|| format!("{what}: “{}” is not a number", s.trim()))
}

/// `0.9`, or `880 at 1000, 940 at 4000` over a channel.
fn threshold(text: &str, over: &str, what: &str) -> Result<Threshold, String> {
    if !text.contains(" at ") {
        return Ok(Threshold::Constant(number(text, what)?));
    }
    let mut points: Vec<(f64, f64)> = Vec::new();
    for part in text.split(", ").flat_map(|p| p.split(';')) {
        let (v, a) = part.split_once(" at ").ok_or_else(|| format!("{what}: write a curve as 880 at 1000, 940 at 4000"))?;
        points.push((number(a, what)?, number(v, what)?));
    }
    let channel = if over.trim().is_empty() { "engine_speed" } else { over.trim() };
    Ok(Threshold::Curve {
        over: Channel::new(channel).map_err(|e| e.to_string())?,
        at: points.iter().map(|p| p.0).collect(),
        value: points.iter().map(|p| p.1).collect(),
    })
}

/// `throttle > 90, manifold_pressure > 140`.
fn gate(text: &str, what: &str) -> Result<Vec<GateTerm>, String> {
    text.split(',')
        .map(str::trim)
        .filter(|p| !p.is_empty())
        .map(|p| {
            let words: Vec<&str> = p.split_whitespace().collect();
            let fail = || format!("{what}: write a gate as throttle > 90, manifold_pressure > 140");
            let [name, rest @ ..] = words.as_slice() else { return Err(fail()) };
            let mut term = GateTerm { channel: Channel::new(*name).map_err(|e| e.to_string())?, above: None, below: None };
            for pair in rest.chunks(2) {
                match pair {
                    [">", v] => term.above = Some(number(v, what)?),
                    ["<", v] => term.below = Some(number(v, what)?),
                    _ => return Err(fail()),
                }
            }
            if term.above.is_none() && term.below.is_none() { Err(fail()) } else { Ok(term) }
        })
        .collect()
}

/// The limits a form says; `old` keeps what the form does not show (the span).
///
/// # Errors
/// A sentence naming the limit and the fault.
pub(crate) fn limits_of(f: &HashMap<String, String>, old: &[Limit]) -> Result<Vec<Limit>, String> {
    let get = |i: usize, name: &str| f.get(&format!("{name}.{i}")).map(|s| s.trim()).unwrap_or_default();
    let mut out: Vec<Limit> = Vec::new();
    for i in 0..MOST {
        let channel = get(i, "channel");
        if channel.is_empty() || get(i, "remove") == "yes" {
            continue;
        }
        let id = if get(i, "id").is_empty() { channel.to_owned() } else { get(i, "id").to_owned() };
        if id.chars().count() > 60 {
            return Err(format!("limit “{id}”: the name is longer than 60 characters"));
        }
        let what = format!("limit “{id}”");
        let or_zero = |name: &str| if get(i, name).is_empty() { Ok(0.0) } else { number(get(i, name), &format!("{what}, {name}")) };
        let limit = Limit {
            channel: Channel::new(channel).map_err(|e| e.to_string())?,
            direction: if get(i, "direction") == "below" { Direction::Below } else { Direction::Above },
            threshold: threshold(get(i, "threshold"), get(i, "over"), &format!("{what}, threshold"))?,
            gate: gate(get(i, "gate"), &what)?,
            sustain_s: or_zero("sustain")?,
            caution: or_zero("caution")?,
            severity: if get(i, "severity") == "caution" { Severity::Caution } else { Severity::Stop },
            span: old.iter().find(|l| l.id == id).and_then(|l| l.span),
            source: Some(get(i, "source").to_owned()).filter(|s| !s.is_empty()),
            id,
        };
        limit.validate().map_err(|e| e.to_string())?;
        if out.iter().any(|l| l.id == limit.id) {
            return Err(format!("two limits are called “{}”: give each a name of its own", limit.id));
        }
        out.push(limit);
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn form(pairs: &[(&str, &str)]) -> HashMap<String, String> {
        pairs.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect()
    }

    #[test]
    fn rows_become_limits_and_a_removed_row_is_gone() {
        let f = form(&[
            ("channel.0", "exhaust_temp_1"),
            ("id.0", "egt"),
            ("direction.0", "above"),
            ("threshold.0", "880 at 1000, 940 at 4000"),
            ("gate.0", "throttle > 90, fuel_cut < 0.5"),
            ("sustain.0", "0,5"),
            ("caution.0", "30"),
            ("severity.0", "stop"),
            ("channel.1", "lambda_1"),
            ("threshold.1", "0.9"),
            ("remove.1", "yes"),
            ("channel.2", "oil_pressure"),
            ("direction.2", "below"),
            ("threshold.2", "200"),
            ("severity.2", "caution"),
        ]);
        let l = limits_of(&f, &[]).unwrap();
        assert_eq!(l.iter().map(|l| l.id.as_str()).collect::<Vec<_>>(), ["egt", "oil_pressure"]);
        assert_eq!(l[0].threshold.at(2500.0), Some(910.0));
        assert_eq!((l[0].gate.len(), l[0].sustain_s, l[1].direction), (2, 0.5, Direction::Below));
    }

    #[test]
    fn a_fault_names_the_limit() {
        let one = |name: &str, value: &str| {
            limits_of(&form(&[("channel.0", "lambda_1"), ("id.0", "lean"), ("threshold.0", "0.9"), (name, value)]), &[]).unwrap_err()
        };
        for (name, value, want) in [
            ("threshold.0", "lots", "limit “lean”, threshold: “lots” is not a number"),
            ("threshold.0", "880 at 1000, 940", "write a curve"),
            ("threshold.0", "880 at 4000, 940 at 1000", "ascending"),
            ("gate.0", "throttle 90", "write a gate"),
            ("gate.0", "Throttle > 90", "is not a channel name"),
            ("sustain.0", "-1", "zero or a positive number"),
        ] {
            assert!(one(name, value).contains(want), "{value}: {}", one(name, value));
        }
        let twice = form(&[("channel.0", "lambda_1"), ("threshold.0", "1"), ("channel.1", "lambda_1"), ("threshold.1", "1")]);
        assert!(limits_of(&twice, &[]).unwrap_err().contains("two limits"));
    }
}
