//! What a line-up was asked for, and addresses that ask for it again.

use super::words::decimal;
use jamjar_core::analysis::Figure;

/// Band of the mean until a person chooses one, rpm.
const BAND: [f64; 2] = [3000.0, 6500.0];

/// What the address of a line-up says beside sets, baseline and view settings.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct LineUpAsked {
    /// Candidate looked at.
    pub(crate) focus: Option<i64>,
    /// Figure the sets are compared by.
    pub(crate) view: Figure,
    /// Band of the mean, rpm.
    pub(crate) band: [f64; 2],
    /// Engine speed to read power at, rpm.
    pub(crate) at: Option<f64>,
    /// Why sets in different gears may be compared; empty when they may not.
    pub(crate) across: String,
}

impl LineUpAsked {
    /// From the fields of an address.
    ///
    /// # Errors
    /// A sentence for a band or an engine speed that makes no sense.
    pub(crate) fn read(focus: Option<i64>, view: &str, band: &str, at: &str, across: &str) -> Result<Self, String> {
        let number = |s: &str| decimal(s).filter(|v| (100.0..=30_000.0).contains(v));
        let band = if band.trim().is_empty() {
            BAND
        } else {
            let ends = band.split_once(['-', '–']).and_then(|(a, b)| Some([number(a)?, number(b)?])).filter(|b| b[1] > b[0]);
            ends.ok_or_else(|| format!("“{band}” is no band: write two engine speeds, the lower first, such as 3000-6500"))?
        };
        let at = match at.trim() {
            "" => None,
            s => Some(number(s).ok_or_else(|| format!("“{s}” is no engine speed: write rpm, such as 4000"))?),
        };
        let across: String = across.trim().chars().take(200).collect();
        Ok(Self { focus, view: Figure::from_id(view).unwrap_or(Figure::PeakPower), band, at, across })
    }

    /// Fields that are not as they are when nothing is asked.
    pub(crate) fn pairs(&self) -> Vec<(&'static str, String)> {
        let mut out = Vec::new();
        if self.view != Figure::PeakPower {
            out.push(("view", self.view.id().to_owned()));
        }
        if self.band != BAND {
            out.push(("band", self.band_words()));
        }
        if let Some(at) = self.at {
            out.push(("at", format!("{at:.0}")));
        }
        if !self.across.is_empty() {
            out.push(("across", self.across.clone()));
        }
        out
    }

    /// The band as it is typed.
    pub(crate) fn band_words(&self) -> String {
        format!("{:.0}-{:.0}", self.band[0], self.band[1])
    }
}

/// An encoded query from fields.
pub(crate) fn query_of(pairs: &[(&'static str, String)]) -> String {
    let mut out = form_urlencoded::Serializer::new(String::new());
    out.extend_pairs(pairs);
    out.finish()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_address_says_only_what_is_not_usual() {
        let plain = LineUpAsked::read(None, "", "", "", "").unwrap();
        assert!(plain.pairs().is_empty());
        let all = LineUpAsked::read(Some(3), "power_at", "2500 – 5000", "4100", " same clutch, both locked ").unwrap();
        assert_eq!(query_of(&all.pairs()), "view=power_at&band=2500-5000&at=4100&across=same+clutch%2C+both+locked");
        let again = LineUpAsked::read(Some(3), "power_at", "2500-5000", "4100", "same clutch, both locked").unwrap();
        assert_eq!(again, all);
    }

    #[test]
    fn nonsense_is_refused_in_words() {
        assert!(LineUpAsked::read(None, "", "6500-3000", "", "").unwrap_err().contains("the lower first"));
        assert!(LineUpAsked::read(None, "", "", "fast", "").unwrap_err().contains("such as 4000"));
    }
}
