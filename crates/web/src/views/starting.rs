//! Starting points for limits beside what the stock baseline makes of them.

use super::Shell;
use crate::prefs::Prefs;
use crate::seen::mark;
use askama::Template;
use jamjar_core::limits::{Limit, LimitOutcome, Verdict};
use jamjar_core::units::Units;
use jamjar_core::words::{gate_words, limit_place, sentence_case, threshold_text, verdict_line, why};
use jamjar_store::VehicleRecord;
use jamjar_workflow::sets::SetRead;

/// One limit to be looked at.
pub(crate) struct StartingRow {
    pub(crate) id: String,
    pub(crate) seen: String,
    pub(crate) what: String,
    pub(crate) side: &'static str,
    pub(crate) threshold: String,
    pub(crate) unit: &'static str,
    /// When it counts, and for how long.
    pub(crate) when: String,
    /// What stands in its threshold's place cannot be.
    pub(crate) problem: String,
    /// What the stock baseline says of it.
    pub(crate) stock: String,
    pub(crate) crossed: bool,
}

#[derive(Template)]
#[template(path = "starting.html")]
pub(crate) struct StartingPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) from: String,
    pub(crate) title: String,
    /// The baseline, in words; blank without one.
    pub(crate) stock: String,
    pub(crate) rows: Vec<StartingRow>,
    pub(crate) crossed: usize,
    pub(crate) problem: String,
}

/// What a stock engine says of a limit.
fn stock_words(l: &Limit, o: &LimitOutcome, units: Units) -> String {
    let because = o.why.as_ref().map(why).unwrap_or_default();
    match o.verdict {
        Verdict::Over => {
            let at = limit_place(o, " rpm");
            format!("stock crosses this{at} ({}): edit it, or is it a fault?", verdict_line(l, o, units))
        }
        Verdict::CantTell | Verdict::NotMeasured | Verdict::NotReached => {
            format!("{}: {because}", o.verdict.label())
        }
        Verdict::Close | Verdict::Clear if because.is_empty() => verdict_line(l, o, units),
        Verdict::Close | Verdict::Clear => format!("{}, {because}", verdict_line(l, o, units)),
    }
}

/// The page: `limits` as they would be kept, and what the newest stock set, measured by them, says.
pub(crate) fn starting_page(
    v: &VehicleRecord,
    prefs: &Prefs,
    from: (&str, &str),
    limits: &[Limit],
    stock: Option<&SetRead>,
) -> StartingPage {
    let rows: Vec<StartingRow> = limits
        .iter()
        .map(|l| {
            let outcome = stock.and_then(|s| s.verdicts.iter().find(|o| o.limit == l.id));
            StartingRow {
                id: l.id.clone(),
                seen: mark(l),
                what: sentence_case(&l.channel.label()),
                side: l.direction.label(),
                threshold: threshold_text(&l.threshold),
                unit: l.channel.unit(),
                when: format!("{}, held for {} s", gate_words(l), l.sustain_s),
                problem: String::new(),
                stock: outcome.map(|o| stock_words(l, o, prefs.units())).unwrap_or_default(),
                crossed: outcome.is_some_and(|o| o.verdict == Verdict::Over),
            }
        })
        .collect();
    StartingPage {
        shell: Shell::new(format!("Limits to start from, {}", v.vehicle.name), &prefs.theme, "vehicles"),
        id: v.id,
        vehicle: v.vehicle.name.clone(),
        from: from.0.to_owned(),
        title: from.1.to_owned(),
        stock: stock.map_or_else(String::new, |s| {
            let set = &s.stored.set;
            format!("{} on {}, {}", set.config.map, set.config.fuel, prefs.written.date(set.date))
        }),
        crossed: rows.iter().filter(|r| r.crossed).count(),
        rows,
        problem: String::new(),
    }
}
