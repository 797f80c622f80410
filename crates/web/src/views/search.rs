//! Pulls found, the conditions as understood, and what could narrow them.

use super::Shell;
use super::common::query_of;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::spark_svg;
use jamjar_core::correction::Correction;
use jamjar_core::find::{Clause, Facet, FacetKind, Found, Hit, Quantity, Query, QueryError, What};
use jamjar_core::units::{PowerUnit, TorqueUnit};
use jamjar_store::{HeldFile, Spark};
use jamjar_workflow::finder::Answer;
use std::collections::HashMap;

/// Pulls on one page.
pub(crate) const SEARCH_ROWS: usize = 40;
/// Values shown of one facet.
const FACET_VALUES: usize = 7;

/// Queries that show the language; each is a link.
const EXAMPLES: [&str; 10] = [
    "gain over 10 kW, last spring",
    "exhaust over 950, λ leaner than 0.9",
    "where is the pull that made 130 kW?",
    "power over 150 kW, E60, third gear, last spring",
    "map C2, strongest first",
    "over a limit, since last month",
    "torque between 240 and 260 N·m, not left out",
    "limit used over 95 %, E85",
    "heat soak, by the calibrator",
    "\"smoke at tip-in\", air under 15 °C",
];

#[derive(Template)]
#[template(path = "search.html")]
pub(crate) struct SearchPage {
    shell: Shell,
    text: String,
    headline: String,
    error: Option<Refused>,
    chips: Vec<Link>,
    nothing_but: Vec<Link>,
    meant: Vec<Link>,
    rows: Vec<Row>,
    facets: Vec<Group>,
    before: Option<String>,
    after: Option<String>,
    figures: String,
    examples: Vec<Link>,
    open_examples: bool,
}

struct Refused {
    text: String,
    before: String,
    at: String,
}

struct Link {
    words: String,
    href: String,
    count: String,
}

struct Group {
    title: &'static str,
    values: Vec<Link>,
}

struct Row {
    set_id: i64,
    pull_id: i64,
    position: u16,
    spark: String,
    power: String,
    at: String,
    torque: String,
    map: String,
    /// Its file in custody.
    file: Option<HeldFile>,
    config: String,
    vehicle: String,
    date: String,
    remarks: Vec<(String, bool)>,
    left_out: bool,
}

/// An address of the search.
fn address(q: &str, skip: usize) -> String {
    let mut pairs = vec![("q", q.to_owned())];
    if skip > 0 {
        pairs.push(("skip", skip.to_string()));
    }
    format!("/search?{}", query_of(&pairs))
}

fn link(words: impl Into<String>, q: &str, count: String) -> Link {
    Link { words: words.into(), href: address(q, 0), count }
}

fn examples() -> Vec<Link> {
    EXAMPLES.iter().map(|e| link(*e, e, String::new())).collect()
}

fn shell(text: &str, prefs: &Prefs) -> Shell {
    let mut shell = Shell::new(
        if text.trim().is_empty() { "Find".to_owned() } else { format!("{} · Find", text.trim()) },
        &prefs.theme,
        "search",
    );
    text.clone_into(&mut shell.query);
    shell
}

/// A query that cannot be read, with the place.
pub(crate) fn search_refused(text: &str, e: &QueryError, prefs: &Prefs) -> SearchPage {
    let split = text.char_indices().nth(e.column - 1).map_or(text.len(), |(i, _)| i);
    SearchPage {
        shell: shell(text, prefs),
        text: text.to_owned(),
        headline: "This can't be read as it stands".into(),
        error: Some(Refused { text: e.text.clone(), before: text[..split].into(), at: text[split..].into() }),
        chips: Vec::new(),
        nothing_but: Vec::new(),
        meant: Vec::new(),
        rows: Vec::new(),
        facets: Vec::new(),
        before: None,
        after: None,
        figures: String::new(),
        examples: examples(),
        open_examples: true,
    }
}

