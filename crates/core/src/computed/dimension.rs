//! Units and what they measure: exponents of a few base quantities and a scale.

/// Exponents of metre, kilogram, second, kelvin, revolution and λ. Revolutions and λ are counted, so that an angle
/// is no plain number and a mixture no percentage (our choice).
pub(super) type Dimension = [i8; 6];

const PLAIN: Dimension = [0; 6];

/// A unit: what it measures and how much of it.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct UnitOf {
    pub(super) label: String,
    pub(super) dimension: Dimension,
    /// In the base units.
    pub(super) scale: f64,
    /// Counted from a zero that is none: °C. Differences of such values are none.
    pub(super) point: bool,
}

const fn dim(m: i8, kg: i8, s: i8, k: i8, rev: i8, lambda: i8) -> Dimension {
    [m, kg, s, k, rev, lambda]
}

const PRESSURE: Dimension = dim(-1, 1, -2, 0, 0, 0);
const TIME: Dimension = dim(0, 0, 1, 0, 0, 0);
const SPEED: Dimension = dim(1, 0, -1, 0, 0, 0);
const TURN: Dimension = dim(0, 0, 0, 0, 1, 0);
const FLOW: Dimension = dim(0, 1, -1, 0, 0, 0);
const POWER: Dimension = dim(2, 1, -3, 0, 0, 0);

/// Units that may be written, longest first where one begins another.
const UNITS: &[(&str, Dimension, f64)] = &[
    ("rev/min", dim(0, 0, -1, 0, 1, 0), 1.0 / 60.0),
    ("rpm", dim(0, 0, -1, 0, 1, 0), 1.0 / 60.0),
    ("rev", TURN, 1.0),
    ("km/h", SPEED, 1.0 / 3.6),
    ("m/s", SPEED, 1.0),
    ("N·m", dim(2, 1, -2, 0, 0, 0), 1.0),
    ("Nm", dim(2, 1, -2, 0, 0, 0), 1.0),
    ("kPa", PRESSURE, 1e3),
    ("hPa", PRESSURE, 1e2),
    ("MPa", PRESSURE, 1e6),
    ("bar", PRESSURE, 1e5),
    ("kW", POWER, 1e3),
    ("W", POWER, 1.0),
    ("kg/h", FLOW, 1.0 / 3600.0),
    ("kg/s", FLOW, 1.0),
    ("g/s", FLOW, 1e-3),
    ("kg", dim(0, 1, 0, 0, 0, 0), 1.0),
    ("g", dim(0, 1, 0, 0, 0, 0), 1e-3),
    ("ms", TIME, 1e-3),
    ("µs", TIME, 1e-6),
    ("us", TIME, 1e-6),
    ("min", TIME, 60.0),
    ("s", TIME, 1.0),
    ("K", dim(0, 0, 0, 1, 0, 0), 1.0),
    ("λ", dim(0, 0, 0, 0, 0, 1), 1.0),
    ("%", PLAIN, 0.01),
    ("°", TURN, 1.0 / 360.0),
    ("deg", TURN, 1.0 / 360.0),
];

impl UnitOf {
    /// A plain number.
    pub(super) fn plain() -> Self {
        Self { label: String::new(), dimension: PLAIN, scale: 1.0, point: false }
    }

    /// Kelvin as a difference.
    pub(super) fn kelvin() -> Self {
        Self { label: "K".into(), dimension: dim(0, 0, 0, 1, 0, 0), scale: 1.0, point: false }
    }

    /// A unit by its label: those of channels, and a few more; "" and "ratio" are a plain number.
    pub(super) fn named(label: &str) -> Option<Self> {
        match label.trim() {
            "" | "1" | "ratio" | "-" => Some(Self::plain()),
            "°C" | "degC" => Some(Self { label: "°C".into(), point: true, ..Self::kelvin() }),
            "fraction" => Some(Self::plain()),
            other => {
                let known = UNITS.iter().find(|u| u.0.eq_ignore_ascii_case(other) || u.0 == other)?;
                Some(Self { label: known.0.into(), dimension: known.1, scale: known.2, point: false })
            }
        }
    }

    /// The unit a text begins with, and how many bytes it takes.
    pub(super) fn at_start(text: &str) -> Option<(Self, usize)> {
        let ends = |n: usize| !text[n..].starts_with(|c: char| c.is_alphanumeric() || c == '_');
        if let Some(label) = ["°C", "degC"].into_iter().find(|l| text.starts_with(l) && ends(l.len())) {
            return Some((Self::named(label)?, label.len()));
        }
        let known = UNITS.iter().find(|u| text.starts_with(u.0) && ends(u.0.len()))?;
        Some((Self::named(known.0)?, known.0.len()))
    }

    /// Whether both measure the same.
    pub(super) fn like(&self, other: &Self) -> bool {
        self.dimension == other.dimension
    }

    /// Whether values of both mean the same number.
    pub(super) fn same(&self, other: &Self) -> bool {
        self.like(other) && self.point == other.point && (self.scale / other.scale - 1.0).abs() < 1e-12
    }

    /// The product, or with −1 the quotient.
    pub(super) fn times(&self, other: &Self, sign: i8) -> Self {
        let mut dimension = self.dimension;
        for (a, b) in dimension.iter_mut().zip(other.dimension) {
            *a = a.saturating_add(sign * b);
        }
        let scale = if sign > 0 { self.scale * other.scale } else { self.scale / other.scale };
        let plain = dimension == PLAIN && (scale - 1.0).abs() < 1e-12;
        let label = match (plain, self.label.as_str(), other.label.as_str(), sign > 0) {
            (true, ..) => String::new(),
            (_, a, "", _) => a.to_owned(),
            (_, "", b, true) => b.to_owned(),
            (_, "", b, false) => format!("1/{b}"),
            (_, a, b, true) => format!("{a}·{b}"),
            (_, a, b, false) => format!("{a}/{b}"),
        };
        Self { label, dimension, scale, point: false }
    }

    /// A whole power.
    pub(super) fn power(&self, n: i8) -> Self {
        let mut dimension = self.dimension;
        dimension.iter_mut().for_each(|d| *d = d.saturating_mul(n));
        let label = if self.label.is_empty() { String::new() } else { format!("({})^{n}", self.label) };
        Self { label, dimension, scale: self.scale.powi(i32::from(n)), point: false }
    }

    /// The square root; `None` where there is none in whole exponents.
    pub(super) fn root(&self) -> Option<Self> {
        let mut dimension = self.dimension;
        if dimension.iter().any(|d| d % 2 != 0) {
            return None;
        }
        dimension.iter_mut().for_each(|d| *d /= 2);
        let label = if self.label.is_empty() { String::new() } else { format!("√({})", self.label) };
        Some(Self { label, dimension, scale: self.scale.sqrt(), point: false })
    }

    /// As said in a sentence.
    pub(super) fn words(&self) -> String {
        if self.label.is_empty() { "a plain number".into() } else { self.label.clone() }
    }
}
