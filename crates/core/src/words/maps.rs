//! What changed between two maps, in words.

use crate::channel::Channel;
use crate::maps::difference::{MapDifference, Region, TableDifference};
use crate::maps::driven::Stretch;

/// What a table is called.
pub fn table_words(name: &str) -> String {
    Channel::new(name).map_or_else(|_| name.to_owned(), |c| c.label())
}

/// "spark advance +2.5° on average from 3500 to 5000 rpm, from 160 to 280 kPa (up to +3.5)".
fn region(d: &TableDifference, r: &Region) -> String {
    let t = &d.now;
    let digits = if r.most.abs() >= 1.0 { 1 } else { 3 };
    let span = |s: Option<[f64; 2]>, unit: &str| match s {
        Some([a, b]) if a < b => format!(" from {a} to {b} {unit}"),
        Some([a, _]) => format!(" at {a} {unit}"),
        None => String::new(),
    };
    let place = |x: Option<[f64; 2]>, y: Option<[f64; 2]>| {
        let along = span(x, &t.x.unit);
        let down = t.y.as_ref().map_or_else(String::new, |a| span(y, &a.unit));
        if along.is_empty() || down.is_empty() { format!("{along}{down}") } else { format!("{along},{down}") }
    };
    let (all, strong) = (place(r.x, r.y), place(r.most_x, r.most_y));
    let everywhere = if all.is_empty() { " nearly everywhere" } else { "" };
    let strong = if strong == all { String::new() } else { strong };
    let unit = t.unit.split_whitespace().next().unwrap_or("");
    let unit = with_unit(unit);
    format!("{:+.digits$}{unit} on average{everywhere}{all} (up to {:+.digits$}{strong})", r.mean, r.most)
}

/// A unit behind a number.
fn with_unit(unit: &str) -> String {
    match unit {
        "" => String::new(),
        "°" => "°".into(),
        u => format!(" {u}"),
    }
}

/// One sentence for each table and number that changed, the most cells first.
pub fn map_difference_sentences(d: &MapDifference) -> Vec<String> {
    let mut changed: Vec<&TableDifference> = d.tables.iter().filter(|t| t.changed > 0).collect();
    changed.sort_by_key(|t| std::cmp::Reverse(t.changed));
    let mut out: Vec<String> = changed
        .iter()
        .map(|t| {
            let parts: Vec<String> = t.regions().iter().map(|r| region(t, r)).collect();
            let read =
                if t.resampled { "; its places differ, so the first was read between its cells" } else { "" };
            format!("{}: {}{read}.", super::sentence_case(&table_words(&t.now.name)), parts.join("; "))
        })
        .collect();
    out.extend(d.numbers.iter().map(|(name, unit, was, now)| {
        let said = |v: &Option<f64>| {
            v.map_or_else(|| "not there".to_owned(), |v| format!("{v} {unit}").trim().to_owned())
        };
        format!("{}: {} instead of {}.", super::sentence_case(&name.replace('_', " ")), said(now), said(was))
    }));
    out.extend(d.alone.iter().map(|(name, second)| {
        format!(
            "{} is only in the {}.",
            super::sentence_case(&table_words(name)),
            if *second { "second" } else { "first" }
        )
    }));
    if out.is_empty() {
        out.push("No table and no number differs.".into());
    }
    out
}

/// What changed over a stretch of engine speed: "spark advance +2.5°, λ target -0.040".
pub fn stretch_words(d: &MapDifference, s: &Stretch) -> String {
    let one = |(k, by): &(usize, f64)| {
        let t = &d.tables[*k].now;
        let digits = match by.abs() {
            b if b >= 1.0 => 1,
            b if b >= 0.1 => 2,
            _ => 3,
        };
        let unit = with_unit(t.unit.split_whitespace().next().unwrap_or(""));
        format!("{} {by:+.digits$}{unit}", table_words(&t.name))
    };
    match s.changes.as_slice() {
        [] => "nothing changed where the pulls ran".to_owned(),
        all => all.iter().map(one).collect::<Vec<_>>().join(", "),
    }
}

/// Something that happened with a map: which, and when in words.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct MapOn<'a> {
    /// The map.
    pub map: &'a str,
    /// The date as it is written.
    pub on: &'a str,
}

/// What is in the unit, by what was flashed and by the newest pulls; `later` where those were on a later day.
pub fn in_unit_sentence(flashed: Option<MapOn<'_>>, pulled: Option<MapOn<'_>>, later: bool) -> String {
    match (flashed, pulled) {
        (None, None) => "Nothing is known of what is in the unit.".into(),
        (None, Some(p)) => format!(
            "The newest pulls, on {}, were made with {}. Nobody wrote down a flash: what is in the unit now is not known.",
            p.on, p.map
        ),
        (Some(f), Some(p)) if later && p.map != f.map => format!(
            "{} went in on {}, but the later pulls of {} say {}: a flash was not written down, or a set names the wrong map.",
            f.map, f.on, p.on, p.map
        ),
        (Some(f), _) => format!("{} is in the unit, flashed on {}.", f.map, f.on),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::maps::difference::difference;
    use crate::maps::{Axis, MapFile, Scalar, Table};

    #[test]
    fn a_change_is_said_with_its_size_and_its_region() {
        let axis = |channel: &str, unit: &str, at: &[f64]| Axis {
            channel: channel.into(),
            unit: unit.into(),
            at: at.to_vec(),
        };
        let of = |more: f64, limit: f64| {
            let t = Table {
                name: "spark_advance".into(),
                unit: "° before TDC".into(),
                x: axis("engine_speed", "rpm", &[1000.0, 2000.0, 3000.0]),
                y: Some(axis("manifold_pressure", "kPa", &[100.0, 200.0])),
                rows: vec![vec![20.0; 3], vec![10.0, 10.0, 10.0 + more]],
            };
            let scalars = [("rev_limit".to_owned(), Scalar { value: limit, unit: "rpm".into() })].into();
            MapFile { tables: vec![t], scalars, ..MapFile::default() }
        };
        let said = map_difference_sentences(&difference(&of(0.0, 6900.0), &of(2.5, 7100.0)));
        assert_eq!(said[0], "Spark advance: +2.5° on average at 3000 rpm, at 200 kPa (up to +2.5).");
        assert_eq!(said[1], "Rev limit: 7100 rpm instead of 6900 rpm.");
        let d = difference(&of(0.0, 6900.0), &of(2.5, 6900.0));
        let s = |changes| Stretch { rpm: [2500.0, 3500.0], changes };
        assert_eq!(stretch_words(&d, &s(vec![(0, 2.5)])), "spark advance +2.5°");
        assert_eq!(stretch_words(&d, &s(vec![])), "nothing changed where the pulls ran");
        assert_eq!(
            map_difference_sentences(&difference(&of(0.0, 1.0), &of(0.0, 1.0))),
            ["No table and no number differs."]
        );
    }

    #[test]
    fn pulls_that_contradict_the_last_flash_are_said() {
        let of = |map, on| Some(MapOn { map, on });
        assert_eq!(
            in_unit_sentence(of("C5", "3 March"), of("C5", "4 March"), true),
            "C5 is in the unit, flashed on 3 March."
        );
        assert!(
            in_unit_sentence(of("C5", "3 March"), of("C6", "4 March"), true).contains("was not written down")
        );
        assert!(
            in_unit_sentence(of("C5", "5 March"), of("C6", "4 March"), false)
                .starts_with("C5 is in the unit")
        );
        assert!(in_unit_sentence(None, of("C6", "4 March"), true).contains("not known"));
    }
}
