//! The parts of a day sheet beside its sets: checklist, air and fuel on hand, notes, the timeline.

use crate::prefs::Prefs;
use crate::views::common::{Encoding, against_quoted_words, air_words, place_words};
use askama::Template;
use chrono::{NaiveTime, Timelike};
use jamjar_chart::{Paint, Timeline, TimelineSeries, TimelineSet};
use jamjar_core::air::AirState;
use jamjar_core::analysis::Measured;
use jamjar_core::units::VolumeUnit;
use jamjar_core::words::health_words;
use jamjar_store::{Attachment, Checklist, DaySheet, Intervention, VehicleRecord};
use jamjar_workflow::checklist::{Item, SIGNED};
use jamjar_workflow::sets::SetRead;

pub(crate) struct CheckRow {
    pub(crate) id: String,
    pub(crate) text: String,
    pub(crate) guards: bool,
    pub(crate) answer: String,
    /// How its value is written; `None` where it takes none.
    pub(crate) form: Option<String>,
    pub(crate) value: String,
    /// What the value came to; strong where it is out of its window or cannot be read.
    pub(crate) read: String,
    pub(crate) out: bool,
    /// What it is called where it is written down as changed: the beginning of its text.
    pub(crate) short: String,
    /// Pictures of it: number and name.
    pub(crate) pictures: Vec<(i64, String)>,
}

pub(crate) struct CheckGroup {
    pub(crate) name: String,
    pub(crate) rows: Vec<CheckRow>,
}

#[derive(Template)]
#[template(path = "checklist.html")]
pub(crate) struct ChecklistFragment {
    pub(crate) day_id: i64,
    pub(crate) groups: Vec<CheckGroup>,
    pub(crate) verdict: String,
    pub(crate) go: bool,
    /// The day is over: nobody walks its list any more.
    pub(crate) past: bool,
    /// Who said go, and when.
    pub(crate) signed: String,
    /// Whether a value out of its window asks for a fresh baseline.
    pub(crate) confounds: bool,
    pub(crate) open: bool,
    /// The day's baseline against what the engine is quoted at; blank where one of the two is not known.
    pub(crate) quoted: String,
    /// Vehicle and factors of its newest stock set, for a fresh baseline; where something asks for one.
    pub(crate) baseline: Option<(i64, String)>,
}

/// Longest name of something that is changed.
const LONGEST_CHANGED: usize = 60;

/// What the name of a picture of a line begins with.
pub(crate) fn picture_of(line: &str) -> String {
    format!("check {line}: ")
}

fn check_row(i: &Item, answers: &Checklist, pictures: &[Attachment]) -> CheckRow {
    let (read, out) = match i.read(answers) {
        Ok(None) => (String::new(), false),
        Ok(Some(r)) => match r.good() {
            Some(false) => (format!("{}: {}", health_words(&r), i.does), true),
            Some(true) => (health_words(&r), false),
            None => (String::new(), false),
        },
        Err(e) => (e.to_string(), true),
    };
    CheckRow {
        id: i.id.clone(),
        text: i.text.clone(),
        guards: i.guards,
        answer: answers.get(&i.id).cloned().unwrap_or_default(),
        form: i.takes.as_ref().map(|t| t.form()),
        value: i.written(answers).to_owned(),
        read,
        out,
        short: i.text.split([',', ':']).next().unwrap_or_default().chars().take(LONGEST_CHANGED).collect(),
        pictures: pictures
            .iter()
            .filter_map(|p| Some((p.id, p.name.strip_prefix(&picture_of(&i.id))?.to_owned())))
            .collect(),
    }
}

