//! Injection in degrees of the crank.

/// Length of an injection in degrees of the crank.
///
/// # Formula
/// `θ = t·n·6·10⁻⁶`
///
/// where
/// - `t`: duration, µs; `n`: engine speed, rpm: 6 degrees a second for each rpm (domain, section 11).
///
/// ```
/// use jamjar_core::diesel::degrees;
/// assert_eq!(degrees(1500.0, 2000.0), 18.0);
/// ```
pub fn degrees(duration_us: f64, rpm: f64) -> f64 {
    duration_us * rpm * 6e-6
}

/// Share of an injection that lies before top dead centre, of one; `None` of one that does not last.
///
/// # Formula
/// `s = clamp(θ_start/θ, 0, 1)`
///
/// where
/// - `θ_start`: start, degrees before top dead centre, negative after it; `θ`: its length, degrees (domain, section 11).
///
/// ```
/// use jamjar_core::diesel::before_tdc;
/// assert_eq!(before_tdc(6.0, 18.0), Some(1.0 / 3.0));
/// assert_eq!(before_tdc(-2.0, 18.0), Some(0.0));
/// assert_eq!(before_tdc(6.0, 0.0), None);
/// ```
pub fn before_tdc(start_deg: f64, length_deg: f64) -> Option<f64> {
    (length_deg > 0.0).then(|| (start_deg / length_deg).clamp(0.0, 1.0))
}
