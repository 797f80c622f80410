//! Timing slips of standing starts: two of them held against each other, and an estimate as a slip would show it.

use super::strip::{StripError, StripInput, passes};

/// Rolled before the clock of a strip begins, m, where nobody says (domain, section 12).
pub const ROLLOUT_M: f64 = 0.30;
/// A slip's speed is the mean over this length before its mark, m (domain, section 12).
const TRAP_M: f64 = 20.1;
/// Marks, m: 60 ft, eighth and quarter mile.
const MARKS: [f64; 3] = [18.288, 201.168, 402.336];

/// What a slip says: times from the moment the clock began, without the reaction, and mean speeds before two marks.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
#[allow(missing_docs)]
pub struct Slip {
    pub t18_s: Option<f64>,
    pub t201_s: Option<f64>,
    pub v201_kmh: Option<f64>,
    pub t402_s: Option<f64>,
    pub v402_kmh: Option<f64>,
}

/// Where the difference of two slips arose; `None` where one of them does not say.
#[derive(Debug, Clone, Copy, Default, PartialEq)]
pub struct Apart {
    /// Over 402 m, s, second less first; where neither has it, over 201 m.
    pub whole_s: Option<f64>,
    /// Up to 18 m: the launch.
    pub launch_s: Option<f64>,
    /// From 18 m on: what power, gears and air do.
    pub after_s: Option<f64>,
    /// In the speed at the last mark both have, km/h.
    pub speed_kmh: Option<f64>,
}

/// The second slip against the first.
///
/// # Formula
/// `Δ = Δt₁₈ + (Δt − Δt₁₈)`: the launch is what the first 18 m differ by, the rest what is driven after them
///
/// where
/// - `Δt`: difference over 402 m, or 201 m where one has no more, s (our choice of the parts).
///
/// ```
/// use jamjar_core::calculators::slip::{Slip, apart};
/// let a = Slip { t18_s: Some(2.10), t402_s: Some(13.50), v402_kmh: Some(165.0), ..Slip::default() };
/// let b = Slip { t18_s: Some(2.02), t402_s: Some(13.20), v402_kmh: Some(169.0), ..Slip::default() };
/// let d = apart(&a, &b);
/// assert!((d.launch_s.unwrap() + 0.08).abs() < 1e-9 && (d.after_s.unwrap() + 0.22).abs() < 1e-9);
/// ```
pub fn apart(a: &Slip, b: &Slip) -> Apart {
    let less = |x: Option<f64>, y: Option<f64>| Some(y? - x?);
    let whole_s = less(a.t402_s, b.t402_s).or_else(|| less(a.t201_s, b.t201_s));
    let launch_s = less(a.t18_s, b.t18_s);
    Apart {
        whole_s,
        launch_s,
        after_s: whole_s.zip(launch_s).map(|(w, l)| w - l),
        speed_kmh: less(a.v402_kmh, b.v402_kmh).or_else(|| less(a.v201_kmh, b.v201_kmh)),
    }
}

/// An estimate as a slip would show it: the clock begins after the rollout, speeds are means before their marks.
///
/// # Errors
/// [`StripError`] for bad input or a vehicle that never arrives.
pub fn as_slip(i: &StripInput, rollout_m: f64) -> Result<Slip, StripError> {
    let at = [rollout_m.max(0.0), MARKS[0], MARKS[1] - TRAP_M, MARKS[1], MARKS[2] - TRAP_M, MARKS[2]];
    let p = passes(i, &at)?;
    let since = |k: usize| Some(p[k].0 - p[0].0);
    let speed = |k: usize| Some(3.6 * TRAP_M / (p[k].0 - p[k - 1].0));
    Ok(Slip { t18_s: since(1), t201_s: since(3), v201_kmh: speed(3), t402_s: since(5), v402_kmh: speed(5) })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::calculators::strip::{car, strip};

    #[test]
    fn a_slip_is_quicker_by_the_rollout_and_slower_by_the_trap() {
        let (run, slip) = (strip(&car(260.0, 1.1)).unwrap(), as_slip(&car(260.0, 1.1), ROLLOUT_M).unwrap());
        let rollout = run.t_402m_s - slip.t402_s.unwrap();
        assert!((0.2..0.6).contains(&rollout), "{rollout}");
        assert!((run.t_18m_s - slip.t18_s.unwrap() - rollout).abs() < 1e-9, "one rollout for every mark");
        let trap = run.v_402m_kmh - slip.v402_kmh.unwrap();
        assert!(
            (0.1..4.0).contains(&trap),
            "the mean over the last metres is below the speed at the line: {trap}"
        );
        let none = as_slip(&car(260.0, 1.1), 0.0).unwrap();
        assert!((none.t402_s.unwrap() - run.t_402m_s).abs() < 1e-3);
    }

    #[test]
    fn what_a_slip_does_not_say_is_not_made_up() {
        let trap = Slip { v402_kmh: Some(165.0), ..Slip::default() };
        let other = Slip { v402_kmh: Some(169.0), t402_s: Some(13.0), ..Slip::default() };
        let d = apart(&trap, &other);
        assert_eq!(d, Apart { speed_kmh: Some(4.0), ..Apart::default() });
        let eighth = Slip { t201_s: Some(8.7), ..Slip::default() };
        assert_eq!(apart(&eighth, &Slip { t201_s: Some(8.5), ..eighth }).launch_s, None);
    }
}
