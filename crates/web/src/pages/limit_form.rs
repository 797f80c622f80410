//! Limits as a form: rows by index, one blank row for a new one.

use crate::seen::mark;
use crate::typed::{blank_or, number, value_of};
use crate::views::FACTORS;
use jamjar_core::channel::Channel;
use jamjar_core::limits::{Direction, GateTerm, Limit, Severity, Threshold};
use std::collections::{BTreeMap, HashMap};

/// Most limits of a vehicle.
const MOST: usize = 250;
/// Most conditions of one.
const MOST_GATES: usize = 8;

/// `0.9`, or `880 at 1000, 940 at 4000` over a channel; each value may have a unit behind it.
pub(super) fn threshold(of: &Channel, text: &str, over: &str, what: &str) -> Result<Threshold, String> {
    if !text.contains(" at ") {
        return Ok(Threshold::Constant(value_of(of, what, text)?));
    }
    let mut points: Vec<(f64, f64)> = Vec::new();
    for part in text.split(", ").flat_map(|p| p.split(';')) {
        let (v, a) = part
            .split_once(" at ")
            .ok_or_else(|| format!("{what}: write a curve as 880 at 1000, 940 at 4000"))?;
        points.push((number(what, a)?, value_of(of, what, v)?));
    }
    let channel = if over.trim().is_empty() { "engine_speed" } else { over.trim() };
    Ok(Threshold::Curve {
        over: Channel::new(channel).map_err(|e| e.to_string())?,
        at: points.iter().map(|p| p.0).collect(),
        value: points.iter().map(|p| p.1).collect(),
    })
}

/// `throttle > 90, manifold_pressure > 140 if logged`.
fn gate(text: &str, what: &str) -> Result<Vec<GateTerm>, String> {
    text.split(',')
        .map(str::trim)
        .filter(|p| !p.is_empty())
        .map(|p| {
            let (p, if_logged) = p.strip_suffix("if logged").map_or((p, false), |p| (p, true));
            let words: Vec<&str> = p.split_whitespace().collect();
            let fail = || format!("{what}: write a gate as throttle > 90, manifold_pressure > 140");
            let [name, rest @ ..] = words.as_slice() else { return Err(fail()) };
            let mut term = GateTerm {
                channel: Channel::new(*name).map_err(|e| e.to_string())?,
                above: None,
                below: None,
                if_logged,
            };
            for pair in rest.chunks(2) {
                match pair {
                    [">", v] => term.above = Some(number(what, v)?),
                    ["<", v] => term.below = Some(number(what, v)?),
                    _ => return Err(fail()),
                }
            }
            if term.above.is_none() && term.below.is_none() { Err(fail()) } else { Ok(term) }
        })
        .collect()
}

/// What a form changes: only rows that the person changed. Rows it does not show are none of its business.
#[derive(Debug, Default)]
pub(crate) struct Changes {
    /// New or changed.
    pub(crate) put: Vec<Limit>,
    /// Ids taken away, or given up for another.
    pub(crate) gone: Vec<String>,
    /// Limits that somebody else changed after the form was shown, and this form changes too, as they are
    /// now.
    pub(crate) stale: Vec<Limit>,
}

/// Reads a form. Each row carries the id it had (`was`) and a mark of what it showed (`seen`); a row without
/// a mark is taken as typed.
///
/// # Errors
/// A sentence naming the limit and the fault.
pub(crate) fn changes(f: &HashMap<String, String>, held: &[Limit]) -> Result<Changes, String> {
    let get = |i: usize, name: &str| f.get(&format!("{name}.{i}")).map(|s| s.trim()).unwrap_or_default();
    let (mut out, mut ids) = (Changes::default(), Vec::new());
    for i in 0..MOST {
        let was = held.iter().find(|l| l.id == get(i, "was"));
        let stale = |l: &Limit| !get(i, "seen").is_empty() && get(i, "seen") != mark(l);
        if get(i, "channel").is_empty() || get(i, "remove") == "yes" {
            match was.or_else(|| held.iter().find(|l| l.id == get(i, "id"))) {
                Some(l) if stale(l) => out.stale.push(l.clone()),
                Some(l) => out.gone.push(l.id.clone()),
                None => {}
            }
            continue;
        }
        let mut limit = row(&|name| get(i, name), was, held)?;
        // Until somebody says that they were looked at, limits left as they came stay starting points.
        if f.get("looked").is_none_or(|l| l != "yes") {
            let as_it_came = Limit { starting_point: true, ..limit.clone() };
            limit.starting_point = was == Some(&as_it_came);
        }
        if ids.contains(&limit.id) {
            return Err(format!("two limits are called “{}”: give each a name of its own", limit.id));
        }
        ids.push(limit.id.clone());
        match was {
            Some(old) if *old == limit => {}
            // The person left the row as it was shown; somebody else changed it: theirs stands.
            Some(old) if stale(old) && get(i, "seen") == mark(&limit) => {}
            Some(old) if stale(old) => out.stale.push(old.clone()),
            old => {
                out.gone.extend(old.filter(|o| o.id != limit.id).map(|o| o.id.clone()));
                out.put.push(limit);
            }
        }
    }
    Ok(out)
}

