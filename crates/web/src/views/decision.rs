//! Which map on which fuel goes home, why, what it costs, and what would make it surer.

use super::Shell;
use super::common::{Choice, Encoding, costs_words, in_unit, unit_of};
use super::margins::{Linked, Links, front, name_of};
use crate::pages::margins::FIGURES;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_core::analysis::Figure;
use jamjar_core::words::{sentence_case, tell_sentence, usually_sentence, volume_words};
use jamjar_workflow::decision::{Asked, Decision, Next, OnFuel};

/// Sentences in sight: the answer, the runner-up and two that made more.
const SHOWN: usize = 4;

/// A fuel with the map that speaks for it.
pub(crate) struct FuelRow {
    pub(crate) fuel: String,
    pub(crate) sentence: Vec<Linked>,
    pub(crate) costs: String,
}

/// Something to pull, with its configuration where it can be planned.
pub(crate) struct ToPull {
    pub(crate) words: String,
    pub(crate) factors: String,
}

#[derive(Template)]
#[template(path = "decision.html")]
pub(crate) struct DecisionPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    /// The answer, then what stands beside it.
    pub(crate) sentences: Vec<Vec<Linked>>,
    /// What bars the rest.
    pub(crate) folded: Vec<Vec<Linked>>,
    pub(crate) front: String,
    pub(crate) none: &'static str,
    pub(crate) costs: String,
    pub(crate) fuels: Vec<FuelRow>,
    pub(crate) next: Vec<ToPull>,
    pub(crate) usually: String,
    pub(crate) blind: String,
    pub(crate) builds: Vec<Choice>,
    pub(crate) figures: Vec<Choice>,
    pub(crate) least: String,
    pub(crate) per_100_km: String,
    pub(crate) unit: &'static str,
}

fn fuel_costs(f: &OnFuel, prefs: &Prefs) -> String {
    let said = |(litres, money): (f64, Option<f64>), what: &str| {
        let money = money.map_or_else(String::new, |m| format!(", {}", prefs.written.money(m, 2)));
        format!("{what} {}{money}", volume_words(litres, prefs.volume))
    };
    let parts = [f.per_100_km.map(|p| said(p, "100 km take")), f.per_pull.map(|p| said(p, "a pull burns"))];
    let said = parts.into_iter().flatten().collect::<Vec<_>>().join("; ");
    if said.is_empty() { said } else { format!("{}.", sentence_case(&said)) }
}

fn to_pull(n: &Next, d: &Decision, figure: Figure, smallest: f64, prefs: &Prefs) -> ToPull {
    match n {
        Next::Tell { sets, pulls, have } => {
            let names = sets.map(|i| name_of(&d.all, i));
            let smallest = format!("{:.1} {}", in_unit(figure, smallest, prefs), unit_of(figure, prefs));
            let words = tell_sentence([&names[0], &names[1]], &smallest, *pulls, *have);
            ToPull { words, factors: String::new() }
        }
        Next::NeverPulled { factors } => {
            let of = |k: &str| factors.get(k).cloned().unwrap_or_default();
            ToPull {
                words: format!("{} was never pulled on {}.", of("map"), of("fuel")),
                factors: serde_json::to_string(factors).unwrap_or_default(),
            }
        }
    }
}

pub(crate) fn decision_page(d: &Decision, asked: &Asked, e: &Encoding, prefs: &Prefs) -> DecisionPage {
    let m = &d.all;
    let prefs = &prefs.fitting(&m.vehicle.vehicle.engine);
    let figure = asked.figure.unwrap_or(Figure::PeakPower);
    let links = Links { m, prefs, limits_at: format!("/vehicles/{}/margins", m.vehicle.id), bases: &d.bases };
    let smallest = asked.smallest.unwrap_or(jamjar_workflow::margins::SMALLEST);
    let choice = |id: &str, label: &str, on: bool| Choice { id: id.into(), label: label.into(), on };
    let mut sentences = m.recommended.as_ref().map_or_else(Vec::new, |r| links.sentences(r));
    // What nobody watched decides everything: it stands right below the answer.
    let unwatched = m.recommended.as_ref().map_or(0, |r| r.unwatched.len());
    if unwatched > 0 && sentences.len() > unwatched {
        sentences[1..].rotate_right(unwatched);
    }
    let folded = sentences.split_off(sentences.len().min(SHOWN + unwatched));
    let on_fuel = |f: &OnFuel| {
        // What was said of all above is not said again of each.
        let none = f.recommended.as_ref().is_some_and(|r| r.first.is_none());
        let plain = Linked { text: "No map can be recommended on it.".into(), href: String::new() };
        let said =
            if none { Some(vec![vec![plain]]) } else { f.recommended.as_ref().map(|r| links.sentences(r)) };
        FuelRow {
            fuel: f.fuel.clone(),
            sentence: said.and_then(|s| s.into_iter().next()).unwrap_or_default(),
            costs: fuel_costs(f, prefs),
        }
    };
    let usually = d.usually.as_ref().map_or_else(String::new, |u| {
        let others: Vec<String> =
            u.gains.iter().filter(|g| g.vehicle_id != m.vehicle.id).map(|g| g.vehicle.clone()).collect();
        usually_sentence(
            &u.map,
            u.others.as_ref(),
            u.own.map(|o| (o.percent, o.variance)),
            &others,
            others.len(),
        )
    });
    let blind: Vec<String> = m.blind.iter().map(|b| b.channel.label()).collect();
    DecisionPage {
        shell: Shell::new(format!("Which map, {}", m.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id: m.vehicle.id,
        vehicle: m.vehicle.vehicle.name.clone(),
        front: m.recommended.as_ref().map_or_else(String::new, |r| front(r, m, e, prefs)),
        none: if m.sets.is_empty() {
            "Nothing has been pulled yet."
        } else if m.vehicle.limits.is_empty() {
            "No limits are set for this vehicle: gains can be shown, and no map can be recommended."
        } else {
            "No set with the stock map was pulled in this build: there is nothing to hold the others against."
        },
        costs: d.price.as_ref().map_or_else(String::new, |p| {
            costs_words(&p.map, p.price, &p.gains.iter().collect::<Vec<_>>(), prefs)
        }),
        sentences,
        folded,
        fuels: d.fuels.iter().map(on_fuel).collect(),
        next: d.next.iter().map(|n| to_pull(n, d, figure, smallest, prefs)).collect(),
        usually,
        blind: blind.join(", "),
        builds: m.builds.iter().map(|b| choice(b, b, *b == m.wanted[1])).collect(),
        figures: FIGURES.into_iter().map(|f| choice(f.id(), f.label(), f == figure)).collect(),
        least: format!("{:.1}", in_unit(figure, smallest, prefs)),
        per_100_km: asked
            .per_100_km
            .map_or_else(String::new, |l| format!("{:.1}", l / prefs.volume.litres())),
        unit: unit_of(figure, prefs),
    }
}
