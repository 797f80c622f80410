//! What a kilowatt gained costs.

use serde::Serialize;

/// Money per unit gained, with the range the interval of the gain allows.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct PricePer {
    /// At the gain found.
    pub value: f64,
    /// At the upper end of the gain's interval.
    pub low: f64,
    /// At its lower end.
    pub high: f64,
}

/// Price divided by a gain and by the ends of its 95 % interval; `None` unless the whole interval is a gain:
/// a price per kilowatt of something that may be nothing has no upper end.
///
/// # Formula
/// `price/gain`, from `price/high` to `price/low`
///
/// where
/// - `price`: money, whichever currency; `gain` in kW, its interval from `low` to `high`;
/// - the result: money per kW (our choice: the ends of the interval, not an interval of the quotient, because
///   the price is exact).
///
/// ```
/// use jamjar_core::stats::price::price_per;
/// let p = price_per(600.0, 20.0, [15.0, 25.0]).unwrap();
/// assert_eq!([p.low, p.value, p.high], [24.0, 30.0, 40.0]);
/// assert!(price_per(600.0, 1.0, [-0.5, 2.5]).is_none());
/// ```
pub fn price_per(price: f64, gain: f64, ci95: [f64; 2]) -> Option<PricePer> {
    (price.is_finite() && price >= 0.0 && ci95[0] > 0.0).then(|| PricePer {
        value: price / gain,
        low: price / ci95[1],
        high: price / ci95[0],
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_gain_has_a_price_and_nothing_shown_has_none() {
        let p = price_per(600.0, 20.0, [15.0, 25.0]).unwrap();
        assert_eq!((p.value, p.low, p.high), (30.0, 24.0, 40.0));
        assert_eq!(price_per(600.0, 1.0, [-0.5, 2.5]), None);
        assert_eq!(price_per(-1.0, 20.0, [15.0, 25.0]), None);
        assert_eq!(price_per(0.0, 20.0, [15.0, 25.0]).unwrap().value, 0.0);
    }
}