/// A form's first limit as it would be kept, whoever else has changed it.
///
/// # Errors
/// A sentence naming the limit and the fault.
pub(crate) fn typed_limit(f: &HashMap<String, String>, held: &[Limit]) -> Result<Limit, String> {
    let get = |name: &str| f.get(&format!("{name}.0")).map(|s| s.trim()).unwrap_or_default();
    if get("channel").is_empty() {
        return Err("choose a channel first".into());
    }
    row(&get, held.iter().find(|l| l.id == get("was")), held)
}

/// Conditions as fields of their own, or as text.
fn gates<'f>(get: &dyn Fn(&str) -> &'f str, what: &str) -> Result<Vec<GateTerm>, String> {
    let asked: Vec<usize> =
        (0..MOST_GATES).filter(|k| !get(&format!("gate_channel.{k}")).is_empty()).collect();
    if asked.is_empty() {
        return gate(get("gate"), what);
    }
    let one = |k: usize| {
        let channel = Channel::new(get(&format!("gate_channel.{k}"))).map_err(|e| e.to_string())?;
        let label = format!("{what}, while {}", channel.label());
        let side = |name: &str| blank_or(get(&format!("{name}.{k}")), |s| value_of(&channel, &label, s));
        let (above, below) = (side("gate_above")?, side("gate_below")?);
        if above.is_none() && below.is_none() {
            return Err(format!("{label}: say above or below what"));
        }
        let if_logged = get(&format!("gate_logged.{k}")) == "yes";
        Ok(GateTerm { channel, above, below, if_logged })
    };
    asked.into_iter().map(one).collect()
}

/// What a limit is only for, by factor: values with commas between them.
fn applies<'f>(get: &dyn Fn(&str) -> &'f str, was: Option<&Limit>) -> BTreeMap<String, Vec<String>> {
    // What the form has no field for stays.
    let mut out: BTreeMap<String, Vec<String>> = was.map_or_else(BTreeMap::new, |l| l.applies_to.clone());
    out.retain(|factor, _| !FACTORS.contains(&factor.as_str()));
    for factor in FACTORS {
        let values = get(&format!("for_{factor}"));
        let any: Vec<String> =
            values.split(',').map(|v| v.trim().to_owned()).filter(|v| !v.is_empty()).collect();
        if !any.is_empty() {
            out.insert(factor.to_owned(), any);
        }
    }
    out
}

