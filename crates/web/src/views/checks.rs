//! What is looked at before the first pull, on which engine and dyno? For whoever runs the shop, at a desk.

use super::Shell;
use super::common::{Choice, count, dyno_kinds, id_of, number_words};
use crate::prefs::Prefs;
use askama::Template;
use jamjar_core::analysis::Ignition;
use jamjar_core::health::Takes;
use jamjar_core::pull::dyno::DynoKind;
use jamjar_workflow::checklist::{Change, For, GROUPS, Item, OwnChecks, usual};

pub(crate) struct CheckLine {
    pub(crate) id: String,
    pub(crate) text: String,
    pub(crate) guards: bool,
    /// One of the shop's own.
    pub(crate) own: bool,
    /// Lowest and highest that are good, or the largest share, %; blank where nothing is judged.
    pub(crate) low: String,
    pub(crate) high: String,
    pub(crate) unit: String,
    /// Its bounds are not those of the program.
    pub(crate) changed: bool,
}

#[derive(Template)]
#[template(path = "checks.html")]
pub(crate) struct ChecksPage {
    pub(crate) shell: Shell,
    pub(crate) answer: String,
    /// Engine and dyno it is shown for, as they stand in an address.
    pub(crate) engine: String,
    pub(crate) dyno: String,
    /// The same in words: what a change is for.
    pub(crate) scope: String,
    pub(crate) engines: Vec<Choice>,
    pub(crate) dynos: Vec<Choice>,
    pub(crate) groups: Vec<(&'static str, Vec<CheckLine>)>,
    pub(crate) left_out: Vec<(String, String)>,
    pub(crate) kinds: &'static [(&'static str, &'static str)],
}

/// What a line may take, by id and in words.
const KINDS: [(&str, &str); 7] = [
    ("", "a tick alone"),
    ("words", "words"),
    ("number", "one number"),
    ("all", "numbers, each within bounds"),
    ("each", "a number each, none far below the highest"),
    ("held", "pressure held: from, to, seconds"),
    ("codes", "fault codes"),
];

/// An engine kind out of an address; `None` for any.
pub(crate) fn engine_of(id: &str) -> Option<Ignition> {
    [Ignition::Spark, Ignition::Compression].into_iter().find(|k| id_of(k) == id)
}

/// A dyno kind out of an address; `None` for any.
pub(crate) fn dyno_of(id: &str) -> Option<DynoKind> {
    use DynoKind::{Engine, Hub, Pto, RollerBrake, RollerInertia};
    [Hub, RollerBrake, RollerInertia, Engine, Pto].into_iter().find(|k| id_of(k) == id)
}

fn dyno_words(k: DynoKind) -> &'static str {
    match k {
        DynoKind::Hub => "a hub dyno",
        DynoKind::RollerBrake => "a roller with a brake",
        DynoKind::RollerInertia => "an inertia drum",
        DynoKind::Engine => "an engine brake",
        DynoKind::Pto => "a power take-off brake",
    }
}

fn line(i: &Item) -> CheckLine {
    let bounds = i.takes.as_ref().map(Takes::bounds).unwrap_or_default();
    let program = usual().into_iter().find(|u| u.id == i.id);
    let (low, high) = match bounds[..] {
        [low, high] => (number_words(low), number_words(high)),
        [share] => (String::new(), number_words(100.0 * share)),
        _ => Default::default(),
    };
    CheckLine {
        id: i.id.clone(),
        text: i.text.clone(),
        guards: i.guards,
        own: program.is_none(),
        unit: match &i.takes {
            Some(Takes::Number { unit, .. } | Takes::All { unit, .. }) => unit.clone().into_owned(),
            Some(Takes::Each { .. }) => "% below the highest".into(),
            Some(Takes::Held { .. }) => "% lost in a minute".into(),
            _ => String::new(),
        },
        low,
        high,
        changed: program.is_some_and(|p| p.takes != i.takes),
    }
}

pub(crate) fn checks_page(own: &OwnChecks, only: For, prefs: &Prefs) -> ChecksPage {
    let list = own.list(only.one(), &Default::default());
    let left_out = usual().into_iter().chain(own.own.iter().filter(|o| !o.gone).map(|o| o.item.clone()));
    let left_out = left_out.filter(|i| {
        own.changed.iter().any(|c| c.id == i.id && c.change == Change::LeftOut)
            && list.iter().all(|l| l.id != i.id)
    });
    let engines = [("spark", "spark ignition"), ("compression", "diesel")];
    let dynos = dyno_kinds();
    let engine = only.engine.map(|e| id_of(&e)).unwrap_or_default();
    let dyno = only.dyno.map(|d| id_of(&d)).unwrap_or_default();
    let engine_words = engines.iter().find(|e| e.0 == engine).map_or("any engine", |e| e.1);
    let scope = format!("{engine_words} on {}", only.dyno.map_or("any dyno", dyno_words));
    let any = |label: &str, on: bool| Choice { id: String::new(), label: label.into(), on };
    ChecksPage {
        shell: Shell::new("Checks before a pull", &prefs.theme, "settings"),
        answer: format!("{} before the first pull: {scope}", count(list.len(), "line")),
        engines: std::iter::once(any("any engine", engine.is_empty()))
            .chain(engines.iter().map(|e| Choice { id: e.0.into(), label: e.1.into(), on: e.0 == engine }))
            .collect(),
        dynos: std::iter::once(any("any dyno", dyno.is_empty()))
            .chain(dynos.iter().map(|d| Choice { id: d.0.clone(), label: d.1.clone(), on: d.0 == dyno }))
            .collect(),
        engine,
        dyno,
        scope,
        groups: GROUPS
            .iter()
            .map(|g| (*g, list.iter().filter(|i| i.group == *g).map(line).collect()))
            .collect(),
        left_out: left_out.map(|i| (i.id, i.text)).collect(),
        kinds: &KINDS,
    }
}
