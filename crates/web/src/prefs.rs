//! View settings: in the link first, then as last chosen, then the default. Only a switch by hand keeps them:
//! a link that somebody sent does not.

use crate::cookies::lasting;
use crate::state::AppState;
use axum::extract::{FromRequestParts, Query};
use axum::http::request::Parts;
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::Cookie;
use jamjar_core::analysis::{Engine, Headline, Settings, Usual};
use jamjar_core::correction::Correction;
use jamjar_core::curve::Quantity;
use jamjar_core::units::{Mixture, PowerUnit, PressureUnit, SpeedUnit, TemperatureUnit, TorqueUnit, Units};
use std::collections::HashMap;
use std::convert::Infallible;

/// Names of the cookies that keep view settings and theme.
pub(crate) const VIEW: &str = "jj_view";
pub(crate) const THEME: &str = "jj_theme";

/// Smoothing windows offered, s.
pub(crate) const SMOOTHING: [f64; 4] = [0.0, 0.1, 0.25, 0.5];

/// What the switch of the correction family says where nobody chose one.
pub(crate) const USUAL: &str = "usual";

/// Margins of sameness offered, kW at peak.
pub(crate) const MARGINS: [f64; 4] = [0.5, 1.0, 2.0, 5.0];

/// Units with their id in links and the words of their switch.
pub(crate) const PRESSURES: [(PressureUnit, &str, &str); 4] = [
    (PressureUnit::Kpa, "kpa", "kPa"),
    (PressureUnit::Bar, "bar", "bar"),
    (PressureUnit::Psi, "psi", "psi"),
    (PressureUnit::InHg, "inhg", "inHg"),
];
pub(crate) const TEMPERATURES: [(TemperatureUnit, &str, &str); 2] =
    [(TemperatureUnit::Celsius, "c", "°C"), (TemperatureUnit::Fahrenheit, "f", "°F")];
pub(crate) const SPEEDS: [(SpeedUnit, &str, &str); 2] =
    [(SpeedUnit::KmPerH, "kmh", "km/h"), (SpeedUnit::Mph, "mph", "mph")];

/// More speeds than this nobody reads side by side.
const MOST_SPEEDS: usize = 12;

/// Engine speeds as people list them.
fn speeds(text: &str) -> Vec<f64> {
    let each = text.split(|c: char| !c.is_ascii_digit()).filter_map(|s| s.parse::<f64>().ok());
    let mut out: Vec<f64> = each.filter(|v| (200.0..=30_000.0).contains(v)).take(MOST_SPEEDS).collect();
    out.sort_by(f64::total_cmp);
    out.dedup();
    out
}

/// The same as a list.
pub(crate) fn speeds_words(all: &[f64], between: &str) -> String {
    all.iter().map(|v| format!("{v:.0}")).collect::<Vec<_>>().join(between)
}

fn of<T: Copy>(all: &[(T, &str, &str)], id: &str) -> Option<T> {
    all.iter().find(|u| u.1 == id).map(|u| u.0)
}

fn id<T: PartialEq>(all: &[(T, &'static str, &str)], unit: T) -> &'static str {
    all.iter().find(|u| u.0 == unit).map_or("", |u| u.1)
}

/// What a line-up shows of its sets.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(crate) enum Shown {
    #[default]
    Power,
    Torque,
    Both,
}

impl Shown {
    /// All of them, in the order offered.
    pub(crate) const ALL: [Self; 3] = [Self::Power, Self::Torque, Self::Both];

    /// Id in links; the word for it.
    pub(crate) fn id(self) -> &'static str {
        match self {
            Self::Power => "power",
            Self::Torque => "torque",
            Self::Both => "both",
        }
    }

    /// Its quantities, from the top.
    pub(crate) fn quantities(self) -> &'static [Quantity] {
        match self {
            Self::Power => &[Quantity::Power],
            Self::Torque => &[Quantity::Torque],
            Self::Both => &Quantity::ALL,
        }
    }
}

