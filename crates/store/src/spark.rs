//! A curve small enough to stand beside its figures: for the sparkline of a search result, without opening
//! anything.

use jamjar_core::curve::Curve;
use jamjar_core::signal::interp;

/// Points kept.
const POINTS: usize = 32;
/// Unit of a stored power, kW, and of a stored speed, rpm.
const UNIT: (f64, f64) = (0.1, 10.0);

/// A power curve in few points, uncorrected.
#[derive(Debug, Clone, PartialEq)]
pub struct Spark {
    /// First and last engine speed, rpm.
    pub rpm: [f64; 2],
    /// Power at equal steps between them, kW.
    pub power_kw: Vec<f64>,
}

impl Spark {
    /// From a curve; `None` with fewer than two points.
    pub fn of(c: &Curve) -> Option<Self> {
        let (a, b) = (*c.rpm.first()?, *c.rpm.last()?);
        if b <= a {
            return None;
        }
        let at = |i: usize| a + (b - a) * i as f64 / (POINTS - 1) as f64;
        let power_kw =
            (0..POINTS).map(|i| interp::linear(&c.rpm, &c.power_kw, at(i)).unwrap_or(0.0)).collect();
        Some(Self { rpm: [a, b], power_kw })
    }

    /// As stored: two speeds, then the powers, 16 bits each, little-endian.
    pub(crate) fn to_bytes(&self) -> Vec<u8> {
        let small = |v: f64, unit: f64| (v / unit).round().clamp(0.0, f64::from(u16::MAX)) as u16;
        let speeds = self.rpm.iter().map(|r| small(*r, UNIT.1));
        speeds.chain(self.power_kw.iter().map(|p| small(*p, UNIT.0))).flat_map(u16::to_le_bytes).collect()
    }

    pub(crate) fn from_bytes(b: &[u8]) -> Option<Self> {
        let v: Vec<f64> = b.chunks_exact(2).map(|c| f64::from(u16::from_le_bytes([c[0], c[1]]))).collect();
        (v.len() == POINTS + 2).then(|| Self {
            rpm: [v[0] * UNIT.1, v[1] * UNIT.1],
            power_kw: v[2..].iter().map(|p| p * UNIT.0).collect(),
        })
    }
}

#[cfg(test)]
#[allow(clippy::float_cmp)]
mod tests {
    use super::*;

    #[test]
    fn a_spark_keeps_the_shape_of_its_curve() {
        let rpm: Vec<f64> = (40..=140).map(|k| f64::from(k) * 50.0).collect();
        let power_kw: Vec<f64> = rpm.iter().map(|r| 120.0 - ((r - 6000.0) / 500.0).powi(2)).collect();
        let n = rpm.len();
        let curve =
            Curve { rpm, power_kw, torque_nm: vec![0.0; n], edge: vec![false; n], ..Curve::default() };
        let spark = Spark::from_bytes(&Spark::of(&curve).unwrap().to_bytes()).unwrap();
        assert_eq!(spark.rpm, [2000.0, 7000.0]);
        for (i, p) in spark.power_kw.iter().enumerate() {
            let r = 2000.0 + 5000.0 * i as f64 / 31.0;
            assert!((p - curve.power_at(r).unwrap()).abs() < 0.06, "{r}: {p}");
        }
        assert_eq!(Spark::from_bytes(&[1, 2, 3]), None);
        assert_eq!(Spark::of(&Curve::default()), None);
    }
}
