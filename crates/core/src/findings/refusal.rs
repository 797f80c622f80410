//! Why two recordings were not brought onto one clock.

use serde::{Deserialize, Serialize};

/// Why an alignment is refused. Shares are of one, rates in parts per million, other units in the names.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Refusal {
    /// The engine computer's log covers this pull nowhere.
    NotCovered,
    /// No lag makes the two traces agree.
    NoLag,
    /// It covers only this share of the pull.
    Coverage { share: f64 },
    /// The files' own clocks contradict the lag that fits.
    Clocks { off_s: f64 },
    /// The speeds differ too much at the best lag; the measured ratio is off the geometry by that share where
    /// it is.
    Residual { share: f64, limit: f64, ratio_off: Option<f64> },
    /// The ends of the pull differ.
    Ends { rpm: f64, limit_rpm: f64 },
    /// Tip-in and lift are further apart in one log.
    Kinks { gap_s: f64 },
    /// The clocks would have to run too far apart.
    Rate { ppm: f64 },
    /// The lag is hardly known.
    Uncertain { sigma_s: f64 },
    /// The ramps differ in shape where nothing can slip.
    Shape { rpm: f64 },
    /// Neither tip-in nor lift nor a ratio.
    BareRamp,
    /// Two lags fit alike.
    Rivals { lag_s: f64, rival_s: f64 },
    /// There is nothing to align.
    NoPull,
    /// The engine computer did not log its speed.
    NoSpeed,
    /// The speeds agree under a ratio that is not the geometry's.
    AnotherRatio { measured: f64, geometry: f64 },
    /// This log fits that other pull clearly better.
    FitsAnother { pull: String },
    /// That other pull's log fits this pull clearly better.
    AnotherFits { pull: String },
    /// The clocks would have to run apart as in none of the job's other pulls.
    OddRate { ppm: f64, usual_ppm: f64 },
}
