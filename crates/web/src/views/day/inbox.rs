//! Dropped files before commit: what was found, what is asked, what is offered.

use crate::views::common::{ColumnTable, channels, column_rows, count, id_of, units};
use askama::Template;
use jamjar_core::correction::Correction;
use jamjar_core::printed::{Applied, Place};
use jamjar_core::pull::dyno::DynoKind;
use jamjar_core::units::{Unit, Units};
use jamjar_core::words::{finding, unit_doubt};
use jamjar_store::{InboxItem, Role, Running, SetWithPulls};
use jamjar_workflow::import::{FilePreview, MadeOf, Proposal, ProposedPull, is_another_map};
use jamjar_workflow::printed::{POWER, TORQUE};

pub(crate) struct FileRow {
    pub(crate) name: String,
    pub(crate) role: &'static str,
    pub(crate) facts: String,
    pub(crate) notes: Vec<String>,
}

pub(crate) struct SourceRow {
    pub(crate) role: &'static str,
    pub(crate) files: usize,
    pub(crate) found: usize,
    pub(crate) columns: ColumnTable,
}

pub(crate) struct QuestionRow {
    pub(crate) source: String,
    pub(crate) column: String,
    pub(crate) channel: String,
    pub(crate) text: String,
    pub(crate) options: Vec<(String, &'static str)>,
}

pub(crate) struct PullRow {
    pub(crate) value: String,
    pub(crate) names: String,
    pub(crate) found: String,
    pub(crate) usable: bool,
    /// Logs of the engine computer it may go with: value, name, chosen. Empty where there is nothing to choose, or
    /// the file was asked before.
    pub(crate) logs: Vec<(String, String, bool)>,
}

/// Peaks typed from a print, as they stand in their form.
#[derive(Debug, Clone, Default, serde::Deserialize)]
#[serde(default)]
pub(crate) struct TypedForm {
    pub(crate) name: String,
    pub(crate) power: String,
    pub(crate) power_unit: String,
    pub(crate) power_rpm: String,
    pub(crate) torque: String,
    pub(crate) torque_unit: String,
    pub(crate) torque_rpm: String,
    /// Name of the field that is wrong, and what is.
    #[serde(skip)]
    pub(crate) bad: &'static str,
    #[serde(skip)]
    pub(crate) problem: String,
}

pub(crate) struct ProposalRow {
    pub(crate) index: usize,
    pub(crate) key: String,
    pub(crate) map: String,
    pub(crate) fuel: String,
    pub(crate) stock: bool,
    pub(crate) boost: String,
    pub(crate) gear: String,
    pub(crate) build: String,
    /// The stored set its pulls go to; 0 for one of their own.
    pub(crate) into: i64,
    /// It is the set that runs now.
    pub(crate) runs: bool,
    /// Its pulls came finished: where, with which correction and smoothing, is asked.
    pub(crate) printed: bool,
    pub(crate) pulls: Vec<PullRow>,
}

#[derive(Template, Default)]
#[template(path = "inbox.html")]
pub(crate) struct InboxFragment {
    pub(crate) day_id: i64,
    pub(crate) errors: Vec<String>,
    pub(crate) known: Vec<String>,
    pub(crate) files: Vec<FileRow>,
    /// How many, from where, with how much recognised.
    pub(crate) files_words: String,
    pub(crate) sources: Vec<SourceRow>,
    pub(crate) questions: Vec<QuestionRow>,
    pub(crate) proposals: Vec<ProposalRow>,
    pub(crate) maps: Vec<String>,
    pub(crate) fuels: Vec<String>,
    /// Extras of the vehicle's earlier sets, as they are typed.
    pub(crate) extras: Vec<String>,
    pub(crate) problem: String,
    /// Sets of the day that pulls may go to.
    pub(crate) stored: Vec<(i64, String)>,
    /// Channels and units to choose from.
    pub(crate) channels: Vec<(String, &'static str)>,
    pub(crate) units: Vec<(String, &'static str)>,
    /// The newest build of the vehicle.
    pub(crate) build: String,
    /// Places of measurement and corrections to choose from; the place that fits the dyno.
    pub(crate) places: Vec<(String, String)>,
    pub(crate) families: Vec<(String, String)>,
    pub(crate) place: &'static str,
    pub(crate) typed: TypedForm,
    pub(crate) power_units: Vec<&'static str>,
    pub(crate) torque_units: Vec<&'static str>,
}

impl InboxFragment {
    /// Where pulls may go, and that those which name no other map go to the set that runs now.
    pub(crate) fn goes_to(&mut self, stored: &[SetWithPulls], running: Option<&Running>) {
        let words = |s: &SetWithPulls| {
            let c = &s.set.config;
            (
                s.set.id,
                format!("set {}: {} on {} {}", s.set.position, c.map, c.fuel, c.boost).trim().to_owned(),
            )
        };
        self.stored = stored.iter().map(words).collect();
        let Some(now) = running else { return };
        for p in self.proposals.iter_mut().filter(|p| !p.printed) {
            if is_another_map(&p.map, &now.config) {
                continue;
            }
            let c = &now.config;
            (p.map, p.fuel) = (c.map.clone(), c.fuel.clone());
            (p.boost, p.gear, p.build) = (c.boost.clone(), c.gear.clone(), c.build.clone());
            p.stock = c.map_kind == "stock";
            p.into = now.set.unwrap_or(0);
            p.runs = true;
        }
    }

    /// Of a day on which nothing waits.
    pub(crate) fn empty(day_id: i64) -> Self {
        Self {
            day_id,
            power_units: POWER.map(Unit::label).into(),
            torque_units: TORQUE.map(Unit::label).into(),
            ..Self::default()
        }
    }
}

/// Places of measurement: ids and words.
pub(crate) fn places() -> Vec<(String, String)> {
    let dyno = (String::new(), "where the dyno measures".to_owned());
    std::iter::once(dyno).chain(Place::ALL.map(|p| (p.id().to_owned(), p.words().to_owned()))).collect()
}

/// Corrections a print may carry: ids and words.
pub(crate) fn applied() -> Vec<(String, String)> {
    let unknown = (Applied::Unknown.id().to_owned(), "nobody knows".to_owned());
    let family = |c: &Correction| {
        let words = if *c == Correction::None { "none: as measured" } else { c.label() };
        (c.id().to_owned(), words.to_owned())
    };
    std::iter::once(unknown).chain(Correction::ALL.iter().map(family)).collect()
}

/// Where prints of a cell were most likely measured.
fn usual_place(kind: DynoKind) -> &'static str {
    match kind {
        DynoKind::Hub => Place::Hub.id(),
        DynoKind::Engine => Place::Crank.id(),
        DynoKind::RollerBrake | DynoKind::RollerInertia => Place::Wheel.id(),
        DynoKind::Pto => "",
    }
}

fn role_words(r: Role) -> &'static str {
    match r {
        Role::Dyno => "dyno",
        Role::Ecu => "engine computer",
        Role::Print => "print",
        Role::Unknown => "not recognised",
    }
}

/// “3 files: 2 from the dyno with 4 channels recognised, 1 print with 2 columns recognised”.
fn files_words(files: &[FileRow], sources: &[SourceRow]) -> String {
    let of = |s: &SourceRow| match s.role {
        "print" => format!("{} with {} recognised", count(s.files, "table"), count(s.found, "column")),
        role => format!("{} from the {role} with {} recognised", s.files, count(s.found, "channel")),
    };
    let mut parts: Vec<String> = sources.iter().map(of).collect();
    let typed = files.len() - sources.iter().map(|s| s.files).sum::<usize>().min(files.len());
    if typed > 0 {
        parts.push(format!("{} of typed peaks", count(typed, "print")));
    }
    format!("{}: {}", count(files.len(), "file"), parts.join(", "))
}

pub(crate) fn inbox_fragment(
    day_id: i64,
    items: &[InboxItem],
    proposals: &[Proposal],
    maps: Vec<String>,
    fuels: Vec<String>,
    build: String,
    kind: DynoKind,
) -> InboxFragment {
    let mut out = InboxFragment {
        maps,
        fuels,
        channels: channels(),
        units: units(),
        build,
        places: places(),
        families: applied(),
        place: usual_place(kind),
        ..InboxFragment::empty(day_id)
    };
    let mut seen: Vec<&str> = Vec::new();
    for item in items {
        let Ok(p) = serde_json::from_str::<FilePreview>(&item.report) else { continue };
        let pulls = if p.pulls.len() == 1 { "1 pull".to_owned() } else { format!("{} pulls", p.pulls.len()) };
        out.files.push(FileRow {
            name: item.name.clone(),
            role: role_words(item.role),
            facts: match &p.print {
                None => format!("{} rows over {:.1} s, {pulls}", p.rows, p.seconds),
                Some(x) if x.typed.is_some() => "peaks typed from a print".to_owned(),
                Some(x) => format!("a finished table: {} in {} rows", count(x.runs.len(), "run"), p.rows),
            },
            notes: p.findings.iter().map(|f| finding(f, Units::default())).collect(),
        });
        if seen.contains(&item.source.as_str()) {
            continue;
        }
        seen.push(&item.source);
        if p.columns.is_empty() {
            continue;
        }
        out.sources.push(SourceRow {
            role: role_words(item.role),
            files: items.iter().filter(|i| i.source == item.source).count(),
            found: p.columns.iter().filter(|c| c.channel.is_some()).count(),
            columns: ColumnTable {
                action: format!("/days/{day_id}/answers"),
                inbox: true,
                key: item.source.clone(),
                title: format!("Columns of the {}", role_words(item.role)),
                rows: column_rows(&p.columns),
            },
        });
        out.questions.extend(p.questions.iter().map(|q| QuestionRow {
            source: item.source.clone(),
            column: q.column.clone(),
            channel: q.channel.to_string(),
            text: unit_doubt(&q.column, &q.doubt),
            options: q.options.iter().map(|u| (id_of(u), u.label())).collect(),
        }));
    }
    out.files_words = files_words(&out.files, &out.sources);
    let logs: Vec<(i64, &str)> =
        items.iter().filter(|i| i.role == Role::Ecu).map(|i| (i.id, i.name.as_str())).collect();
    let mut asked: Vec<i64> = Vec::new();
    let mut choices = |x: &ProposedPull| {
        if x.made_of != MadeOf::Recordings || logs.is_empty() || asked.contains(&x.dyno) {
            return Vec::new();
        }
        asked.push(x.dyno);
        let none = (format!("{}:", x.dyno), "no engine-computer log".to_owned(), x.ecu.is_none());
        let log =
            |(id, name): &(i64, &str)| (format!("{}:{id}", x.dyno), (*name).to_owned(), x.ecu == Some(*id));
        std::iter::once(none).chain(logs.iter().map(log)).collect()
    };
    out.proposals = proposals
        .iter()
        .enumerate()
        .map(|(index, p)| ProposalRow {
            index,
            key: p.key.clone(),
            map: p.map.clone(),
            fuel: p.fuel.clone(),
            boost: String::new(),
            gear: String::new(),
            build: out.build.clone(),
            into: 0,
            runs: false,
            printed: p.pulls.iter().any(|x| x.made_of == MadeOf::Print),
            stock: p.map.eq_ignore_ascii_case("stock") || p.key.split(' ').any(|w| w == "stock"),
            pulls: p
                .pulls
                .iter()
                .map(|x| PullRow {
                    value: format!(
                        "{}{}:{}:{}",
                        match x.made_of {
                            MadeOf::Recordings => "",
                            MadeOf::LogAlone => "log-",
                            MadeOf::Print => "print-",
                        },
                        x.dyno,
                        x.ecu.map_or_else(String::new, |e| e.to_string()),
                        x.number.map_or_else(String::new, |n| n.to_string())
                    ),
                    names: x.names.clone(),
                    found: x.found.clone(),
                    usable: x.found != "no pull found",
                    logs: choices(x),
                })
                .collect(),
        })
        .collect();
    out
}