/// One row; what the form does not show (the span of older forms) is kept from the limit it was.
fn row<'f>(get: &dyn Fn(&str) -> &'f str, was: Option<&Limit>, held: &[Limit]) -> Result<Limit, String> {
    let channel = get("channel");
    let id = if get("id").is_empty() { channel.to_owned() } else { get("id").to_owned() };
    if id.chars().count() > 60 {
        return Err(format!("limit “{id}”: the name is longer than 60 characters"));
    }
    let what = format!("limit “{id}”");
    let or_zero = |name: &str| {
        if get(name).is_empty() { Ok(0.0) } else { number(&format!("{what}, {name}"), get(name)) }
    };
    let difference = |name: &str| blank_or(get(name), |s| number(&format!("{what}, {name}"), s));
    let channel = Channel::new(channel).map_err(|e| e.to_string())?;
    let limit = Limit {
        direction: if get("direction") == "below" { Direction::Below } else { Direction::Above },
        threshold: threshold(&channel, get("threshold"), get("over"), &format!("{what}, threshold"))?,
        gate: gates(get, &what)?,
        sustain_s: or_zero("sustain")?,
        caution: difference("caution")?.unwrap_or(0.0),
        severity: if get("severity") == "caution" { Severity::Caution } else { Severity::Stop },
        span: match difference("span")? {
            Some(v) => Some(v).filter(|v| *v > 0.0),
            None => was.or_else(|| held.iter().find(|l| l.id == id)).and_then(|l| l.span),
        },
        source: Some(get("source").to_owned()).filter(|s| !s.is_empty()),
        by: was.and_then(|w| w.by.clone()),
        starting_point: false,
        applies_to: applies(get, was),
        channel,
        id,
    };
    limit.validate().map_err(|e| e.to_string())?;
    Ok(limit)
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
            ("gate.0", "throttle > 90, manifold_pressure > 130 if logged, fuel_cut < 0.5"),
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
        let l = changes(&f, &[]).unwrap().put;
        assert_eq!(l.iter().map(|l| l.id.as_str()).collect::<Vec<_>>(), ["egt", "oil_pressure"]);
        assert_eq!(l[0].threshold.at(2500.0), Some(910.0));
        assert_eq!((l[0].gate.len(), l[0].sustain_s, l[1].direction), (3, 0.5, Direction::Below));
        assert_eq!(l[0].gate.iter().map(|g| g.if_logged).collect::<Vec<_>>(), [false, true, false]);
    }

    #[test]
    fn a_fault_names_the_limit() {
        let one = |name: &str, value: &str| {
            changes(
                &form(&[("channel.0", "lambda_1"), ("id.0", "lean"), ("threshold.0", "0.9"), (name, value)]),
                &[],
            )
            .unwrap_err()
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
        let twice = form(&[
            ("channel.0", "lambda_1"),
            ("threshold.0", "1"),
            ("channel.1", "lambda_1"),
            ("threshold.1", "1"),
        ]);
        assert!(changes(&twice, &[]).unwrap_err().contains("two limits"));
    }

    #[test]
    fn a_starting_point_stays_one_until_it_is_changed_or_looked_at() {
        let f = |threshold: &str, looked: &str| {
            form(&[
                ("was.0", "lean"),
                ("id.0", "lean"),
                ("channel.0", "lambda_1"),
                ("threshold.0", threshold),
                ("sustain.0", "0.2"),
                ("caution.0", "0.03"),
                ("looked", looked),
            ])
        };
        let held = changes(&f("0.9", ""), &[]).unwrap().put;
        let held = [Limit { starting_point: true, ..held[0].clone() }];
        assert!(changes(&f("0.9", ""), &held).unwrap().put.is_empty(), "left as it came");
        for (threshold, looked) in [("0.88", ""), ("0.9", "yes")] {
            let put = changes(&f(threshold, looked), &held).unwrap().put;
            assert!(put.len() == 1 && !put[0].starting_point, "{threshold} {looked}");
        }
    }

    #[test]
    fn only_rows_that_were_changed_are_written_and_nobodys_change_is_overwritten() {
        let limit = |id: &str, at: f64| Limit {
            id: id.into(),
            channel: Channel::new("lambda_1").unwrap(),
            direction: Direction::Above,
            threshold: Threshold::Constant(at),
            gate: Vec::new(),
            sustain_s: 0.2,
            caution: 0.03,
            severity: Severity::Stop,
            span: Some(0.4),
            source: None,
            by: None,
            starting_point: false,
            applies_to: Default::default(),
        };
        let shown = [limit("lean", 0.9), limit("leaner", 0.95)];
        let posted = |threshold: &str, second: &str| {
            form(&[
                ("was.0", "lean"),
                ("seen.0", &mark(&shown[0])),
                ("id.0", "lean"),
                ("channel.0", "lambda_1"),
                ("threshold.0", threshold),
                ("sustain.0", "0.2"),
                ("caution.0", "0.03"),
                ("was.1", "leaner"),
                ("seen.1", &mark(&shown[1])),
                ("id.1", second),
                ("channel.1", "lambda_1"),
                ("threshold.1", "0.95"),
                ("sustain.1", "0.2"),
                ("caution.1", "0.03"),
            ])
        };
        let c = changes(&posted("0.88", "leaner"), &shown).unwrap();
        assert_eq!(
            (c.put.len(), c.put[0].id.as_str(), c.put[0].span, c.gone.len(), c.stale.len()),
            (1, "lean", Some(0.4), 0, 0)
        );
        let c = changes(&posted("0.9", "leanest"), &shown).unwrap();
        assert_eq!(
            (c.put[0].id.as_str(), c.put[0].span, c.gone.as_slice()),
            ("leanest", Some(0.4), &["leaner".to_owned()][..])
        );
        // Somebody else has changed the first since, and added a third that this form never showed.
        let now = [limit("lean", 0.87), limit("leaner", 0.95), limit("new", 1.0)];
        let c = changes(&posted("0.88", "leaner"), &now).unwrap();
        assert_eq!((c.stale.len(), c.put.len(), c.gone.len()), (1, 0, 0), "{c:?}");
        let c = changes(&posted("0.9", "leaner"), &now).unwrap();
        assert_eq!((c.stale.len(), c.put.len()), (0, 0), "a row left as it was shown changes nothing: {c:?}");
        let gone = form(&[
            ("was.0", "lean"),
            ("seen.0", &mark(&shown[0])),
            ("id.0", "lean"),
            ("channel.0", "lambda_1"),
            ("remove.0", "yes"),
        ]);
        assert_eq!(changes(&gone, &shown).unwrap().gone, ["lean"]);
        assert_eq!(
            changes(&gone, &now).unwrap().stale.len(),
            1,
            "taking away what somebody changed is asked again"
        );
    }
}