/// Go only when nothing that can hurt a person is open or answered no. A day that is `past` was walked or was not.
pub(crate) fn checklist_fragment(
    day_id: i64,
    list: &[Item],
    (answers, pictures): (&Checklist, &[Attachment]),
    past: bool,
) -> ChecklistFragment {
    let answer = |id: &str| answers.get(id).map_or("", String::as_str);
    let mut groups: Vec<CheckGroup> = Vec::new();
    for i in list {
        let row = check_row(i, answers, pictures);
        match groups.iter_mut().find(|g| g.name == i.group) {
            Some(g) => g.rows.push(row),
            None => groups.push(CheckGroup { name: i.group.clone(), rows: vec![row] }),
        }
    }
    let looked = list.iter().filter(|i| !answer(&i.id).is_empty()).count();
    let bad: Vec<&str> =
        list.iter().filter(|i| i.guards && answer(&i.id) == "no").map(|i| i.text.as_str()).collect();
    let missing = list.iter().filter(|i| i.guards && answer(&i.id).is_empty()).count();
    let out = groups.iter().flat_map(|g| &g.rows).filter(|r| r.out).count();
    let go = bad.is_empty() && missing == 0;
    let signed = answer(SIGNED).to_owned();
    let values = match out {
        0 => String::new(),
        1 => "; 1 value is out of its window".to_owned(),
        n => format!("; {n} values are out of their windows"),
    };
    let verdict = if past && looked == 0 {
        "No check was written down for this day".to_owned()
    } else if let Some(first) = bad.first() {
        format!("No go: {}", first.to_lowercase())
    } else if missing > 0 {
        format!("No go yet: {missing} of the checks that keep people whole are open")
    } else if signed.is_empty() {
        format!("Go: {looked} of {} looked at{values}, not signed", list.len())
    } else {
        format!("Go: {looked} of {} looked at{values}, signed by {signed}", list.len())
    };
    let past = past && looked == 0;
    ChecklistFragment {
        day_id,
        groups,
        verdict,
        go,
        past,
        signed,
        confounds: out > 0,
        open: false,
        quoted: String::new(),
        baseline: None,
    }
}

/// The day's baseline against what its engine is quoted at.
pub(crate) fn quoted_words(sets: &[SetRead], vehicle: &VehicleRecord) -> String {
    let stock = sets.iter().find(|s| s.stored.set.config.map_kind == "stock");
    let measured = stock.and_then(SetRead::mean_peak_kw).map(|m| m.0);
    against_quoted_words(measured, vehicle)
}

pub(crate) struct NoteRow {
    pub(crate) id: i64,
    pub(crate) at: String,
    pub(crate) tag: String,
    pub(crate) text: String,
    pub(crate) by: String,
    /// Where in a pull it was observed.
    pub(crate) place: String,
    pub(crate) pull_id: Option<i64>,
}

pub(crate) fn note_rows(sheet: &DaySheet) -> Vec<NoteRow> {
    sheet
        .notes
        .iter()
        .map(|n| NoteRow {
            id: n.id,
            at: n.at.map_or_else(String::new, hhmm),
            tag: n.tag.clone(),
            text: n.text.clone(),
            by: n.by.clone(),
            place: place_words(&n.place),
            pull_id: n.place.pull_id,
        })
        .collect()
}

pub(crate) struct AirRow {
    pub(crate) at: String,
    pub(crate) text: String,
    pub(crate) factor: String,
}

pub(crate) fn air_rows(sheet: &DaySheet, prefs: &Prefs) -> Vec<AirRow> {
    sheet.air.iter().map(|a| air_row(a, prefs)).collect()
}

/// A reading of the air with its correction.
pub(super) fn air_row((at, a): &(NaiveTime, AirState), prefs: &Prefs) -> AirRow {
    AirRow {
        at: hhmm(*at),
        text: air_words(a, prefs),
        factor: prefs.correction.air_factor(a).map_or_else(String::new, |f| format!("{f:.3}")),
    }
}

/// Something that was changed on the vehicle.
pub(crate) struct ChangedRow {
    pub(crate) id: i64,
    pub(crate) at: String,
    pub(crate) words: String,
    pub(crate) by: String,
}

/// What was changed on the vehicle, in order of time.
pub(crate) fn changed_rows(sheet: &DaySheet) -> Vec<ChangedRow> {
    let row = |i: &Intervention| ChangedRow {
        id: i.id,
        at: i.at_time.map_or_else(String::new, hhmm),
        words: i.words(),
        by: i.written_by.clone(),
    };
    sheet.interventions.iter().map(row).collect()
}

/// Fuel on hand in words.
pub(crate) fn fuel_words(sheet: &DaySheet, volume: VolumeUnit) -> Vec<(String, String)> {
    sheet
        .fuels
        .iter()
        .map(|f| {
            (
                f.fuel.clone(),
                format!(
                    "{:.0} {}{}",
                    f.litres / volume.litres(),
                    volume.label(),
                    if f.note.is_empty() { String::new() } else { format!(", {}", f.note) }
                ),
            )
        })
        .collect()
}

pub(crate) fn hhmm(t: NaiveTime) -> String {
    t.format("%H:%M").to_string()
}

fn hours(t: NaiveTime) -> f64 {
    f64::from(t.num_seconds_from_midnight()) / 3600.0
}

