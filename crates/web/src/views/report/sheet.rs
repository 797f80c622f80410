//! The sheet: what did I gain where I drive, what was checked, what was not? For the owner, on paper, at arm's length.
//! One page answers; what follows is for those who ask.

use super::facts::{LimitFacts, PullFacts, SetFacts, limit_facts, pull_facts, set_facts, span};
use crate::assets::embedded;
use crate::prefs::Prefs;
use crate::views::common::{Encoding, Matrix, in_unit, matrix, on_lineup, unit_of};
use crate::views::lineage::unit_words;
use crate::views::lineup::{
    FigureRow, LineUpAsked, StateRow, by_peak, chart_of, figure_row, focus_of, limit_columns, lineup_page,
    name_of, place_of,
};
use crate::views::sign_off::driven_words;
use crate::views::vehicle::engine_words;
use askama::Template;
use jamjar_chart::{Paint, lineup_svg};
use jamjar_core::analysis::Figure;
use jamjar_core::words::{
    HEED, Method, NOT_OF_THESE, SAYS_AND_NOT, Speech, left_in_unit, method_sentences, sentence_about,
};
use jamjar_workflow::report::Part;

/// Who issues it, and to whom.
#[derive(Debug, Clone, Default)]
pub(crate) struct Letterhead {
    pub(crate) number: String,
    /// Date in words.
    pub(crate) issued: String,
    pub(crate) by: String,
    pub(crate) shop: String,
    pub(crate) shop_line: String,
    /// The shop's mark as a data address; blank where it has none.
    pub(crate) mark: String,
    pub(crate) customer: String,
    pub(crate) remarks: Vec<String>,
    /// Whose place it takes, and why; blank for a first one.
    pub(crate) supersedes: String,
    /// Hash of the figures behind it.
    pub(crate) figures_sha: String,
}

/// One vehicle on it.
pub(crate) struct SheetPart {
    pub(super) vehicle: String,
    pub(super) about: String,
    pub(super) sentence: String,
    pub(super) second: String,
    pub(super) driven: String,
    pub(super) limits: String,
    pub(super) limits_warn: bool,
    pub(super) chart: String,
    pub(super) heads: Vec<String>,
    pub(super) rows: Vec<FigureRow>,
    pub(super) matrix: Matrix,
    pub(super) unit: String,
    pub(super) software: String,
    pub(super) caveats: Vec<String>,
    pub(super) state: Vec<StateRow>,
    pub(super) state_of: String,
    pub(super) method: Vec<String>,
    pub(super) sets: Vec<SetFacts>,
    pub(super) pulls: Vec<PullFacts>,
    pub(super) limit_facts: Vec<LimitFacts>,
}

