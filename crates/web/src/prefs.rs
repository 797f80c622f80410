//! View settings: in the link first, then as last chosen, then the default. Only a switch by hand keeps them:
//! a link that somebody sent does not.

use crate::cookies::lasting;
use crate::state::AppState;
use crate::written::Written;
use axum::extract::{FromRequestParts, Query};
use axum::http::request::Parts;
use axum_extra::extract::CookieJar;
use axum_extra::extract::cookie::Cookie;
use jamjar_core::analysis::{Engine, Figure, Headline, Settings, Usual};
use jamjar_core::correction::Correction;
use jamjar_core::curve::Quantity;
use jamjar_core::units::{
    Here, Mixture, PowerUnit, PressureUnit, SpeedUnit, TemperatureUnit, TorqueUnit, Units, VolumeUnit,
};
use jamjar_store::Ways;
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
pub(crate) const POWERS: [(PowerUnit, &str, &str); 3] =
    [(PowerUnit::Kw, "kw", "kW"), (PowerUnit::Hp, "hp", "hp"), (PowerUnit::Ps, "ps", "PS")];
pub(crate) const TORQUES: [(TorqueUnit, &str, &str); 2] =
    [(TorqueUnit::Nm, "nm", "N·m"), (TorqueUnit::LbFt, "lbft", "lb·ft")];
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
/// Whether boost is told above the station's pressure.
pub(crate) const ZEROS: [(bool, &str, &str); 2] = [(false, "absolute", "absolute"), (true, "gauge", "gauge")];
pub(crate) const MIXTURES: [(Mixture, &str, &str); 3] = [
    (Mixture::Lambda, "lambda", "λ"),
    (Mixture::Afr, "afr", "AFR gasoline"),
    (Mixture::AfrOwn, "own", "AFR own fuel"),
];
pub(crate) const VOLUMES: [(VolumeUnit, &str, &str); 3] = [
    (VolumeUnit::Litre, "l", "L"),
    (VolumeUnit::UsGallon, "usgal", "US gal"),
    (VolumeUnit::ImperialGallon, "impgal", "imp gal"),
];
/// Switches of units, each by its name in links.
pub(crate) const UNITS: [&str; 8] =
    ["power", "torque", "pressure", "zero", "temperature", "speed", "scale", "volume"];

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

    /// The figure that heads what is shown.
    pub(crate) fn leads(self) -> Figure {
        match self {
            Self::Power | Self::Both => Figure::PeakPower,
            Self::Torque => Figure::PeakTorque,
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

/// Settings as one text.
fn joined(all: impl Iterator<Item = (&'static str, String)>) -> String {
    all.map(|(k, v)| format!("{k}:{v}")).collect::<Vec<_>>().join("|")
}

/// Everything about how numbers are shown.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Prefs {
    pub(crate) correction: Correction,
    /// Nobody chose a family: the shop's own for the kind of engine holds.
    pub(crate) usual: Option<Usual>,
    /// What holds in the shop where nobody chose.
    shop: Ways,
    /// How the shop writes.
    pub(crate) written: Written,
    pub(crate) headline: Headline,
    pub(crate) power: PowerUnit,
    pub(crate) torque: TorqueUnit,
    pub(crate) mixture: Mixture,
    pub(crate) pressure: PressureUnit,
    /// Boost is told above the station's pressure.
    pub(crate) gauge: bool,
    pub(crate) temperature: TemperatureUnit,
    pub(crate) speed: SpeedUnit,
    pub(crate) volume: VolumeUnit,
    /// What readings rest on where they are shown.
    here: Here,
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
            shop: Ways::default(),
            written: Written::default(),
            headline: Headline::Mean,
            power: PowerUnit::Kw,
            torque: TorqueUnit::Nm,
            mixture: Mixture::default(),
            pressure: PressureUnit::default(),
            gauge: false,
            temperature: TemperatureUnit::default(),
            speed: SpeedUnit::default(),
            volume: VolumeUnit::default(),
            here: Here::default(),
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
            "correction" if value == USUAL => self.usual = self.usual.or(Some(self.shop.usual)),
            "correction" => {
                if let Some(chosen) = Correction::from_id(value) {
                    (self.correction, self.usual) = (chosen, None);
                }
            }
            "headline" => self.headline = Headline::from_id(value).unwrap_or(self.headline),
            "power" => self.power = of(&POWERS, value).unwrap_or(self.power),
            "torque" => self.torque = of(&TORQUES, value).unwrap_or(self.torque),
            "pressure" => self.pressure = of(&PRESSURES, value).unwrap_or(self.pressure),
            "temperature" => self.temperature = of(&TEMPERATURES, value).unwrap_or(self.temperature),
            "speed" => self.speed = of(&SPEEDS, value).unwrap_or(self.speed),
            "zero" => self.gauge = of(&ZEROS, value).unwrap_or(self.gauge),
            "scale" => self.mixture = of(&MIXTURES, value).unwrap_or(self.mixture),
            "volume" => self.volume = of(&VOLUMES, value).unwrap_or(self.volume),
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
    pub(crate) fn following_families(self, shop: &Ways) -> Self {
        Self { usual: Some(shop.usual), shop: shop.clone(), ..self }
    }

    /// The shop's units from now on.
    pub(crate) fn following_units(&self, shop: &Ways) -> Self {
        let others = joined(self.chosen().filter(|(k, _)| !UNITS.contains(k)));
        Self { theme: self.theme.clone(), ..Self::of_shop(shop.clone()) }.with(&others)
    }

    /// Everything as one may choose it; the family only where somebody did.
    fn chosen(&self) -> impl Iterator<Item = (&'static str, String)> {
        let family = self.usual.is_none().then(|| ("correction", self.correction.id().to_owned()));
        family.into_iter().chain(self.others())
    }

    /// The same where readings rest on this.
    pub(crate) fn reading(self, here: Here) -> Self {
        Self { here, ..self }
    }

    /// What readings rest on.
    pub(crate) fn here(&self) -> Here {
        self.here
    }

    /// The units, as the shop keeps them.
    pub(crate) fn units_text(&self) -> String {
        joined(self.others().into_iter().filter(|(k, _)| UNITS.contains(k)))
    }

    fn others(&self) -> Vec<(&'static str, String)> {
        vec![
            ("headline", self.headline.id().to_owned()),
            ("power", id(&POWERS, self.power).to_owned()),
            ("torque", id(&TORQUES, self.torque).to_owned()),
            ("pressure", id(&PRESSURES, self.pressure).to_owned()),
            ("zero", id(&ZEROS, self.gauge).to_owned()),
            ("temperature", id(&TEMPERATURES, self.temperature).to_owned()),
            ("speed", id(&SPEEDS, self.speed).to_owned()),
            ("scale", id(&MIXTURES, self.mixture).to_owned()),
            ("volume", id(&VOLUMES, self.volume).to_owned()),
            ("smooth", self.smoothing_s.to_string()),
            ("show", self.shown.id().to_owned()),
            ("speeds", speeds_words(&self.speeds, ".")),
            ("same", self.margin_kw.map_or_else(|| "off".into(), |m| m.to_string())),
        ]
    }

    /// The cookie that keeps what was chosen otherwise than in the shop.
    pub(crate) fn cookie(&self) -> Cookie<'static> {
        let shops = Self::of_shop(self.shop.clone()).others();
        lasting(VIEW, joined(self.chosen().filter(|o| !shops.contains(o))), "/")
    }

    /// Units a person reads in.
    pub(crate) fn units(&self) -> Units {
        Units {
            power: self.power,
            torque: self.torque,
            mixture: self.mixture,
            pressure: self.pressure,
            gauge: self.gauge,
            temperature: self.temperature,
            speed: self.speed,
            here: self.here,
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

    /// As the shop has it.
    pub(crate) fn of_shop(shop: Ways) -> Self {
        let (usual, written, units) = (shop.usual, Written::of(&shop), shop.units.clone());
        let begin = Self { correction: usual.spark, usual: Some(usual), shop, written, ..Self::default() };
        begin.with(&units)
    }

    /// With what is written down as [`joined`] does.
    fn with(mut self, text: &str) -> Self {
        text.split('|').filter_map(|p| p.split_once(':')).for_each(|(k, v)| self.apply(k, v));
        self
    }

    fn read(shop: Ways, cookies: &CookieJar, query: &HashMap<String, String>) -> Self {
        let mut out = Self::of_shop(shop);
        if let Some(c) = cookies.get(VIEW) {
            out = out.with(c.value());
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
    /// Where the shop's choices cannot be read, those it would begin with hold: the page says what is wrong.
    async fn from_request_parts(parts: &mut Parts, state: &AppState) -> Result<Self, Infallible> {
        let query = Query::<HashMap<String, String>>::from_request_parts(parts, state)
            .await
            .map(|q| q.0)
            .unwrap_or_default();
        let shop = state.ways().await.map(|w| (*w).clone()).unwrap_or_default();
        Ok(Self::read(shop, &CookieJar::from_headers(&parts.headers), &query))
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
        assert_eq!(Prefs::read(Ways::default(), &cookies, &HashMap::new()), kept);
        let query = HashMap::from([
            ("correction".to_owned(), "none".to_owned()),
            ("smooth".to_owned(), "9".to_owned()),
            ("headline".to_owned(), "<b>".to_owned()),
        ]);
        let p = Prefs::read(Ways::default(), &cookies, &query);
        assert_eq!((p.correction, p.power, p.smoothing_s), (Correction::None, PowerUnit::Ps, 0.25));
    }

    #[test]
    fn as_long_as_nobody_chooses_the_shops_family_for_the_kind_of_engine_holds() {
        let usual = Usual { spark: Correction::Din70020, diesel: Correction::None };
        let read = |cookies: &CookieJar, q: &[(&str, &str)]| {
            let query = q.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
            Prefs::read(Ways { usual, ..Ways::default() }, cookies, &query)
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

    #[test]
    fn units_are_the_shops_until_somebody_switches_and_only_the_switch_is_kept() {
        let shop = |units: &str| Ways { units: units.into(), ..Ways::default() };
        let imperial = shop("power:hp|pressure:psi|zero:gauge|scale:own|volume:usgal|nonsense:1|power:x");
        let read = |shop: &Ways, cookies: &CookieJar, q: &[(&str, &str)]| {
            let query = q.iter().map(|(k, v)| ((*k).to_owned(), (*v).to_owned())).collect();
            Prefs::read(shop.clone(), cookies, &query)
        };
        let p = read(&imperial, &CookieJar::new(), &[]);
        assert_eq!((p.power, p.pressure, p.gauge), (PowerUnit::Hp, PressureUnit::Psi, true));
        assert_eq!((p.mixture, p.volume), (Mixture::AfrOwn, VolumeUnit::UsGallon));
        // One switch by hand; the shop then changes its mind about the rest.
        let kept = CookieJar::new().add(read(&imperial, &CookieJar::new(), &[("pressure", "bar")]).cookie());
        assert_eq!(kept.get(VIEW).map(Cookie::value), Some("pressure:bar"));
        let later = read(&shop("power:ps"), &kept, &[]);
        assert_eq!((later.power, later.pressure, later.gauge), (PowerUnit::Ps, PressureUnit::Bar, false));
        assert_eq!(Prefs::of_shop(shop(&p.units_text())).units(), p.units(), "written down and read again");
        // Who chooses for the shop follows it in that, and in nothing else.
        let own = [("pressure", "bar"), ("correction", "sae_j607"), ("smooth", "0.1")];
        let own = read(&imperial, &CookieJar::new(), &own);
        let units = own.following_units(&shop("power:ps"));
        assert_eq!((units.power, units.pressure), (PowerUnit::Ps, PressureUnit::Kpa));
        assert_eq!((units.correction, units.usual, units.smoothing_s), (Correction::SaeJ607, None, 0.1));
        let families = own.following_families(&imperial);
        assert_eq!((families.usual, families.pressure), (Some(imperial.usual), PressureUnit::Bar));
    }
}
