//! The switches under every chart: correction, statistic, filter, units, scale, and what counts as the same.

use crate::prefs::{Prefs, USUAL};

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
}

/// Every switch with its choices.
pub(crate) fn settings(p: &Prefs) -> Vec<Setting> {
    use jamjar_core::analysis::Headline;
    use jamjar_core::correction::Correction;
    vec![
        Setting {
            name: "correction",
            label: "corrected",
            choices: std::iter::once(usual_family(p))
                .chain(
                    Correction::ALL
                        .iter()
                        .map(|c| choice(c.id(), c.label(), p.usual.is_none() && *c == p.correction)),
                )
                .collect(),
        },
        Setting {
            name: "headline",
            label: "headline",
            choices: Headline::ALL.iter().map(|h| choice(h.id(), h.label(), *h == p.headline)).collect(),
        },
        Setting {
            name: "smooth",
            label: "filter",
            choices: crate::prefs::SMOOTHING
                .iter()
                .map(|s| {
                    choice(
                        &s.to_string(),
                        &if *s == 0.0 { "none".into() } else { format!("{s} s, display only") },
                        (s - p.smoothing_s).abs() < 1e-9,
                    )
                })
                .collect(),
        },
        Setting {
            name: "power",
            label: "power",
            choices: [("kw", "kW"), ("hp", "hp"), ("ps", "PS")]
                .iter()
                .map(|(i, l)| choice(i, l, *i == p.power_id()))
                .collect(),
        },
        Setting {
            name: "torque",
            label: "torque",
            choices: [("nm", "N·m"), ("lbft", "lb·ft")]
                .iter()
                .map(|(i, l)| {
                    choice(i, l, (*i == "lbft") == (p.torque == jamjar_core::units::TorqueUnit::LbFt))
                })
                .collect(),
        },
        Setting {
            name: "scale",
            label: "mixture",
            choices: [("lambda", "λ"), ("afr", "AFR, gasoline scale")]
                .iter()
                .map(|(i, l)| choice(i, l, (*i == "afr") == p.afr))
                .collect(),
        },
    ]
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
    Setting {
        name: "same",
        label: "Same to me when within",
        choices: std::iter::once(off).chain(margins).collect(),
    }
}
