//! Stable encodings: the hue of a map and the dash of a fuel, the same on every page.

use jamjar_chart::{Dash, Jar, Paint, Tone, jar_svg};
use jamjar_core::factors::{Factors, rungs::rungs};
use jamjar_core::limits::{LimitOutcome, Verdict};
use jamjar_store::Set;

/// Order of maps and fuels as the store knows them: it decides hue and dash.
#[derive(Debug, Clone, Default)]
pub(crate) struct Encoding {
    pub(crate) maps: Vec<String>,
    pub(crate) fuels: Vec<String>,
}

impl Encoding {
    /// Hue of a set's map; stock is always ink.
    pub(crate) fn tone(&self, set: &Set) -> Tone {
        self.map_tone(&set.config.map, &set.config.map_kind)
    }

    /// Hue of a map of a kind.
    pub(crate) fn map_tone(&self, name: &str, kind: &str) -> Tone {
        if kind == "stock" {
            return Tone::Ink;
        }
        let others = self.maps.iter().filter(|m| !m.eq_ignore_ascii_case("stock"));
        let k = others.into_iter().position(|m| *m == name).unwrap_or(0);
        Tone::MAPS[k % Tone::MAPS.len()]
    }

    /// Dash of a set's fuel.
    pub(crate) fn dash(&self, set: &Set) -> Dash {
        Dash(self.fuels.iter().position(|f| *f == set.config.fuel).unwrap_or(0))
    }

    /// Rungs among sets shown together: for each, its place from the lowest; `None` for one that stands alone.
    pub(crate) fn rungs(sets: &[&Set]) -> Vec<Option<usize>> {
        let factors: Vec<Factors> = sets.iter().map(|s| s.config.factors()).collect();
        rungs(&factors.iter().collect::<Vec<_>>()).into_iter().map(|r| Some(r?.place)).collect()
    }

    /// A set as it is shown everywhere.
    pub(crate) fn tag(&self, set: &Set, baseline: bool, verdicts: &[LimitOutcome]) -> SetTag {
        let tone = self.tone(set);
        let (name, width, dash) = (tone.name(), if baseline { "1.6" } else { "2.8" }, self.dash(set).array());
        SetTag {
            map: set.config.map.clone(),
            fuel: set.config.fuel.clone(),
            tone: name,
            swatch: format!(
                r#"<svg class="swatch" viewBox="0 0 34 14" aria-hidden="true"><line x1="1" x2="33" y1="7" y2="7" stroke="var(--{name})" stroke-width="{width}" stroke-dasharray="{dash}"/></svg>"#
            ),
            jar: jar_svg(jar_of(verdicts), tone, &set.id.to_string(), Paint::Page),
        }
    }
}

/// Names and marks of a set: hue of its map, dash of its fuel, jar of its margins.
#[derive(Debug, Clone)]
pub(crate) struct SetTag {
    pub(crate) map: String,
    pub(crate) fuel: String,
    pub(crate) tone: &'static str,
    pub(crate) swatch: String,
    pub(crate) jar: String,
}

/// The jar of a set: fill = share of its tightest margin used. One limit that nobody measured makes it dashed: what is
/// not monitored never looks whole.
pub(crate) fn jar_of(verdicts: &[LimitOutcome]) -> Jar {
    let count = |v: Verdict| verdicts.iter().filter(|o| o.verdict == v).count();
    let used = verdicts.iter().filter_map(|o| o.share_used).fold(0.0, f64::max);
    let missing = count(Verdict::NotMeasured);
    if verdicts.is_empty() {
        Jar::NoLimits
    } else if count(Verdict::Over) > 0 {
        Jar::Over
    } else if count(Verdict::CantTell) > 0 || missing * 2 > verdicts.len() {
        Jar::Unmonitored
    } else if missing > 0 {
        Jar::Partly(used)
    } else {
        Jar::Filled(used)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn outcome(verdict: Verdict, share: Option<f64>) -> LimitOutcome {
        LimitOutcome {
            limit: "x".into(),
            verdict,
            worst: None,
            threshold: None,
            margin: None,
            share_used: share,
            from_s: None,
            to_s: None,
            rpm: None,
            clock: None,
            why: None,
        }
    }

    #[test]
    fn a_jar_says_the_worst_of_its_limits() {
        let clear = outcome(Verdict::Clear, Some(0.6));
        assert_eq!(jar_of(&[clear.clone(), outcome(Verdict::NotReached, None)]), Jar::Filled(0.6));
        assert_eq!(jar_of(&[clear.clone(), outcome(Verdict::Over, Some(1.2))]), Jar::Over);
        assert_eq!(jar_of(&[clear.clone(), outcome(Verdict::CantTell, None)]), Jar::Unmonitored);
        let missing = outcome(Verdict::NotMeasured, None);
        assert_eq!(
            jar_of(&[clear.clone(), clear.clone(), missing.clone()]),
            Jar::Partly(0.6),
            "one is enough"
        );
        assert_eq!(jar_of(&[clear.clone(), missing.clone()]), Jar::Partly(0.6));
        assert_eq!(jar_of(&[clear, missing.clone(), missing]), Jar::Unmonitored);
        assert_eq!(jar_of(&[]), Jar::NoLimits);
    }
}
