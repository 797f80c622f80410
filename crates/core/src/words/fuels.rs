//! What to pour, what is in a tank, and how often to rinse it, in words.

use super::listed;
use crate::calculators::mix::Mix;
use crate::calculators::rinse::Rinses;
use crate::factors::tank::InTank;
use crate::units::VolumeUnit;

/// A fuel is poured only from this many litres on (our choice: less is no pour).
const POURED: f64 = 0.005;

fn percent(share: f64) -> String {
    format!("{:.1} %", 100.0 * share)
}

/// Litres in the reader's unit.
pub fn volume_words(litres: f64, unit: VolumeUnit) -> String {
    format!("{:.1} {}", litres / unit.litres(), unit.label())
}

/// "Drain 14.0 L first, then pour 24.0 L of E85: 60.0 L with 40.0 % ethanol."
pub fn mix_sentence(m: &Mix, names: &[String], unit: VolumeUnit) -> String {
    let litres = |v: f64| volume_words(v, unit);
    let poured: Vec<String> = m
        .pour
        .iter()
        .zip(names)
        .filter(|(x, _)| **x > POURED)
        .map(|(x, name)| format!("{} of {name}", litres(*x)))
        .collect();
    let poured = if poured.is_empty() { "nothing".to_owned() } else { listed(&poured) };
    let doing = if m.drain > POURED {
        format!("Drain {} first, then pour {poured}", litres(m.drain))
    } else {
        format!("Pour {poured}")
    };
    let then = format!("{} with {} ethanol", litres(m.litres), percent(m.ethanol));
    if m.reached {
        format!("{doing}: {then}.")
    } else {
        format!(
            "There is too little on hand. The nearest: {}{}: {then}.",
            doing[..1].to_lowercase(),
            &doing[1..]
        )
    }
}

/// What it comes to where the fuels poured hold between two shares.
pub fn mix_range_sentence([low, high]: [f64; 2]) -> String {
    format!(
        "What was not measured holds what its season and place give it: the tank may end anywhere from {} to {}. Measure it.",
        percent(low),
        percent(high)
    )
}

/// "3 times with 8.0 L each, 24.0 L in all: 0.8 % of the old fuel is left, and 5.6 % ethanol."
pub fn rinse_sentence(r: &Rinses, each: f64, unit: VolumeUnit) -> String {
    let times = if r.times == 1 { "Once".to_owned() } else { format!("{} times", r.times) };
    format!(
        "{times} with {}{}: {:.1} % of what is in the tank then is the old fuel, and it holds {} ethanol.",
        volume_words(each, unit),
        if r.times == 1 { String::new() } else { format!(" each, {} in all", volume_words(r.litres, unit)) },
        100.0 * r.old_share,
        percent(r.ethanol)
    )
}

/// "30.0 L with 29.3 % ethanol after the last fill: 67 % RON 95 E5, 33 % E85."
pub fn tank_sentence(t: &InTank, unit: VolumeUnit) -> String {
    let alone = t.shares.len() == 1 && t.unknown.is_none_or(|u| u <= 1e-3);
    let names: Vec<String> =
        t.shares
            .iter()
            .map(|(name, share)| {
                if alone || share.is_nan() { name.clone() } else { format!("{:.0} % {name}", 100.0 * share) }
            })
            .collect();
    let unknown = match t.unknown {
        None => vec!["an unknown rest".to_owned()],
        Some(u) if u > 1e-3 => vec![format!("{:.0} % unknown", 100.0 * u)],
        Some(_) => Vec::new(),
    };
    let of = [names, unknown].concat().join(", ");
    let litres = t.litres.map_or_else(|| "how much is not known".to_owned(), |l| volume_words(l, unit));
    let ethanol =
        t.ethanol.map_or_else(|| "ethanol not known".to_owned(), |e| format!("{} ethanol", percent(e)));
    let of = if of.is_empty() { "empty".to_owned() } else { of };
    format!("{of}: {litres}, {ethanol}, right after the last fill")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_to_do_comes_before_what_comes_of_it() {
        let names = ["E85".to_owned(), "RON 95 E5".to_owned()];
        let mut m =
            Mix { drain: 0.0, pour: vec![20.0, 0.0], litres: 50.0, ethanol: 0.4, cost: None, reached: true };
        assert_eq!(
            mix_sentence(&m, &names, VolumeUnit::Litre),
            "Pour 20.0 L of E85: 50.0 L with 40.0 % ethanol."
        );
        m.drain = 14.0;
        m.pour[1] = 3.0;
        assert_eq!(
            mix_sentence(&m, &names, VolumeUnit::Litre),
            "Drain 14.0 L first, then pour 20.0 L of E85 and 3.0 L of RON 95 E5: 50.0 L with 40.0 % ethanol."
        );
        m.reached = false;
        assert!(
            mix_sentence(&m, &names, VolumeUnit::Litre)
                .starts_with("There is too little on hand. The nearest: drain")
        );
        assert!(mix_sentence(&m, &names, VolumeUnit::UsGallon).contains("5.3 US gal of E85"));
    }
}
