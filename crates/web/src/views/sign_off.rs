//! May this map go home by the way it drives? For the calibrator back from the drive, at arm's length.

use super::Shell;
use super::common::{Choice, heat};
use crate::prefs::Prefs;
use askama::Template;
use jamjar_core::pedal::{Cell, PEDAL_BIN, PEDALS, PedalMap};
use jamjar_core::words::{
    DrivenFile, driven_file_sentence, not_driven_sentence, pedal_sentence, sentence_case, sign_off_sentence,
    spread_sentence,
};
use jamjar_store::{Checklist, HeldFile, MapRecord, SignOff};
use jamjar_workflow::sign_off::{Complaint, Driven, Evidence, ITEMS, Once, complaint_of, standing, words_of};

/// A question with its answer.
pub(crate) struct Asked {
    pub(crate) id: String,
    pub(crate) text: String,
    pub(crate) words_only: bool,
    pub(crate) answer: String,
    pub(crate) words: String,
    /// What was observed, where it is a complaint.
    pub(crate) seen: Vec<String>,
    /// The pull it was last observed in.
    pub(crate) pull: Option<i64>,
}

/// The list of a map on a fuel; sent anew at each answer.
#[derive(Template)]
#[template(path = "sign_off_list.html")]
pub(crate) struct SignOffList {
    pub(crate) id: i64,
    pub(crate) map_id: i64,
    pub(crate) fuel_id: i64,
    pub(crate) verdict: String,
    /// Something is not right.
    pub(crate) wrong: bool,
    /// Everything asked has an answer, or may be left, and nobody has signed it.
    pub(crate) may_sign: bool,
    pub(crate) rows: Vec<Asked>,
    pub(crate) complaints: Vec<Asked>,
    pub(crate) earlier: String,
    /// Which file it is about; true when another map is in the unit.
    pub(crate) file: (String, bool),
}

pub(crate) struct PedalCell {
    pub(crate) text: String,
    pub(crate) ground: &'static str,
    /// The plate was shut in it under a held pedal.
    pub(crate) shut: bool,
}

pub(crate) struct PedalRow {
    pub(crate) at: String,
    pub(crate) cells: Vec<PedalCell>,
}

/// A pedal drawn as a table.
pub(crate) struct PedalTable {
    pub(crate) head: String,
    pub(crate) x: Vec<String>,
    pub(crate) rows: Vec<PedalRow>,
    pub(crate) about: String,
}

#[derive(Template)]
#[template(path = "sign_off.html")]
pub(crate) struct SignOffPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) choices: Vec<Choice>,
    pub(crate) list: Option<SignOffList>,
    pub(crate) spread: String,
    pub(crate) pedal: String,
    pub(crate) tables: Vec<PedalTable>,
}

fn range(r: Option<[f64; 2]>, unit: &str) -> Option<String> {
    let [a, b] = r?;
    Some(if (a - b).abs() < 1e-9 {
        format!("at {a:.0} {unit}")
    } else {
        format!("from {a:.0} to {b:.0} {unit}")
    })
}

fn once(o: &Once, prefs: &Prefs) -> String {
    let map = if o.map.is_empty() { "nobody said on which map".to_owned() } else { format!("on {}", o.map) };
    let place = [range(o.rpm, "rpm"), range(o.load, "% load")].into_iter().flatten();
    let mut out = vec![map, prefs.written.date(o.date)];
    out.extend(place);
    if !o.words.is_empty() {
        out.push(format!("“{}”", o.words));
    }
    out.join(", ")
}

