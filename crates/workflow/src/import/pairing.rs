//! Which files belong together, and which pulls to a set: by name first, by order where names say nothing.

use super::chosen::{ChosenPull, MadeOf};
use super::report::{FilePreview, PreviewPull, PrintPreview, RunPreview};
use jamjar_core::printed::PrintedAxis;
use jamjar_core::pull::span::PullKind;
use jamjar_store::{Configuration, InboxItem, Role};

/// A pull offered for commit.
#[derive(Debug, Clone, PartialEq)]
pub struct ProposedPull {
    /// What it is made of.
    pub made_of: MadeOf,
    /// Inbox id of the dyno file, the print, or the engine computer's file that stands alone.
    pub dyno: i64,
    /// Inbox id of the engine-computer file.
    pub ecu: Option<i64>,
    /// Which pull of the file, from 0, when it holds several.
    pub number: Option<usize>,
    /// File names, for the eye.
    pub names: String,
    /// What was found, in words.
    pub found: String,
}

impl ProposedPull {
    /// As it is stored when nobody says otherwise.
    pub(crate) fn chosen(&self) -> ChosenPull {
        let Self { made_of, dyno, ecu, number, .. } = *self;
        ChosenPull { made_of, dyno, ecu, number, ..ChosenPull::default() }
    }
}

/// Whether the map that files say is another than that of a set: their pulls are not taken for its own.
pub fn is_another_map(said: &str, set: &Configuration) -> bool {
    !said.is_empty() && !said.eq_ignore_ascii_case(&set.map)
}

/// A set offered for commit.
#[derive(Debug, Clone, PartialEq)]
pub struct Proposal {
    /// Key from the file names.
    pub key: String,
    /// Guess of the map among known names.
    pub map: String,
    /// Guess of the fuel among known names.
    pub fuel: String,
    /// Its pulls.
    pub pulls: Vec<ProposedPull>,
}

/// Words that name a recorder, not a pull.
const ROLE_WORDS: &[&str] = &[
    "dyno", "ecu", "hub", "roller", "brake", "engine", "log", "can", "drum", "data", "csv", "txt", "xlsx",
    "ods",
];

fn words(name: &str) -> Vec<String> {
    let stem = name.rsplit_once('.').map_or(name, |(s, _)| s).to_lowercase();
    stem.split(|c: char| !c.is_alphanumeric())
        .filter(|w| !w.is_empty() && !ROLE_WORDS.contains(w))
        .map(str::to_owned)
        .collect()
}

/// The words without a trailing pull number: `p1`, `run2`, `3`.
fn without_number(words: &[String]) -> Vec<String> {
    let mut w = words.to_vec();
    if let Some(last) = w.last() {
        let letters = last.trim_end_matches(|c: char| c.is_ascii_digit());
        if letters.len() < last.len() && matches!(letters, "" | "p" | "pull" | "run" | "r") {
            w.pop();
        }
    }
    w
}

/// Pairs the files of an inbox and groups pulls into sets.
pub fn propose(items: &[InboxItem], maps: &[String], fuels: &[String]) -> Vec<Proposal> {
    let mut ecus: Vec<&InboxItem> = items.iter().filter(|i| i.role == Role::Ecu).collect();
    let mut pairs: Vec<(&InboxItem, Option<&InboxItem>)> = Vec::new();
    for d in items.iter().filter(|i| i.role == Role::Dyno) {
        let at = ecus.iter().position(|e| words(&e.name) == words(&d.name));
        pairs.push((d, at.map(|i| ecus.remove(i))));
    }
    for p in pairs.iter_mut().filter(|p| p.1.is_none()) {
        if !ecus.is_empty() {
            p.1 = Some(ecus.remove(0));
        }
    }
    let mut out: Vec<Proposal> = Vec::new();
    // Recordings, prints and logs that stand alone are no repeats of each other: a set of each.
    let mut put = |kind: &str, w: &[String], pulls: Vec<ProposedPull>| {
        let name = if w.is_empty() { "set".to_owned() } else { w.join(" ") };
        let key = if kind.is_empty() { name } else { format!("{name}, {kind}") };
        let at = out.iter().position(|p| p.key == key).unwrap_or_else(|| {
            out.push(Proposal { map: guess(w, maps), fuel: guess(w, fuels), key, pulls: Vec::new() });
            out.len() - 1
        });
        out[at].pulls.extend(pulls);
    };
    for (d, e) in pairs {
        put("", &without_number(&words(&d.name)), pulls_of(d, e));
    }
    for e in ecus {
        put("engine computer alone", &without_number(&words(&e.name)), log_alone(e));
    }
    for p in items.iter().filter(|i| i.role == Role::Print) {
        for (name, pull) in runs_of(p) {
            let w = without_number(&words(&p.name));
            put("printed", &name.map_or(w, |n| words(&n)), vec![pull]);
        }
    }
    // The stock map comes first, whether the shop knows it yet or the files only say so.
    out.sort_by_key(|p| !(p.map.eq_ignore_ascii_case("stock") || p.key.split(' ').any(|w| w == "stock")));
    out
}

