//! What a line-up was asked for, and addresses that ask for it again.

use crate::views::common::{engine_speed, lane_ids, stretch};
use jamjar_core::analysis::{Along, Figure};

/// More lanes than this nobody reads over each other (our choice: two screens of them).
const MOST_LANES: usize = 12;

/// What the address of a line-up says beside sets, baseline and view settings.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct LineUpAsked {
    /// Candidate looked at.
    pub(crate) focus: Option<i64>,
    /// Figure the sets are compared by.
    pub(crate) view: Figure,
    /// Band of the mean, rpm; left to the baseline's curve when nobody chose.
    pub(crate) band: Option<[f64; 2]>,
    /// Engine speed to read power at, rpm.
    pub(crate) at: Option<f64>,
    /// Why sets in different gears may be compared; empty when they may not.
    pub(crate) across: String,
    /// What curves and gains are drawn along.
    pub(crate) along: Along,
    /// Lanes of channels under the curves, by id.
    pub(crate) lanes: Vec<String>,
    /// Channels as their difference to the baseline's.
    pub(crate) minus: bool,
    /// Figures that stand in columns; empty for the usual ones.
    pub(crate) columns: Vec<Figure>,
    /// Two steps whose gains are compared, as ids of sets: from and to.
    pub(crate) steps: Option<[[i64; 2]; 2]>,
    /// Channel that is read at equal output; blank when nobody asked.
    pub(crate) equal: String,
}

/// The fields of an address as they came.
#[derive(Default)]
pub(crate) struct Fields<'a> {
    pub(crate) focus: Option<i64>,
    pub(crate) view: &'a str,
    pub(crate) band: &'a str,
    pub(crate) at: &'a str,
    pub(crate) across: &'a str,
    pub(crate) along: &'a str,
    pub(crate) lanes: &'a str,
    pub(crate) minus: bool,
    pub(crate) columns: &'a str,
    pub(crate) steps: &'a str,
    pub(crate) equal: &'a str,
}

/// Two steps as `1-2,1-3`.
fn steps(s: &str) -> Option<[[i64; 2]; 2]> {
    let step = |s: &str| {
        let (from, to) = s.split_once('-')?;
        let ends = [from.trim().parse().ok()?, to.trim().parse().ok()?];
        (ends[0] != ends[1]).then_some(ends)
    };
    let (one, two) = s.split_once(',')?;
    Some([step(one)?, step(two)?])
}

impl LineUpAsked {
    /// From the fields of an address.
    ///
    /// # Errors
    /// A sentence for a band or an engine speed that makes no sense.
    pub(crate) fn read(f: &Fields<'_>) -> Result<Self, String> {
        let band = match f.band.trim() {
            "" => None,
            s => Some(stretch(s).ok_or_else(|| {
                format!("“{s}” is no band: write two engine speeds, the lower first, such as 3000-6500")
            })?),
        };
        let at = match f.at.trim() {
            "" => None,
            s => Some(
                engine_speed(s)
                    .ok_or_else(|| format!("“{s}” is no engine speed: write rpm, such as 4000"))?,
            ),
        };
        let across: String = f.across.trim().chars().take(200).collect();
        let view = Figure::from_id(f.view).unwrap_or(Figure::PeakPower);
        Ok(Self {
            focus: f.focus,
            view,
            band,
            at,
            across,
            along: Along::from_id(f.along).unwrap_or_default(),
            lanes: lane_ids(f.lanes).into_iter().take(MOST_LANES).collect(),
            minus: f.minus,
            columns: f.columns.split(',').filter_map(Figure::from_id).collect(),
            steps: steps(f.steps),
            equal: lane_ids(f.equal).into_iter().next().unwrap_or_default(),
        })
    }

    /// Fields that are not as they are when nothing is asked.
    pub(crate) fn pairs(&self) -> Vec<(&'static str, String)> {
        let mut out = Vec::new();
        if self.view != Figure::PeakPower {
            out.push(("view", self.view.id().to_owned()));
        }
        if let Some(band) = self.band {
            out.push(("band", band_words(band)));
        }
        if let Some(at) = self.at {
            out.push(("at", format!("{at:.0}")));
        }
        if !self.across.is_empty() {
            out.push(("across", self.across.clone()));
        }
        if self.along != Along::EngineSpeed {
            out.push(("along", self.along.id().to_owned()));
        }
        if !self.lanes.is_empty() {
            out.push(("lanes", self.lanes.join(",")));
        }
        if self.minus {
            out.push(("minus", "1".to_owned()));
        }
        if !self.columns.is_empty() {
            out.push(("columns", self.columns.iter().map(|f| f.id()).collect::<Vec<_>>().join(",")));
        }
        if let Some([[a, b], [c, d]]) = self.steps {
            out.push(("steps", format!("{a}-{b},{c}-{d}")));
        }
        if !self.equal.is_empty() {
            out.push(("equal", self.equal.clone()));
        }
        out
    }
}

/// A band as it is typed.
pub(crate) fn band_words([a, b]: [f64; 2]) -> String {
    format!("{a:.0}-{b:.0}")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::views::common::query_of;

    #[test]
    fn an_address_says_only_what_is_not_usual() {
        let plain = LineUpAsked::read(&Fields::default()).unwrap();
        assert!(plain.pairs().is_empty());
        let f = Fields {
            focus: Some(3),
            view: "power_at",
            band: "2500 – 5000",
            at: "4100",
            across: " same clutch, both locked ",
            along: "road",
            lanes: "mixture,,<b>,spark,mixture",
            minus: true,
            columns: "peak_torque,none,power_at",
            steps: "1-2,1-3",
            equal: "manifold_pressure",
        };
        let all = LineUpAsked::read(&f).unwrap();
        assert_eq!(
            query_of(&all.pairs()),
            "view=power_at&band=2500-5000&at=4100&across=same+clutch%2C+both+locked&along=road&lanes=mixture%2Cspark&minus=1&columns=peak_torque%2Cpower_at&steps=1-2%2C1-3&equal=manifold_pressure"
        );
        let again = LineUpAsked::read(&Fields {
            band: "2500-5000",
            across: "same clutch, both locked",
            lanes: "mixture,spark",
            columns: "peak_torque,power_at",
            ..f
        })
        .unwrap();
        assert_eq!(again, all);
    }

    #[test]
    fn nonsense_is_refused_in_words() {
        let refused = |f: Fields<'_>| LineUpAsked::read(&f).unwrap_err();
        assert!(refused(Fields { band: "6500-3000", ..Fields::default() }).contains("the lower first"));
        assert!(refused(Fields { at: "fast", ..Fields::default() }).contains("such as 4000"));
    }
}