/// Everything about how numbers are shown.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Prefs {
    pub(crate) correction: Correction,
    /// Nobody chose a family: the shop's own for the kind of engine holds.
    pub(crate) usual: Option<Usual>,
    /// The shop's own families.
    shop: Usual,
    pub(crate) headline: Headline,
    pub(crate) power: PowerUnit,
    pub(crate) torque: TorqueUnit,
    pub(crate) afr: bool,
    pub(crate) pressure: PressureUnit,
    pub(crate) temperature: TemperatureUnit,
    pub(crate) speed: SpeedUnit,
    pub(crate) smoothing_s: f64,
    /// Power, torque or both.
    pub(crate) shown: Shown,
    /// Engine speeds at which sets are read side by side, rpm.
    pub(crate) speeds: Vec<f64>,
    /// Differences at peak within ± this are called the same when shown to be, kW.
    pub(crate) margin_kw: Option<f64>,
    pub(crate) theme: String,
}

impl Default for Prefs {
    fn default() -> Self {
        Self {
            correction: Correction::SaeJ1349,
            usual: Some(Usual::default()),
            shop: Usual::default(),
            headline: Headline::Mean,
            power: PowerUnit::Kw,
            torque: TorqueUnit::Nm,
            afr: false,
            pressure: PressureUnit::default(),
            temperature: TemperatureUnit::default(),
            speed: SpeedUnit::default(),
            smoothing_s: 0.25,
            shown: Shown::default(),
            speeds: Vec::new(),
            margin_kw: None,
            theme: "auto".into(),
        }
    }
}

impl Prefs {
    fn apply(&mut self, key: &str, value: &str) {
        match key {
            "correction" if value == USUAL => self.usual = self.usual.or(Some(self.shop)),
            "correction" => {
                if let Some(chosen) = Correction::from_id(value) {
                    (self.correction, self.usual) = (chosen, None);
                }
            }
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
            "pressure" => self.pressure = of(&PRESSURES, value).unwrap_or(self.pressure),
            "temperature" => self.temperature = of(&TEMPERATURES, value).unwrap_or(self.temperature),
            "speed" => self.speed = of(&SPEEDS, value).unwrap_or(self.speed),
            "scale" => self.afr = value == "afr",
            "smooth" => {
                self.smoothing_s =
                    value.parse().ok().filter(|v| SMOOTHING.contains(v)).unwrap_or(self.smoothing_s)
            }
            "show" => self.shown = Shown::ALL.into_iter().find(|s| s.id() == value).unwrap_or(self.shown),
            "speeds" => self.speeds = speeds(value),
            "same" => self.margin_kw = value.parse().ok().filter(|v| MARGINS.contains(v)),
            "theme" if ["light", "dark", "auto"].contains(&value) => self.theme = value.to_owned(),
            _ => {}
        }
    }

    /// The family in which figures of an engine are shown.
    pub(crate) fn correction_of(&self, engine: &Engine) -> Correction {
        self.usual.map_or(self.correction, |u| u.of(engine))
    }

    /// As they hold for an engine: `correction` is then the family its figures are shown in.
    pub(crate) fn fitting(&self, engine: &Engine) -> Self {
        Self { correction: self.correction_of(engine), ..self.clone() }
    }

    /// For links to downloads: everything, as it is shown.
    pub(crate) fn pairs(&self) -> Vec<(&'static str, String)> {
        std::iter::once(("correction", self.correction.id().to_owned())).chain(self.others()).collect()
    }

    /// Nobody's choice of a family from now on: the shop's.
    pub(crate) fn following(self, shop: Usual) -> Self {
        Self { usual: Some(shop), shop, ..self }
    }