fn complaint(c: &Complaint, answers: &Checklist, prefs: &Prefs) -> Asked {
    let mut seen: Vec<String> = Vec::new();
    seen.extend(c.after.iter().take(2).map(|o| format!("Again {}.", once(o, prefs))));
    seen.extend(c.before.iter().take(2).map(|o| format!("Before: {}.", once(o, prefs))));
    if c.after.is_empty() {
        seen.push(match c.pulls_since {
            0 => "No pull of this map since.".to_owned(),
            1 => "Nobody noted it in the one pull of this map since.".to_owned(),
            n => format!("Nobody noted it in the {n} pulls of this map since."),
        });
    }
    let key = complaint_of(&c.tag);
    Asked {
        answer: answers.get(&key).cloned().unwrap_or_default(),
        words: answers.get(&words_of(&key)).cloned().unwrap_or_default(),
        id: key,
        text: format!("{}: gone", sentence_case(&c.tag)),
        words_only: false,
        seen,
        pull: c.after.iter().chain(&c.before).find_map(|o| o.pull_id),
    }
}

fn by(s: &SignOff, prefs: &Prefs) -> Option<String> {
    s.signed.as_ref().map(|(who, at)| format!("{who} on {}", prefs.written.date(at.date())))
}

/// What was driven of a map, on whichever fuel was signed or answered last.
pub(super) fn driven_words(all: &[SignOff], map: &MapRecord, prefs: &Prefs) -> String {
    let own = |s: &&SignOff| s.map_id == map.id;
    match all.iter().filter(own).find(|s| s.signed.is_some()).or_else(|| all.iter().find(own)) {
        Some(s) => {
            let (wrong, untried) = standing(&s.answers, &[]);
            let name = format!("{} on {}", s.map, s.fuel);
            sign_off_sentence(&name, &wrong, &untried, by(s, prefs).as_deref())
        }
        None => not_driven_sentence(&map.name),
    }
}

/// The list for what is chosen; `None` where there is nothing to choose.
pub(crate) fn sign_off_list(d: &Driven, prefs: &Prefs) -> Option<SignOffList> {
    let c = d.chosen.as_ref()?;
    let blank = Checklist::new();
    let answers = d.newest.as_ref().map_or(&blank, |s| &s.answers);
    let (wrong, untried) = standing(answers, &d.complaints);
    let signed = d.newest.as_ref().and_then(|s| by(s, prefs));
    let name = format!("{} on {}", c.map, c.fuel);
    let verdict = sign_off_sentence(&name, &wrong, &untried, signed.as_deref());
    let asked = |i: &jamjar_workflow::sign_off::Item| Asked {
        id: i.id.to_owned(),
        text: i.text.to_owned(),
        words_only: i.words_only,
        answer: answers.get(i.id).cloned().unwrap_or_default(),
        words: answers.get(&words_of(i.id)).cloned().unwrap_or_default(),
        seen: Vec::new(),
        pull: None,
    };
    let went_in = d.in_unit.as_ref().map(|f| (f.map.as_str(), prefs.written.date(f.on)));
    let went_in = went_in.as_ref().map(|(map, on)| (*map, on.as_str()));
    let earlier = d.signed.as_ref().filter(|s| d.newest.as_ref().is_some_and(|n| n.id != s.id));
    Some(SignOffList {
        id: d.vehicle.id,
        map_id: c.map_id,
        fuel_id: c.fuel_id,
        verdict,
        file: driven_file_sentence(
            &c.map,
            DrivenFile {
                file: d.file.as_ref().map(HeldFile::begin),
                signed: d.newest.as_ref().filter(|s| s.signed.is_some()).map(|s| {
                    // As much of it as is said of the file in custody.
                    s.file.as_deref().map(|sha| sha.get(..12).unwrap_or(sha))
                }),
                in_unit: went_in,
            },
        ),
        wrong: !wrong.is_empty(),
        may_sign: wrong.is_empty() && signed.is_none() && d.newest.is_some(),
        rows: ITEMS.iter().map(asked).collect(),
        complaints: d.complaints.iter().map(|c| complaint(c, answers, prefs)).collect(),
        earlier: earlier
            .and_then(|s| by(s, prefs))
            .map_or_else(String::new, |b| format!("Signed before by {b}; answers have changed since.")),
    })
}

fn heads() -> Vec<String> {
    (0..PEDALS).map(|k| format!("{:.0}", k as f64 * PEDAL_BIN)).collect()
}