/// The known name that shares most words with the file name.
fn guess(words: &[String], known: &[String]) -> String {
    let score = |name: &String| {
        name.to_lowercase()
            .split(|c: char| !c.is_alphanumeric())
            .filter(|n| words.iter().any(|w| w == n))
            .count()
    };
    known.iter().filter(|n| score(n) > 0).max_by_key(|n| score(n)).cloned().unwrap_or_default()
}

fn found_words(p: &PreviewPull) -> String {
    let kind = match p.kind {
        PullKind::SweepUp => "",
        PullKind::LugDown => "lug-down, ",
        PullKind::HeldSteps => "held steps, ",
        PullKind::CurveOnly | PullKind::PeaksOnly | PullKind::LogOnly => "",
    };
    format!(
        "{kind}{:.0}–{:.0} rpm in {:.1} s, ended by {}",
        p.from_rpm,
        p.to_rpm,
        p.to_s - p.from_s,
        p.ended_by.label()
    )
}

/// The pulls of an engine computer's log without a dyno recording.
fn log_alone(e: &InboxItem) -> Vec<ProposedPull> {
    let names = format!("{} (no dyno recording: limits and timing, no power)", e.name);
    pulls_of(e, None)
        .into_iter()
        .map(|p| ProposedPull { made_of: MadeOf::LogAlone, names: names.clone(), ..p })
        .collect()
}

/// The pulls of a print; a run that has a name of its own, and no number, comes with it.
fn runs_of(item: &InboxItem) -> Vec<(Option<String>, ProposedPull)> {
    let report: Option<FilePreview> = serde_json::from_str(&item.report).ok();
    let Some(PrintPreview { runs, typed }) = report.and_then(|r| r.print) else { return Vec::new() };
    let pull = |number, found| ProposedPull {
        made_of: MadeOf::Print,
        dyno: item.id,
        ecu: None,
        number,
        names: item.name.clone(),
        found,
    };
    if typed.is_some() {
        return vec![(None, pull(None, "peaks typed from a print".into()))];
    }
    let several = runs.len() > 1;
    let one = |(i, r): (usize, RunPreview)| {
        let named =
            several && r.name.chars().any(char::is_alphabetic) && words(&r.name).len() > numbers(&r.name);
        let mut p = pull(Some(i), run_words(&r));
        if several {
            let name = if r.name.is_empty() { (i + 1).to_string() } else { r.name.clone() };
            p.names = format!("{}, run {name}", item.name);
        }
        (named.then_some(r.name), p)
    };
    runs.into_iter().enumerate().map(one).collect()
}

/// Words of a run's name that number it.
fn numbers(name: &str) -> usize {
    let number = |w: &String| {
        w.bytes().all(|b| b.is_ascii_digit()) || matches!(w.as_str(), "run" | "pull" | "test" | "no")
    };
    words(name).iter().filter(|w| number(w)).count()
}