/// `family` is the one the figures stand in.
pub(crate) fn search_page(
    text: &str,
    q: &Query,
    a: &Answer,
    files: &HashMap<i64, HeldFile>,
    family: Correction,
    skip: usize,
    prefs: &Prefs,
) -> SearchPage {
    let canonical = q.words(None);
    let chips = q
        .clauses
        .iter()
        .enumerate()
        .map(|(i, c)| link(chip_words(c, a.found.texts.contains(&i)), &q.words(Some(i)), String::new()))
        .collect();
    let with = |c: &Clause| {
        if canonical.is_empty() { c.words() } else { format!("{canonical}, {}", c.words()) }
    };
    let nothing_but = a
        .found
        .without
        .iter()
        .map(|(i, n)| {
            link(chip_words(&q.clauses[*i], a.found.texts.contains(i)), &q.words(Some(*i)), thousands(*n))
        })
        .collect();
    let facets = a.found.facets.iter().filter(|f| f.values.len() > 1).map(|f| Group {
        title: title(f.kind),
        values: f
            .values
            .iter()
            .take(FACET_VALUES)
            .map(|(c, n)| link(value_words(f, c), &with(c), thousands(*n)))
            .collect(),
    });
    let meant = a.found.meant.iter().map(|(i, name)| {
        let said = q.clauses[*i].what.saying(name);
        let mut other = q.clone();
        other.clauses[*i] = Clause { what: said, not: false };
        link(name.clone(), &other.words(None), String::new())
    });
    let meant = meant.collect();
    let hits = &a.found.hits;
    SearchPage {
        shell: shell(text, prefs),
        text: text.to_owned(),
        headline: headline(q, &a.found, a.of, prefs),
        error: None,
        chips,
        nothing_but,
        meant,
        rows: rows(hits, &a.sparks, files, prefs),
        facets: if a.found.total > 1 { facets.collect() } else { Vec::new() },
        before: (skip > 0).then(|| address(&canonical, skip.saturating_sub(SEARCH_ROWS))),
        after: (skip + hits.len() < a.found.total).then(|| address(&canonical, skip + SEARCH_ROWS)),
        figures: figures_words(family, prefs.correction),
        examples: examples(),
        open_examples: q.clauses.is_empty() || a.found.total == 0,
    }
}

/// A condition as its chip has it: what was only taken for text says so.
fn chip_words(c: &Clause, text: bool) -> String {
    match &c.what {
        What::Text(t) if text => format!("{}the text “{t}”", if c.not { "not " } else { "" }),
        _ => c.words().replace('"', ""),
    }
}

fn figures_words(family: Correction, asked: Correction) -> String {
    if family != asked {
        return format!(
            "Figures are uncorrected: {} needs more than the air and is not kept for finding.",
            asked.label()
        );
    }
    match family {
        Correction::None => "Figures are uncorrected, each the pull's own.".into(),
        f => format!(
            "Figures are corrected by {}, each the pull's own; without known air they stay uncorrected.",
            f.label()
        ),
    }
}

fn headline(q: &Query, f: &Found, of: usize, prefs: &Prefs) -> String {
    let pulls = |n: usize| if n == 1 { "One pull".to_owned() } else { format!("{} pulls", thousands(n)) };
    match (f.total, q.about(), f.hits.first()) {
        (_, _, _) if of == 0 => "There are no pulls yet".into(),
        (0, _, _) => "No pull matches".into(),
        (n, Some((of, _)), Some(h)) if of == Quantity::Power || of == Quantity::Torque => {
            let value = match of {
                Quantity::Power => h.power.map(|p| power(p.0, prefs.power)),
                _ => h.torque_nm.map(|t| torque(t, prefs.torque)),
            };
            let more = if n > 1 { format!(", the closest of {}", pulls(n)) } else { String::new() };
            format!(
                "Pull {} of {} on {}, {}: {}{more}",
                h.position,
                h.names[2],
                h.names[3],
                prefs.written.date(h.date),
                value.unwrap_or_default()
            )
        }
        (n, _, _) if q.clauses.is_empty() && q.newest.is_none() => format!("All {}, newest first", pulls(n)),
        (n, _, _) => format!("{} of {}{}", pulls(n), thousands(of), text_words(q, f)),
    }
}

/// What of a query is looked for as text alone.
fn text_words(q: &Query, f: &Found) -> String {
    let text = |i: &usize| match &q.clauses[*i] {
        Clause { what: What::Text(t), not: false } => Some(format!("“{t}”")),
        _ => None,
    };
    let texts: Vec<String> = f.texts.iter().filter_map(text).collect();
    if texts.is_empty() { String::new() } else { format!(", by the text {}", texts.join(" and ")) }
}

fn power(kw: f64, u: PowerUnit) -> String {
    format!("{:.1} {}", u.from_kw(kw), u.label())
}

fn torque(nm: f64, u: TorqueUnit) -> String {
    format!("{:.0} {}", u.from_nm(nm), u.label())
}