fn table(head: String, about: String, rpm: &[f64], cell: impl Fn(usize, usize) -> PedalCell) -> PedalTable {
    let row = |r: usize| PedalRow {
        at: format!("{:.0}", rpm[r]),
        cells: (0..PEDALS).map(|k| cell(r, k)).collect(),
    };
    PedalTable { head, x: heads(), rows: (0..rpm.len()).rev().map(row).collect(), about }
}

fn shown(c: &Cell) -> PedalCell {
    match (c.plate, c.hits) {
        (Some(p), _) => PedalCell {
            text: format!("{p:.0}"),
            // The deepest ground is for differences: figures of a whole column would be hard to read on it.
            ground: heat(p / 100.0, [0.15, 0.60, 2.0]),
            shut: c.closures > 0,
        },
        (None, 0) => PedalCell { text: String::new(), ground: "none", shut: false },
        (None, n) => PedalCell { text: format!("({n})"), ground: "few", shut: false },
    }
}

fn of_map(name: &str, m: &PedalMap, pulls: usize) -> PedalTable {
    let hits: usize = m.cells.iter().flatten().map(|c| c.hits).sum();
    let from = if pulls == 1 { "one recording".to_owned() } else { format!("{pulls} recordings") };
    table(
        format!("Plate of {name}, %"),
        format!("{hits} samples of {from} with the pedal held."),
        &m.rpm,
        |r, k| shown(&m.cells[r][k]),
    )
}

fn tables(e: &Evidence, name: &str) -> Vec<PedalTable> {
    let Some(own) = &e.pedal else { return Vec::new() };
    let mut out = Vec::new();
    if let Some((_, diff)) = &e.stock
        && diff.largest.is_some()
    {
        let cell = |r: usize, k: usize| match diff.points[r][k] {
            Some(p) => {
                PedalCell { text: format!("{p:+.0}"), ground: heat(p, [3.0, 10.0, 25.0]), shut: false }
            }
            None => PedalCell { text: String::new(), ground: "none", shut: false },
        };
        let about = "Where both were driven; the rest is blank.".to_owned();
        out.push(table(format!("Plate of {name} less stock, points"), about, &diff.rpm, cell));
    }
    out.push(of_map(name, &own.map, own.pulls));
    if let Some((stock, _)) = &e.stock {
        out.push(of_map("stock", &stock.map, stock.pulls));
    }
    out
}

pub(crate) fn sign_off_page(d: &Driven, e: &Evidence, prefs: &Prefs) -> SignOffPage {
    let name = d.chosen.as_ref().map_or("", |c| c.map.as_str());
    let unit = (prefs.power.label(), prefs.power.from_kw(1.0));
    let choice = |c: &jamjar_workflow::sign_off::Choice| Choice {
        id: format!("{}-{}", c.map_id, c.fuel_id),
        label: format!("{} on {}", c.map, c.fuel),
        on: d.chosen.as_ref() == Some(c),
    };
    SignOffPage {
        shell: Shell::new(format!("{}, driven", d.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id: d.vehicle.id,
        vehicle: d.vehicle.vehicle.name.clone(),
        choices: d.choices.iter().map(choice).collect(),
        list: sign_off_list(d, prefs),
        spread: match &e.spread {
            Ok((r, base)) => spread_sentence(name, &base.config.map, r, unit),
            Err(_) if d.chosen.is_none() => String::new(),
            Err(why) => format!("Whether it is the same every time can't be told: {why}."),
        },
        pedal: match &e.pedal {
            Some(p) => {
                pedal_sentence(name, &p.map, e.stock.as_ref().map(|(_, diff)| ("stock", diff)))
            }
            None if d.chosen.is_none() => String::new(),
            None => "Pedal to plate: not measured. Log engine speed, pedal and throttle plate on a drive and drop the \
                     recording on a day sheet."
                .to_owned(),
        },
        tables: tables(e, name),
    }
}