fn run_words(r: &RunPreview) -> String {
    let unit = if r.axis == PrintedAxis::RoadSpeed { "km/h" } else { "rpm" };
    let peak = r.peak_kw.map_or_else(String::new, |[p, at]| format!(", {p:.1} kW at {at:.0} {unit}"));
    let guessed = if r.guessed.is_empty() { String::new() } else { format!(" ({})", r.guessed.join(", ")) };
    format!(
        "a finished curve, {:.0}–{:.0} {unit} in {} points{peak}{guessed}",
        r.span[0], r.span[1], r.points
    )
}

fn pulls_of(d: &InboxItem, e: Option<&InboxItem>) -> Vec<ProposedPull> {
    let report: Option<FilePreview> = serde_json::from_str(&d.report).ok();
    let found: Vec<String> = report.map(|r| r.pulls.iter().map(found_words).collect()).unwrap_or_default();
    let names = e.map_or_else(
        || format!("{} (no engine-computer log)", d.name),
        |e| format!("{} + {}", d.name, e.name),
    );
    let one = |number, found| ProposedPull {
        made_of: MadeOf::Recordings,
        dyno: d.id,
        ecu: e.map(|e| e.id),
        number,
        names: names.clone(),
        found,
    };
    match found.len() {
        0 => vec![one(None, "no pull found".into())],
        1 => vec![one(None, found[0].clone())],
        n => (0..n).map(|i| one(Some(i), format!("pull {} of {n}: {}", i + 1, found[i]))).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::pull::span::EndedBy;

    fn item(id: i64, name: &str, role: Role) -> InboxItem {
        InboxItem { id, file_id: id, name: name.into(), role, source: String::new(), report: String::new() }
    }

    #[test]
    fn a_pull_that_is_no_sweep_is_called_what_it_is() {
        let p = |kind| PreviewPull {
            from_s: 2.0,
            to_s: 28.5,
            from_rpm: 1100.0,
            to_rpm: 2100.0,
            ended_by: EndedBy::Lift,
            kind,
        };
        assert_eq!(found_words(&p(PullKind::SweepUp)), "1100–2100 rpm in 26.5 s, ended by lift");
        assert_eq!(
            found_words(&p(PullKind::HeldSteps)),
            "held steps, 1100–2100 rpm in 26.5 s, ended by lift"
        );
        assert!(found_words(&p(PullKind::LugDown)).starts_with("lug-down, "));
    }

    #[test]
    fn names_pair_files_and_group_pulls() {
        let items = [
            item(1, "c2-e30-p1_dyno.csv", Role::Dyno),
            item(2, "c2-e30-p1_ecu.csv", Role::Ecu),
            item(3, "c2-e30-p2_dyno.csv", Role::Dyno),
            item(4, "c2-e30-p2_ecu.csv", Role::Ecu),
            item(5, "stock-95-p1_dyno.csv", Role::Dyno),
            item(6, "stock-95-p1_ecu.csv", Role::Ecu),
        ];
        let p = propose(&items, &["Stock".into(), "C2".into()], &["RON 95 E5".into(), "E30".into()]);
        assert_eq!(
            p.iter()
                .map(|p| (p.key.as_str(), p.map.as_str(), p.fuel.as_str(), p.pulls.len()))
                .collect::<Vec<_>>(),
            [("stock 95", "Stock", "RON 95 E5", 1), ("c2 e30", "C2", "E30", 2)],
            "the stock map first: it is the usual baseline"
        );
        assert_eq!((p[1].pulls[1].dyno, p[1].pulls[1].ecu), (3, Some(4)));
        let unknown = propose(&items[..2], &[], &[]);
        assert_eq!((unknown[0].map.as_str(), unknown[0].fuel.as_str()), ("", ""));
    }

    #[test]
    fn without_telling_names_order_decides() {
        let items = [
            item(1, "a.csv", Role::Dyno),
            item(2, "b.csv", Role::Dyno),
            item(3, "x.csv", Role::Ecu),
            item(4, "readme.csv", Role::Unknown),
        ];
        let p = propose(&items, &[], &[]);
        assert_eq!(
            p.iter().flat_map(|p| &p.pulls).map(|p| (p.dyno, p.ecu)).collect::<Vec<_>>(),
            [(1, Some(3)), (2, None)]
        );
    }
}
