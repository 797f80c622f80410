//! Fuels with their deliveries on a page.

use super::{Shell, Typed};
use crate::pages::fuels::MEASURED_BY;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_core::calculators::kind::Kind;
use jamjar_store::{FuelBatch, FuelRecord};

pub(crate) struct BatchRow {
    pub(crate) id: i64,
    pub(crate) name: String,
    pub(crate) facts: String,
    pub(crate) ethanol: String,
}

pub(crate) struct FuelRow {
    pub(crate) id: i64,
    pub(crate) name: String,
    pub(crate) facts: String,
    pub(crate) batches: Vec<BatchRow>,
    /// Its form is open again, with what was typed.
    pub(crate) open: bool,
}

#[derive(Template)]
#[template(path = "fuels.html")]
pub(crate) struct FuelsPage {
    pub(crate) shell: Shell,
    pub(crate) fuels: Vec<FuelRow>,
    pub(crate) f: Typed,
    pub(crate) problem: String,
    pub(crate) ways: [&'static str; 3],
}

fn percent(e: f64) -> String {
    format!("{:.0} %", 100.0 * e)
}

pub(crate) fn fuels_page(
    fuels: &[FuelRecord],
    batches: &[FuelBatch],
    f: Typed,
    problem: String,
    prefs: &Prefs,
) -> FuelsPage {
    let batch = |b: &FuelBatch| {
        let parts = [
            b.bought_on.map(|d| prefs.written.date(d)).unwrap_or_default(),
            b.source.clone(),
            b.note.clone(),
            b.written_by.clone(),
        ];
        BatchRow {
            id: b.id,
            name: b.name.clone(),
            facts: parts.into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(" · "),
            ethanol: b.ethanol.map_or_else(
                || "ethanol not measured".into(),
                |e| format!("{} ethanol by {}", percent(e), b.measured_by),
            ),
        }
    };
    let row = |r: &FuelRecord| {
        let s = &r.said;
        let kind = Kind::of(&s.kind).filter(|k| *k != Kind::Gasoline).map(|k| k.label().to_owned());
        let octane = s.octane.map(|o| format!("{} {o:.0}", s.octane_scale));
        let price = s.price.map(|p| format!("{} a litre", prefs.written.money(p, 2)));
        let held = s.ethanol.map(|e| format!("{} ethanol", percent(e)));
        let typed = [
            s.density_kg_l.map(|v| format!("{v} kg/L")),
            s.stoich_afr.map(|v| format!("{v} to 1 stoichiometric")),
            s.lhv_mj_kg.map(|v| format!("{v} MJ/kg")),
        ];
        let parts: Vec<String> = [kind, held, octane, price].into_iter().chain(typed).flatten().collect();
        FuelRow {
            id: r.id,
            name: s.name.clone(),
            facts: if parts.is_empty() { "nothing said of it".into() } else { parts.join(" · ") },
            batches: batches.iter().filter(|b| b.fuel_id == r.id).map(batch).collect(),
            open: f.of("fuel") == r.id.to_string(),
        }
    };
    FuelsPage {
        shell: Shell::new("Fuels", &prefs.theme, "blend"),
        fuels: fuels.iter().map(row).collect(),
        f,
        problem,
        ways: MEASURED_BY,
    }
}
