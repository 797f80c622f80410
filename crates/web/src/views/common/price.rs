//! What a map costs for what it gained.

use super::figure::{in_unit, unit_of};
use crate::prefs::Prefs;
use jamjar_core::analysis::{Figure, FigureComparison};
use jamjar_core::stats::price::price_per;

fn place(f: Figure) -> &'static str {
    match f {
        Figure::BandMeanPower | Figure::BandMeanTorque => "of band mean",
        Figure::PeakPower | Figure::PeakTorque => "at peak",
        _ => "of what is asked",
    }
}

/// Money for each unit gained, figure by figure, in the reader's units; a figure without an interval says nothing,
/// one whose interval is no gain has no price. Blank where no figure says anything.
pub(crate) fn costs_words(map: &str, price: f64, gains: &[&FigureComparison], prefs: &Prefs) -> String {
    let money = |v: f64, digits| prefs.written.money(v, digits);
    let one = |g: &&FigureComparison| {
        let read = |v: f64| in_unit(g.figure, v, prefs);
        let (unit, place) = (unit_of(g.figure, prefs), place(g.figure));
        Some(match price_per(price, read(g.mean_difference?), g.ci95?.map(read)) {
            Some(p) => {
                format!("{} a {unit} {place} ({:.1} to {})", money(p.value, 1), p.low, money(p.high, 1))
            }
            None => format!("no price a {unit} {place}, for no gain is shown there"),
        })
    };
    let parts: Vec<String> = gains.iter().filter_map(one).collect();
    if parts.is_empty() {
        String::new()
    } else {
        format!("{map} costs {}: {}.", money(price, 0), parts.join(", "))
    }
}
