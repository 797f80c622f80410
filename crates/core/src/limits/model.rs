//! What a limit is and what can be said of it.

use super::why::Why;
use crate::channel::Channel;
use crate::factors::Factors;
use crate::signal::interp;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use thiserror::Error;

/// Side on which the limit is crossed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Direction {
    Above,
    Below,
}

impl Direction {
    /// +1 for above, −1 for below.
    pub fn sign(self) -> f64 {
        match self {
            Self::Above => 1.0,
            Self::Below => -1.0,
        }
    }

    /// The word.
    pub fn label(self) -> &'static str {
        match self {
            Self::Above => "above",
            Self::Below => "below",
        }
    }
}

/// How bad crossing it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Severity {
    /// Look at it.
    Caution,
    /// Don't run this.
    #[default]
    Stop,
}

/// Threshold: a number, or a curve over another channel (never extended beyond its ends).
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(untagged)]
pub enum Threshold {
    /// The same everywhere.
    Constant(f64),
    /// Piecewise linear over another channel.
    Curve {
        /// Channel on the axis.
        over: Channel,
        /// Axis values, ascending.
        at: Vec<f64>,
        /// Thresholds there.
        value: Vec<f64>,
    },
}

/// One condition for the limit to count.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct GateTerm {
    /// Channel that gates.
    pub channel: Channel,
    /// Counts when above this.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub above: Option<f64>,
    /// Counts when below this.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub below: Option<f64>,
    /// Where its channel was not logged the term is left out, and said; else the limit is not measured.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub if_logged: bool,
}

impl GateTerm {
    /// Whether the term holds for a reading.
    pub fn holds(&self, v: f64) -> bool {
        self.above.is_none_or(|a| v > a) && self.below.is_none_or(|b| v < b)
    }
}

/// A limit on one channel.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct Limit {
    /// Short id, unique in the set.
    pub id: String,
    /// Channel judged.
    pub channel: Channel,
    /// Side on which it is crossed.
    pub direction: Direction,
    /// Where.
    pub threshold: Threshold,
    /// All of these must hold.
    #[serde(default)]
    pub gate: Vec<GateTerm>,
    /// How long a level must be held to count, s.
    #[serde(default)]
    pub sustain_s: f64,
    /// Width of the band before the threshold that is called close; at least the channel's expanded
    /// uncertainty.
    #[serde(default)]
    pub caution: f64,
    /// Severity.
    #[serde(default)]
    pub severity: Severity,
    /// Span that counts as the whole margin, in channel units; 4·caution when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub span: Option<f64>,
    /// Where the number comes from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub source: Option<String>,
    /// Who set it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub by: Option<String>,
    /// From a template, and nobody has looked at it for this engine yet: said beside every verdict it causes,
    /// and never the reason not to run a map (domain, section 10).
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub starting_point: bool,
    /// Values of factors it is for, such as fuel: E85; any of them, of each factor named. Everywhere when empty.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub applies_to: BTreeMap<String, Vec<String>>,
}

/// A limit that makes no sense.
#[derive(Debug, Clone, PartialEq, Error)]
#[error("limit “{id}”: {problem}")]
pub struct LimitError {
    /// Its id.
    pub id: String,
    /// What is wrong and what to do.
    pub problem: String,
}

/// Whether two values of a factor are the same for a limit: neither case nor blanks around them tell them apart.
pub fn is_same_value(a: &str, b: &str) -> bool {
    a.trim().eq_ignore_ascii_case(b.trim())
}

impl Limit {
    /// Checks ids, finite numbers, curves and gates.
    ///
    /// # Errors
    /// [`LimitError`] naming the limit and the fault.
    pub fn validate(&self) -> Result<(), LimitError> {
        let fail = |problem: String| Err(LimitError { id: self.id.clone(), problem });
        if self.id.trim().is_empty() {
            return fail("the id is empty".into());
        }
        for (name, v) in
            [("sustain_s", self.sustain_s), ("caution", self.caution), ("span", self.span.unwrap_or(1.0))]
        {
            if !v.is_finite() || v < 0.0 {
                return fail(format!("{name} must be zero or a positive number, got {v}"));
            }
        }
        match &self.threshold {
            Threshold::Constant(v) if !v.is_finite() => {
                return fail("the threshold is not a finite number".into());
            }
            Threshold::Curve { at, value, .. } => {
                if at.len() < 2 || at.len() != value.len() {
                    return fail(format!(
                        "the threshold curve has {} places and {} values; give at least two of each, equally many",
                        at.len(),
                        value.len()
                    ));
                }
                if at.iter().chain(value).any(|v| !v.is_finite()) || at.windows(2).any(|w| w[1] <= w[0]) {
                    return fail("the threshold curve needs finite values and ascending places".into());
                }
            }
            Threshold::Constant(_) => {}
        }
        if let Some((factor, _)) =
            self.applies_to.iter().find(|(k, v)| k.trim().is_empty() || v.iter().all(|v| v.trim().is_empty()))
        {
            return fail(format!("applies_to.{factor} names nothing it applies to"));
        }
        if let Some(g) = self.gate.iter().find(|g| g.above.is_none() && g.below.is_none()) {
            return fail(format!("the gate on {} says neither above nor below", g.channel));
        }
        Ok(())
    }