/// Temperatures at the start of each pull over the time of day.
pub(crate) fn timeline(sets: &[SetRead], sheet: &DaySheet, e: &Encoding, prefs: &Prefs) -> Timeline {
    let start =
        |m: &Measured, name: &str| m.channels.iter().find(|c| c.channel.as_str() == name).map(|c| c.start);
    let pulls = || {
        sets.iter()
            .flat_map(|s| &s.stored.pulls)
            .filter_map(|(p, s)| Some((hours(p.started_at?), &s.measured)))
    };
    let line = |label: &str, colour, dash, channel: &str| TimelineSeries {
        label: label.into(),
        colour,
        dash,
        points: pulls().filter_map(|(h, m)| Some((h, start(m, channel)?))).collect(),
    };
    let mut series = vec![
        line("oil", "medlar", "", "oil_temp"),
        line("coolant", "greengage", "7 3", "coolant_temp"),
        line("intake", "bilberry", "2.5 3", "intake_temp"),
    ];
    series.push(TimelineSeries {
        label: "cell air".into(),
        colour: "mid",
        dash: "10 3 2 3",
        points: sheet.air.iter().map(|(t, a)| (hours(*t), a.temperature_c)).collect(),
    });
    Timeline {
        series,
        sets: sets
            .iter()
            .enumerate()
            .map(|(i, s)| TimelineSet {
                label: name_of(s, i.checked_sub(1).map(|k| &sets[k])),
                tone: e.tone(&s.stored.set),
                pulls: s
                    .stored
                    .pulls
                    .iter()
                    .filter_map(|(p, m)| Some((hours(p.started_at?), m.measured.excluded.is_some())))
                    .collect(),
            })
            .collect(),
        notes: sheet
            .notes
            .iter()
            .filter_map(|n| n.at)
            .chain(sheet.interventions.iter().filter_map(|i| i.at_time))
            .map(hours)
            .collect(),
        unit: "°C".into(),
        scale: if prefs.theme == "dark" { 1.4 } else { 1.0 },
    }
}

/// Map, fuel, and the rung when the boost was set by hand; the rung alone right after a set of the same map
/// and fuel.
fn name_of(s: &SetRead, before: Option<&SetRead>) -> String {
    let c = &s.stored.set.config;
    let rung = if c.boost == "as mapped" { "" } else { c.boost.as_str() };
    let same = before.is_some_and(|b| b.stored.set.config.map == c.map && b.stored.set.config.fuel == c.fuel);
    match (same, rung) {
        (_, "") => format!("{} {}", c.map, c.fuel),
        (true, r) => r.to_owned(),
        (false, r) => format!("{} {} {r}", c.map, c.fuel),
    }
}

/// The timeline as SVG; empty without times.
pub(crate) fn timeline_svg(t: &Timeline) -> String {
    if t.is_empty() { String::new() } else { t.svg(Paint::Page) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_workflow::checklist::usual;

    fn fragment(answers: &Checklist, past: bool) -> ChecklistFragment {
        checklist_fragment(1, &usual(), (answers, &[]), past)
    }

    #[test]
    fn what_keeps_people_whole_decides_go() {
        let mut answers = Checklist::new();
        let f = fragment(&answers, false);
        assert!(!f.go && f.verdict.starts_with("No go yet: 6"), "{}", f.verdict);
        let f = fragment(&answers, true);
        assert!(f.past && f.verdict.starts_with("No check was written down"), "{}", f.verdict);
        for i in usual().into_iter().filter(|i| i.guards) {
            answers.insert(i.id, "yes".into());
        }
        let f = fragment(&answers, false);
        assert!(f.go && f.verdict.ends_with("6 of 20 looked at, not signed"), "{}", f.verdict);
        answers.insert(SIGNED.into(), "the calibrator, 14:05".into());
        let f = fragment(&answers, false);
        assert!(f.verdict.ends_with("looked at, signed by the calibrator, 14:05"), "{}", f.verdict);
        answers.insert("air".into(), "no".into());
        let f = fragment(&answers, false);
        assert!(!f.go && f.verdict.contains("exhaust extraction"), "{}", f.verdict);
    }

    #[test]
    fn a_value_out_of_its_window_says_what_it_does_to_a_comparison() {
        let answers = Checklist::from([
            ("filter.value".into(), "92".into()),
            ("compression.value".into(), "12.1 12.0 11.9 12.0".into()),
            ("wideband.value".into(), "about right".into()),
        ]);
        let f = fragment(&answers, false);
        let row = |id: &str| f.groups.iter().flat_map(|g| &g.rows).find(|r| r.id == id).unwrap();
        assert!(row("filter").out && row("filter").read.contains("pull a fresh baseline"));
        assert!(!row("compression").out && row("compression").read.starts_with("1.7 % apart"));
        assert!(row("wideband").out && row("wideband").read.contains("holds no number"));
        assert!(f.confounds);
    }
}