    fn others(&self) -> Vec<(&'static str, String)> {
        vec![
            ("headline", self.headline.id().to_owned()),
            ("power", self.power_id().to_owned()),
            ("torque", if self.torque == TorqueUnit::Nm { "nm" } else { "lbft" }.to_owned()),
            ("pressure", id(&PRESSURES, self.pressure).to_owned()),
            ("temperature", id(&TEMPERATURES, self.temperature).to_owned()),
            ("speed", id(&SPEEDS, self.speed).to_owned()),
            ("scale", if self.afr { "afr" } else { "lambda" }.to_owned()),
            ("smooth", self.smoothing_s.to_string()),
            ("show", self.shown.id().to_owned()),
            ("speeds", speeds_words(&self.speeds, ".")),
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
        let chosen = self.usual.is_none().then(|| ("correction", self.correction.id().to_owned()));
        let kept = chosen.into_iter().chain(self.others());
        let text: Vec<String> = kept.map(|(k, v)| format!("{k}:{v}")).collect();
        lasting(VIEW, text.join("|"), "/")
    }

    /// Units a person reads in.
    pub(crate) fn units(&self) -> Units {
        Units {
            power: self.power,
            torque: self.torque,
            mixture: if self.afr { Mixture::Afr } else { Mixture::Lambda },
            pressure: self.pressure,
            temperature: self.temperature,
            speed: self.speed,
        }
    }

    pub(crate) fn settings(&self, band_rpm: Option<[f64; 2]>) -> Settings {
        Settings {
            correction: self.correction,
            usual: self.usual,
            headline: self.headline,
            smoothing_s: self.smoothing_s,
            band_rpm,
            margin_kw: self.margin_kw,
            ..Settings::default()
        }
    }

    fn read(usual: Usual, cookies: &CookieJar, query: &HashMap<String, String>) -> Self {
        let mut out = Self { correction: usual.spark, usual: Some(usual), shop: usual, ..Self::default() };
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

impl FromRequestParts<AppState> for Prefs {
    type Rejection = Infallible;
    /// Where the shop's families cannot be read, those it would begin with hold: the page says what is wrong.
    async fn from_request_parts(parts: &mut Parts, state: &AppState) -> Result<Self, Infallible> {
        let query = Query::<HashMap<String, String>>::from_request_parts(parts, state)
            .await
            .map(|q| q.0)
            .unwrap_or_default();
        let usual = state.store.usual_corrections().await.unwrap_or_default();
        Ok(Self::read(usual, &CookieJar::from_headers(&parts.headers), &query))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::analysis::Ignition;

    #[test]
    fn the_link_wins_over_the_cookie_and_nonsense_is_ignored() {
        let kept =
            Prefs { correction: Correction::Din70020, usual: None, power: PowerUnit::Ps, ..Prefs::default() };
        let cookies = CookieJar::new().add(kept.cookie());
        assert_eq!(Prefs::read(Usual::default(), &cookies, &HashMap::new()), kept);
        let query = HashMap::from([
            ("correction".to_owned(), "none".to_owned()),
            ("smooth".to_owned(), "9".to_owned()),
            ("headline".to_owned(), "<b>".to_owned()),
        ]);
        let p = Prefs::read(Usual::default(), &cookies, &query);
        assert_eq!((p.correction, p.power, p.smoothing_s), (Correction::None, PowerUnit::Ps, 0.25));
    }

    #[test]
    fn as_long_as_nobody_chooses_the_shops_family_for_the_kind_of_engine_holds() {
        let usual = Usual { spark: Correction::Din70020, diesel: Correction::None };
        let read = |cookies: &CookieJar, q: &[(&str, &str)]| {
            let query = q.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
            Prefs::read(usual, cookies, &query)
        };
        let (spark, diesel) =
            (Engine::default(), Engine { ignition: Ignition::Compression, ..Engine::default() });
        let untouched = read(&CookieJar::new(), &[]);
        assert_eq!(untouched.correction_of(&spark), Correction::Din70020);
        assert_eq!(untouched.correction_of(&diesel), Correction::None);
        // Choosing another unit chooses no family.
        let kept = CookieJar::new().add(read(&CookieJar::new(), &[("power", "ps")]).cookie());
        assert_eq!(read(&kept, &[]).correction_of(&diesel), Correction::None);
        let chosen = CookieJar::new().add(read(&kept, &[("correction", "sae_j607")]).cookie());
        assert_eq!(read(&chosen, &[]).correction_of(&diesel), Correction::SaeJ607);
        assert_eq!(read(&chosen, &[("correction", USUAL)]).correction_of(&diesel), Correction::None);
    }
}