    /// Whether it is for a configuration. A factor nobody stated could be any of its values: the limit holds then.
    pub fn applies(&self, factors: &Factors) -> bool {
        self.applies_to.iter().all(|(factor, any)| {
            factors.get(factor).is_none_or(|own| any.iter().any(|v| is_same_value(v, own)))
        })
    }

    /// The whole margin in channel units; `None` when neither span nor caution is given.
    pub fn span_units(&self) -> Option<f64> {
        self.span.or((self.caution > 0.0).then_some(4.0 * self.caution)).filter(|s| *s > 0.0)
    }

    /// `1 + s·(value − threshold)/span`; 1 is the threshold itself.
    ///
    /// # Formula
    /// `u = 1 + s·(v − T)/span`
    ///
    /// where
    /// - `v`, `T`: value and threshold, channel units; `s`: +1 for a limit from above, −1 from below;
    /// - `span`: the whole margin, channel units, `4·caution` where none is given (our choice). 1 is the threshold
    ///   itself (domain, section 10).
    pub fn share_used(&self, value: f64, threshold: f64) -> Option<f64> {
        self.span_units().map(|span| 1.0 + self.direction.sign() * (value - threshold) / span)
    }
}

impl Threshold {
    /// Threshold when the axis channel reads `x`; `None` outside the curve.
    pub fn at(&self, x: f64) -> Option<f64> {
        match self {
            Self::Constant(v) => Some(*v),
            Self::Curve { at, value, .. } => interp::linear(at, value, x),
        }
    }
}

/// What can be said, worst first.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Verdict {
    /// Crossed; nothing downgrades it.
    Over,
    /// The data cannot answer.
    CantTell,
    /// The channel is not there.
    NotMeasured,
    /// The gate was never true.
    NotReached,
    /// Inside the caution band.
    Close,
    /// Measured, with margin left.
    Clear,
}

impl Verdict {
    /// Whether the limit was measured and not crossed.
    pub fn is_kept(self) -> bool {
        matches!(self, Self::Clear | Self::Close)
    }

    /// Whether the data answered: over, close or clear.
    pub fn is_judged(self) -> bool {
        match self {
            Self::Over | Self::Close | Self::Clear => true,
            Self::CantTell | Self::NotMeasured | Self::NotReached => false,
        }
    }

    /// The words shown.
    pub fn label(self) -> &'static str {
        match self {
            Self::Over => "over",
            Self::CantTell => "can't tell",
            Self::NotMeasured => "not measured",
            Self::NotReached => "not reached",
            Self::Close => "close",
            Self::Clear => "clear",
        }
    }
}

/// The clock of one of a pull's two logs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum Clock {
    /// The engine computer's.
    Ecu,
    /// The dyno's.
    Dyno,
}

/// A limit judged on one pull. Times are on the clock of the log that holds the channel.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct LimitOutcome {
    /// Id of the limit.
    pub limit: String,
    /// What can be said.
    pub verdict: Verdict,
    /// Most adverse level held for the sustain time inside the gate, channel unit.
    pub worst: Option<f64>,
    /// Threshold at that place.
    pub threshold: Option<f64>,
    /// Margin left, channel unit; negative when over.
    pub margin: Option<f64>,
    /// Share of the margin used; above 1 when over.
    pub share_used: Option<f64>,
    /// Start of the worst window, or of the time spent over, s.
    pub from_s: Option<f64>,
    /// Its end, s.
    pub to_s: Option<f64>,
    /// Engine speed at the worst sample, rpm.
    pub rpm: Option<f64>,
    /// Which log the times belong to.
    pub clock: Option<Clock>,
    /// Why, and how far the verdict reaches.
    pub why: Option<Why>,
}

/// Limits that were judged, each beside what was found of it, in the order of the outcomes.
pub fn judged<'a>(
    outcomes: &'a [LimitOutcome],
    limits: &'a [Limit],
) -> impl Iterator<Item = (&'a Limit, &'a LimitOutcome)> {
    outcomes.iter().filter_map(|o| limits.iter().find(|l| l.id == o.limit).map(|l| (l, o)))
}

impl LimitOutcome {
    /// A limit that could not be judged, and why.
    pub(super) fn unjudged(limit: &Limit, verdict: Verdict, why: Why) -> Self {
        Self {
            limit: limit.id.clone(),
            verdict,
            worst: None,
            threshold: None,
            margin: None,
            share_used: None,
            from_s: None,
            to_s: None,
            rpm: None,
            clock: None,
            why: Some(why),
        }
    }
}