/// A whole sheet: a file of its own that asks nothing of a network.
#[derive(Template)]
#[template(path = "report_sheet.html")]
pub(crate) struct Sheet {
    pub(super) head: Letterhead,
    pub(super) parts: Vec<SheetPart>,
    pub(super) says: &'static [&'static str],
    pub(super) heed: &'static [&'static str],
    pub(super) fonts: [(&'static str, String); 3],
    pub(super) version: &'static str,
    pub(super) algorithm: u32,
}

impl Sheet {
    pub(crate) fn new(head: Letterhead, parts: Vec<SheetPart>) -> Self {
        let font = |family, path| (family, embedded(path));
        Self {
            head,
            parts,
            says: &SAYS_AND_NOT,
            heed: &HEED,
            fonts: [
                font("Fraunces", "fonts/fraunces.woff2"),
                font("Atkinson Hyperlegible Next", "fonts/atkinson-next.woff2"),
                font("Atkinson Hyperlegible Mono", "fonts/atkinson-mono.woff2"),
            ],
            version: env!("CARGO_PKG_VERSION"),
            algorithm: jamjar_core::ALGORITHM_VERSION,
        }
    }

    /// The line it goes by in lists.
    pub(crate) fn title(&self) -> String {
        let all: Vec<String> = self.parts.iter().map(|p| format!("{}: {}", p.vehicle, p.sentence)).collect();
        all.join(" ").chars().take(400).collect()
    }
}

/// What a customer reads first: peaks, and the mean where the vehicle is driven, else over the band.
fn columns(p: &Part) -> Vec<Figure> {
    let driven = p.line_up.settings.driven.is_some();
    let mean = if driven { Figure::DrivenPower } else { Figure::BandMeanPower };
    vec![mean, Figure::PeakPower, Figure::PeakTorque]
}

/// One vehicle of a sheet, in the units of who issues it.
pub(crate) fn sheet_part(p: &Part, e: &Encoding, asked: &LineUpAsked, prefs: &Prefs) -> SheetPart {
    let l = &*p.line_up;
    let page = lineup_page(l, e, prefs, asked, &jamjar_workflow::lineup::Channels::default());
    let prefs = &on_lineup(prefs, l);
    let focus = focus_of(l, asked.focus, prefs.shown.leads());
    let shown = focus.map_or(l.base, |f| l.comparisons[f].candidate);
    let (order, columns) = (by_peak(l), columns(p));
    let name =
        |id: &str| l.results.iter().position(|r| r.id == id).map_or_else(|| id.to_owned(), |i| name_of(l, i));
    let to = Speech { units: prefs.units(), name: &name };
    let driven = focus.map(|f| {
        let view = columns[0];
        let unit = (unit_of(view, prefs), &(|v| in_unit(view, v, prefs)) as &dyn Fn(f64) -> f64);
        sentence_about(&l.comparisons[f], &l.results, &to, view, &place_of(view, l), unit)
    });
    let factors =
        l.results.iter().flat_map(|r| &r.pulls).filter(|c| !c.is_left_uncorrected()).map(|c| c.factor);
    let counted = l.results.iter().flat_map(|r| &r.included).filter(|i| **i).count();
    let method = Method {
        place: l.vehicle.vehicle.dyno.kind.place(),
        correction: prefs.correction_of(&l.vehicle.vehicle.engine).label(),
        factors: span(factors),
        smoothing_s: prefs.smoothing_s,
        headline: prefs.headline.label(),
        pulls: [counted, l.results.iter().map(|r| r.included.len()).sum()],
    };
    let about = [engine_words(&l.vehicle), l.vehicle.sheet.model.clone(), l.vehicle.sheet.plate.clone()];
    SheetPart {
        vehicle: l.vehicle.vehicle.name.clone(),
        about: about.into_iter().filter(|a| !a.is_empty()).collect::<Vec<_>>().join(" · "),
        sentence: page.sentence,
        second: page.second,
        driven: driven.unwrap_or_default(),
        limits: page.limit_sentence,
        limits_warn: page.limit_warn,
        chart: lineup_svg(&chart_of(l, e, prefs, focus, Vec::new()), Paint::Print),
        heads: columns.iter().map(|f| format!("{}, {}", place_of(*f, l), unit_of(*f, prefs))).collect(),
        rows: order.iter().map(|i| figure_row(l, e, prefs, *i, ("", &columns))).collect(),
        matrix: matrix(&l.vehicle, &limit_columns(l, e, &order), prefs),
        unit: in_the_unit(p, prefs),
        software: p
            .lineage
            .software
            .iter()
            .map(|u| format!("{} {}", u.unit, u.version))
            .collect::<Vec<_>>()
            .join(", "),
        caveats: page.caveats.into_iter().chain(page.more).map(|c| c.1).collect(),
        state: page.state,
        state_of: name_of(l, shown),
        method: method_sentences(&method),
        sets: (0..l.sets.len()).map(|i| set_facts(p, i, prefs)).collect(),
        pulls: pull_facts(p, prefs),
        limit_facts: limit_facts(p, prefs),
    }
}

/// What is in the unit now, with the hash of its file.
fn in_the_unit(p: &Part, prefs: &Prefs) -> String {
    let flashed = p.lineage.flashes.first();
    let sentence = unit_words(&p.lineage, prefs).0;
    let own = flashed.and_then(|f| p.lineage.tree.iter().find(|m| m.map.id == f.map_id)).map(|m| &m.map);
    let file = own.and_then(|m| m.file.as_ref());
    let said = left_in_unit(&sentence, file.map(|f| f.sha256.as_str()));
    let of_these = |name: &str| p.line_up.sets.iter().any(|s| s.set.config.map == name);
    let driven = own.filter(|m| m.kind != "stock").map(|m| driven_words(&p.sign_offs, m, prefs));
    let none = flashed.filter(|f| !of_these(&f.map)).map(|_| NOT_OF_THESE.to_owned());
    [Some(said), none, driven].into_iter().flatten().collect::<Vec<_>>().join(" ")
}
