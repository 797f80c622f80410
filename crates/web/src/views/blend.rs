//! What to pour, how much ethanol a sample holds, how often to rinse, what an octane number becomes, what an auxiliary
//! injection adds.

use super::Shell;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::{Layer, Paint, PourChart};
use jamjar_core::calculators::auxiliary::Flow;
use jamjar_core::calculators::fuel::Blend;
use jamjar_core::calculators::mix::{Can, Mix, Tank, within};
use jamjar_core::calculators::rinse::Rinses;
use jamjar_core::calculators::water_test::WaterTest;
use jamjar_core::units::VolumeUnit;
use jamjar_core::words::{mix_range_sentence, mix_sentence, rinse_sentence, volume_words};
use std::collections::HashMap;

/// What was typed, by field.
#[derive(Default)]
pub(crate) struct Typed(pub(crate) HashMap<String, String>);

impl Typed {
    pub(crate) fn of(&self, name: &str) -> &str {
        self.0.get(name).map_or("", |s| s.as_str())
    }

    /// A field of one of the cans.
    pub(crate) fn can(&self, name: &str, i: &usize) -> &str {
        self.of(&format!("{name}{i}"))
    }
}

/// A fuel to choose, with what is known of it.
pub(crate) struct FuelChoice {
    pub(crate) id: String,
    pub(crate) label: String,
}

/// What a form came to: an answer, or what is wrong with it.
#[derive(Default)]
pub(crate) struct Answer {
    pub(crate) sentence: String,
    pub(crate) more: Vec<String>,
    pub(crate) problem: String,
}

impl Answer {
    pub(crate) fn of(made: Result<Option<Self>, String>) -> Self {
        match made {
            Ok(a) => a.unwrap_or_default(),
            Err(problem) => Self { problem, ..Self::default() },
        }
    }
}

#[derive(Template)]
#[template(path = "blend.html")]
pub(crate) struct BlendPage {
    pub(crate) shell: Shell,
    pub(crate) f: Typed,
    pub(crate) unit: &'static str,
    pub(crate) fuels: Vec<FuelChoice>,
    pub(crate) cans: [usize; 3],
    pub(crate) mix: Answer,
    pub(crate) picture: String,
    pub(crate) tube: Answer,
    pub(crate) rinse: Answer,
    pub(crate) octane: Answer,
    pub(crate) aux: Answer,
    pub(crate) scales: [&'static str; 3],
}

/// A mix as it was asked for.
pub(crate) struct MixAsked {
    pub(crate) tank: Tank,
    pub(crate) cans: Vec<Can>,
    pub(crate) names: Vec<String>,
    /// What each may hold where nobody measured it.
    pub(crate) holds: Vec<[f64; 2]>,
    pub(crate) made: Mix,
    /// Properties of what is in the tank then, against what was in it.
    pub(crate) blends: [Blend; 2],
}

const COLOURS: [&str; 3] = ["quince", "damson", "bilberry"];

pub(crate) fn mix_answer(m: &MixAsked, prefs: &Prefs) -> (Answer, String) {
    let unit = prefs.volume;
    let mut more = Vec::new();
    let [low, high] = within(m.tank, &m.cans, &m.made, &m.holds);
    if high - low > 0.005 {
        more.push(mix_range_sentence([low, high]));
    }
    let [was, then] = &m.blends;
    let ratio = then.volume_flow_ratio / was.volume_flow_ratio;
    more.push(format!(
        "Stoichiometric at {:.2} air to fuel; at equal air and λ it takes {:.3} times the fuel volume of what is in the tank now, through injectors and pump alike.",
        then.stoich_afr, ratio
    ));
    if let Some(cost) = m.made.cost.filter(|c| *c > 0.0) {
        more.push(format!("What is poured costs {}.", prefs.written.money(cost, 2)));
    }
    let answer = Answer { sentence: mix_sentence(&m.made, &m.names, unit), more, problem: String::new() };
    (answer, picture(m, unit))
}

fn picture(m: &MixAsked, unit: VolumeUnit) -> String {
    let litres = |v: f64| volume_words(v, unit);
    let kept = (m.tank.litres - m.made.drain).max(0.0);
    let mut layers = vec![Layer { label: format!("{} stay", litres(kept)), litres: kept, colour: "stock" }];
    layers.extend(m.made.pour.iter().zip(&m.names).zip(COLOURS).map(|((x, name), colour)| Layer {
        label: format!("{} of {name}", litres(*x)),
        litres: if *x > 0.005 { *x } else { 0.0 },
        colour,
    }));
    let capacity_label = m.tank.capacity.map_or_else(String::new, |c| format!("full at {}", litres(c)));
    PourChart { layers, capacity: m.tank.capacity, capacity_label }.svg(Paint::Page)
}

pub(crate) fn tube_answer(t: &WaterTest) -> Answer {
    let p = 100.0;
    let (low, high) = ((t.ethanol - t.half_width).max(0.0), (t.ethanol + t.half_width).min(1.0));
    Answer {
        sentence: format!("{:.0} % ethanol, {:.0} to {:.0} %.", p * t.ethanol, p * low, p * high),
        more: vec!["It reads slightly low: the two layers shrink as they mix.".into()],
        problem: String::new(),
    }
}

pub(crate) fn rinse_answer(r: &Rinses, each: f64, prefs: &Prefs) -> Answer {
    Answer { sentence: rinse_sentence(r, each, prefs.volume), more: Vec::new(), problem: String::new() }
}

pub(crate) fn aux_answer(
    f: &Flow,
    with: Option<[f64; 2]>,
    cools: Option<f64>,
    tank: Option<f64>,
    unit: VolumeUnit,
) -> Answer {
    let mut more = vec![format!(
        "{:.2} g/s water and {:.2} g/s methanol, which burns with as much air as {:.2} g/s of gasoline.",
        f.water_g_s, f.methanol_g_s, f.counts_as_g_s
    )];
    if let Some([was, now]) = with {
        more.push(format!(
            "With the fuel left as it is the mixture goes from λ {was:.3} to {now:.3}. Where the injection fails it goes back at once: the map must not need it without a guard."
        ));
    }
    if let Some(k) = cools {
        more.push(format!("It cools the air by at most {k:.0} K, if all of it evaporates there; what it does cool shows in the intake temperature."));
    }
    if let Some(minutes) = tank.filter(|_| f.l_min > 0.0) {
        more.push(format!("The tank lasts {:.1} minutes at this flow.", minutes / f.l_min));
    }
    let sentence = if f.l_min > 0.0 {
        format!("{} a minute.", volume_words(f.l_min, unit))
    } else {
        "Nothing flows at this boost.".into()
    };
    Answer { sentence, more, problem: String::new() }
}