/// 1234567 as `1,234,567`.
fn thousands(n: usize) -> String {
    let s = n.to_string();
    let mut out = String::new();
    for (i, c) in s.chars().enumerate() {
        if i > 0 && (s.len() - i).is_multiple_of(3) {
            out.push(',');
        }
        out.push(c);
    }
    out
}

fn rows(
    hits: &[Hit],
    sparks: &HashMap<i64, Spark>,
    files: &HashMap<i64, HeldFile>,
    prefs: &Prefs,
) -> Vec<Row> {
    let seen = || hits.iter().filter_map(|h| sparks.get(&h.place.pull));
    let x = [
        seen().map(|s| s.rpm[0]).fold(f64::INFINITY, f64::min),
        seen().map(|s| s.rpm[1]).fold(0.0, f64::max),
    ];
    // One scale for the pulls of a vehicle: a sidecar outfit beside a saloon would be a flat line.
    let mut tops: HashMap<&str, f64> = HashMap::new();
    for (h, s) in hits.iter().filter_map(|h| Some((h, sparks.get(&h.place.pull)?))) {
        let top = tops.entry(&h.names[0]).or_default();
        *top = s.power_kw.iter().copied().fold(*top, f64::max);
    }
    hits.iter()
        .map(|h| {
            let [vehicle, build, map, fuel, boost, gear] = &h.names;
            let spark = sparks.get(&h.place.pull).map_or(String::new(), |s| {
                let last = (s.power_kw.len() - 1).max(1) as f64;
                let points: Vec<(f64, f64)> = s
                    .power_kw
                    .iter()
                    .enumerate()
                    .map(|(i, p)| (s.rpm[0] + (s.rpm[1] - s.rpm[0]) * i as f64 / last, *p))
                    .collect();
                spark_svg(&points, x, tops[vehicle.as_str()])
            });
            Row {
                set_id: h.place.set,
                pull_id: h.place.pull,
                position: h.position,
                spark,
                power: h.power.map_or_else(|| "no peak".into(), |p| power(p.0, prefs.power)),
                at: h.power.filter(|p| p.1.is_finite()).map_or(String::new(), |p| format!("at {:.0}", p.1)),
                torque: h.torque_nm.map_or_else(|| "–".into(), |t| torque(t, prefs.torque)),
                map: map.clone(),
                file: files.get(&h.place.set).cloned(),
                config: format!("{fuel}, {boost}, gear {gear}, build {build}"),
                vehicle: vehicle.clone(),
                date: prefs.written.date(h.date),
                remarks: remarks(h),
                left_out: h.left_out,
            }
        })
        .collect()
}

/// What to know about a pull; true is loud.
fn remarks(h: &Hit) -> Vec<(String, bool)> {
    let [limit, ended, aligned] = h.states.each_ref().map(String::as_str);
    let mut out = Vec::new();
    match limit {
        "over" => out.push(("a limit over".into(), true)),
        "cant_tell" => out.push(("limits: can't tell".into(), true)),
        "not_measured" => out.push(("a limit not measured".into(), false)),
        "close" => out.push(("close to a limit".into(), false)),
        _ => {}
    }
    if h.left_out {
        out.push(("left out of figures".into(), false));
    }
    match ended {
        "speed_limiter" => out.push(("cut by the speed limiter".into(), false)),
        "abort" => out.push(("aborted".into(), false)),
        _ => {}
    }
    if aligned == "refused" {
        out.push(("clocks refused".into(), true));
    }
    for (flag, words) in [("heat_soak", "heat soak"), ("held_steps", "held steps"), ("lug_down", "lug-down")]
    {
        if h.flags.iter().any(|f| f == flag) {
            out.push((words.into(), false));
        }
    }
    out
}

fn title(k: FacetKind) -> &'static str {
    match k {
        FacetKind::Vehicle => "Vehicle",
        FacetKind::Map => "Map",
        FacetKind::Fuel => "Fuel",
        FacetKind::Gear => "Gear",
        FacetKind::Year => "Year",
        FacetKind::Limit => "Limits",
        FacetKind::Ended => "Ended by",
        FacetKind::Flag => "Flags",
    }
}

/// The value of a facet without the word that names the facet.
fn value_words(f: &Facet, c: &Clause) -> String {
    match &c.what {
        What::In(_, t) | What::Gear(t) => t.clone(),
        What::Days { from, .. } if f.kind == FacetKind::Year => from.format("%Y").to_string(),
        _ => c.words().trim_start_matches("ended by ").to_owned(),
    }
}
