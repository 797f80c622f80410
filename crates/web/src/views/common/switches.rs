//! The switches under every chart: correction, statistic, filter, units, scale, and what counts as the same.

use crate::prefs::{
    MIXTURES, POWERS, PRESSURES, Prefs, SPEEDS, TEMPERATURES, TORQUES, USUAL, VOLUMES, ZEROS,
};
use jamjar_core::units::{Here, Mixture};

pub(crate) struct Choice {
    pub(crate) id: String,
    pub(crate) label: String,
    pub(crate) on: bool,
}

/// An axis as a link.
pub(crate) struct AxisLink {
    pub(crate) href: String,
    pub(crate) label: &'static str,
    pub(crate) on: bool,
}

pub(crate) struct Setting {
    pub(crate) name: &'static str,
    pub(crate) label: &'static str,
    pub(crate) choices: Vec<Choice>,
    /// Chosen once and seldom again: it stands with its kind under one word.
    pub(crate) folded: bool,
    /// What the choice rests on where it is read; blank when nothing is to be said.
    pub(crate) note: String,
}

impl Setting {
    /// A switch in sight.
    pub(crate) fn new(name: &'static str, label: &'static str, choices: Vec<Choice>) -> Self {
        Self { name, label, choices, folded: false, note: String::new() }
    }

    fn folded(name: &'static str, label: &'static str, choices: Vec<Choice>) -> Self {
        Self { folded: true, ..Self::new(name, label, choices) }
    }
}

/// Every switch with its choices.
pub(crate) fn settings(p: &Prefs) -> Vec<Setting> {
    use jamjar_core::analysis::Headline;
    use jamjar_core::correction::Correction;
    let families =
        Correction::ALL.iter().map(|c| choice(c.id(), c.label(), p.usual.is_none() && *c == p.correction));
    let filter = |s: &f64| {
        let label = if *s == 0.0 { "none".into() } else { format!("{s} s, display only") };
        choice(&s.to_string(), &label, (s - p.smoothing_s).abs() < 1e-9)
    };
    vec![
        Setting::new("correction", "corrected", std::iter::once(usual_family(p)).chain(families).collect()),
        Setting::new(
            "headline",
            "headline",
            Headline::ALL.iter().map(|h| choice(h.id(), h.label(), *h == p.headline)).collect(),
        ),
        Setting::new("smooth", "filter", crate::prefs::SMOOTHING.iter().map(filter).collect()),
    ]
    .into_iter()
    .chain(unit_settings(p, Some(p.here())))
    .collect()
}

/// Switches of units; on a page of readings they say what gauge pressures and own scales rest on there, or that it
/// is not known.
pub(crate) fn unit_settings(p: &Prefs, here: Option<Here>) -> Vec<Setting> {
    let zero = here.filter(|_| p.gauge).map_or_else(String::new, |h| match h.station_kpa {
        Some(station) => format!("above the station’s {station:.1} kPa"),
        None => "the station’s pressure is not known here: absolute".to_owned(),
    });
    let own =
        here.filter(|_| p.mixture == Mixture::AfrOwn).map_or_else(String::new, |h| match h.stoich_afr {
            Some(stoich) => format!("{stoich:.2} at λ 1"),
            None => "several fuels, or ethanol not known: λ here".to_owned(),
        });
    vec![
        Setting::folded("power", "power", choices(&POWERS, p.power)),
        Setting::folded("torque", "torque", choices(&TORQUES, p.torque)),
        Setting::folded("pressure", "pressure", choices(&PRESSURES, p.pressure)),
        Setting { note: zero, ..Setting::folded("zero", "boost", choices(&ZEROS, p.gauge)) },
        Setting::folded("temperature", "temperature", choices(&TEMPERATURES, p.temperature)),
        Setting::folded("speed", "road speed", choices(&SPEEDS, p.speed)),
        Setting { note: own, ..Setting::folded("scale", "mixture", choices(&MIXTURES, p.mixture)) },
        Setting::folded("volume", "volume", choices(&VOLUMES, p.volume)),
    ]
}

/// What may be chosen of a list of ids and labels.
pub(crate) fn choices<T: PartialEq>(all: &[(T, &str, &str)], chosen: T) -> Vec<Choice> {
    all.iter().map(|(u, id, label)| choice(id, label, *u == chosen)).collect()
}

/// The shop's family for the engine shown; kept as a choice, so that another kind of engine gets its own.
fn usual_family(p: &Prefs) -> Choice {
    let label = match p.usual {
        Some(_) => format!("{}, as usual", p.correction.label()),
        None => "as usual in this shop".to_owned(),
    };
    choice(USUAL, &label, p.usual.is_some())
}

fn choice(id: &str, label: &str, on: bool) -> Choice {
    Choice { id: id.to_owned(), label: label.to_owned(), on }
}

/// The margin of sameness: asked for before looking, so off until a person sets it.
pub(crate) fn same_within(p: &Prefs) -> Setting {
    let off = choice("off", "not asked", p.margin_kw.is_none());
    let margins = crate::prefs::MARGINS.iter().map(|m| {
        let label = format!("± {:.1} {}", p.power.from_kw(*m), p.power.label());
        choice(&m.to_string(), &label, p.margin_kw == Some(*m))
    });
    Setting::new("same", "Same to me when within", std::iter::once(off).chain(margins).collect())
}
