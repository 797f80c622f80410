//! View settings: in the link first, then as last chosen, then the default. Choosing keeps them.

use crate::cookies::lasting;
use axum::extract::{FromRequestParts, Query};
use axum::http::request::Parts;
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::Cookie;
use jamjar_core::analysis::{Headline, Settings};
use jamjar_core::correction::Correction;
use jamjar_core::units::{Mixture, PowerUnit, TorqueUnit, Units};
use std::collections::HashMap;
use std::convert::Infallible;

/// Names of the cookies that keep view settings and theme.
pub(crate) const VIEW: &str = "jj_view";
pub(crate) const THEME: &str = "jj_theme";

/// Smoothing windows offered, s.
pub(crate) const SMOOTHING: [f64; 4] = [0.0, 0.1, 0.25, 0.5];

/// Margins of sameness offered, kW at peak.
pub(crate) const MARGINS: [f64; 4] = [0.5, 1.0, 2.0, 5.0];

/// Everything about how numbers are shown.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Prefs {
    pub(crate) correction: Correction,
    pub(crate) headline: Headline,
    pub(crate) power: PowerUnit,
    pub(crate) torque: TorqueUnit,
    pub(crate) afr: bool,
    pub(crate) smoothing_s: f64,
    /// Differences at peak within ± this are called the same when shown to be, kW.
    pub(crate) margin_kw: Option<f64>,
    pub(crate) theme: String,
}

impl Default for Prefs {
    fn default() -> Self {
        Self {
            correction: Correction::SaeJ1349,
            headline: Headline::Mean,
            power: PowerUnit::Kw,
            torque: TorqueUnit::Nm,
            afr: false,
            smoothing_s: 0.25,
            margin_kw: None,
            theme: "auto".into(),
        }
    }
}

impl Prefs {
    fn apply(&mut self, key: &str, value: &str) {
        match key {
            "correction" => self.correction = Correction::from_id(value).unwrap_or(self.correction),
            "headline" => self.headline = Headline::from_id(value).unwrap_or(self.headline),
            "power" => {
                self.power = match value {
                    "kw" => PowerUnit::Kw,
                    "hp" => PowerUnit::Hp,
                    "ps" => PowerUnit::Ps,
                    _ => self.power,
                }
            }
            "torque" => {
                self.torque = match value {
                    "nm" => TorqueUnit::Nm,
                    "lbft" => TorqueUnit::LbFt,
                    _ => self.torque,
                }
            }
            "scale" => self.afr = value == "afr",
            "smooth" => {
                self.smoothing_s =
                    value.parse().ok().filter(|v| SMOOTHING.contains(v)).unwrap_or(self.smoothing_s)
            }
            "same" => self.margin_kw = value.parse().ok().filter(|v| MARGINS.contains(v)),
            "theme" if ["light", "dark", "auto"].contains(&value) => self.theme = value.to_owned(),
            _ => {}
        }
    }

    /// For the cookie, and for links to downloads.
    pub(crate) fn pairs(&self) -> Vec<(&'static str, String)> {
        vec![
            ("correction", self.correction.id().to_owned()),
            ("headline", self.headline.id().to_owned()),
            ("power", self.power_id().to_owned()),
            ("torque", if self.torque == TorqueUnit::Nm { "nm" } else { "lbft" }.to_owned()),
            ("scale", if self.afr { "afr" } else { "lambda" }.to_owned()),
            ("smooth", self.smoothing_s.to_string()),
            ("same", self.margin_kw.map_or_else(|| "off".into(), |m| m.to_string())),
        ]
    }

    pub(crate) fn power_id(&self) -> &'static str {
        match self.power {
            PowerUnit::Kw => "kw",
            PowerUnit::Hp => "hp",
            PowerUnit::Ps => "ps",
        }
    }

    /// The cookie that keeps the choice.
    pub(crate) fn cookie(&self) -> Cookie<'static> {
        let text: Vec<String> = self.pairs().into_iter().map(|(k, v)| format!("{k}:{v}")).collect();
        lasting(VIEW, text.join("|"), "/")
    }

    /// Units a person reads in.
    pub(crate) fn units(&self) -> Units {
        Units {
            power: self.power,
            torque: self.torque,
            mixture: if self.afr { Mixture::Afr } else { Mixture::Lambda },
        }
    }

    pub(crate) fn settings(&self, band_rpm: Option<[f64; 2]>) -> Settings {
        Settings {
            correction: self.correction,
            headline: self.headline,
            smoothing_s: self.smoothing_s,
            band_rpm,
            margin_kw: self.margin_kw,
            ..Settings::default()
        }
    }

    fn read(cookies: &CookieJar, query: &HashMap<String, String>) -> Self {
        let mut out = Self::default();
        if let Some(c) = cookies.get(VIEW) {
            c.value().split('|').filter_map(|p| p.split_once(':')).for_each(|(k, v)| out.apply(k, v));
        }
        if let Some(c) = cookies.get(THEME) {
            out.apply("theme", c.value());
        }
        query.iter().for_each(|(k, v)| out.apply(k, v));
        out
    }
}

impl<S: Send + Sync> FromRequestParts<S> for Prefs {
    type Rejection = Infallible;
    async fn from_request_parts(parts: &mut Parts, s: &S) -> Result<Self, Infallible> {
        let query = Query::<HashMap<String, String>>::from_request_parts(parts, s)
            .await
            .map(|q| q.0)
            .unwrap_or_default();
        Ok(Self::read(&CookieJar::from_headers(&parts.headers), &query))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_link_wins_over_the_cookie_and_nonsense_is_ignored() {
        let kept = Prefs { correction: Correction::Din70020, power: PowerUnit::Ps, ..Prefs::default() };
        let cookies = CookieJar::new().add(kept.cookie());
        assert_eq!(Prefs::read(&cookies, &HashMap::new()), kept);
        let query = HashMap::from([
            ("correction".to_owned(), "none".to_owned()),
            ("smooth".to_owned(), "9".to_owned()),
            ("headline".to_owned(), "<b>".to_owned()),
        ]);
        let p = Prefs::read(&cookies, &query);
        assert_eq!((p.correction, p.power, p.smoothing_s), (Correction::None, PowerUnit::Ps, 0.25));
    }
}
