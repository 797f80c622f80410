//! Gear changes in words.

use crate::pull::shifts::{FLARE_RPM, Shift, Unclear};
use crate::stats::two_sets::Repeats;

/// "0.31 s at 6210 rpm, 0.22 s without drive; flare of 180 rpm".
pub fn shift_words(s: &Shift) -> String {
    let at = (s.rpm[0] / 10.0).round() * 10.0;
    let mut out = match s.unclear {
        Some(Unclear::TooCoarse(step)) => {
            return format!("at {at:.0} rpm; too coarse to time: samples come {step:.2} s apart");
        }
        Some(Unclear::Clocks(sd)) => {
            return format!("at {at:.0} rpm; can't be timed: the two clocks are unsure by {sd:.2} s");
        }
        None => format!("{:.2} s at {at:.0} rpm", s.takes_s),
    };
    match s.interrupted_s {
        Some(gone) if gone < 0.02 => out += ", drive never below half",
        Some(gone) => out += &format!(", {gone:.2} s without drive"),
        None => {}
    }
    if s.flare_rpm >= FLARE_RPM {
        out += &format!("; flare of {:.0} rpm", (s.flare_rpm / 10.0).round() * 10.0);
    }
    if s.slip >= 0.005 {
        out += &format!("; {:.1} % of slip just after", 100.0 * s.slip);
    }
    out
}

/// "2 to 3 takes 0.08 ± 0.05 s less with A17 than with A14."
pub fn shifts_compared(gears: &str, now: &str, before: &str, r: &Repeats) -> String {
    let half = 0.5 * (r.ci95[1] - r.ci95[0]);
    let [low, high] = r.ci95;
    let d = r.difference;
    if low <= 0.0 && high >= 0.0 {
        return format!("{gears}: no difference shown between {now} and {before} ({d:+.2} ± {half:.2} s).");
    }
    let way = if d < 0.0 { "less" } else { "more" };
    format!("{gears} takes {:.2} ± {half:.2} s {way} with {now} than with {before}.", d.abs())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::stats::two_sets::compare;

    #[test]
    fn a_change_says_what_was_measured_and_why_not() {
        let s = Shift {
            from_s: 3.0,
            takes_s: 0.312,
            ratio: [8.0, 5.6],
            rpm: [6213.0, 4400.0],
            flare_rpm: 12.0,
            slip: 0.001,
            interrupted_s: Some(0.22),
            unclear: None,
        };
        assert_eq!(shift_words(&s), "0.31 s at 6210 rpm, 0.22 s without drive");
        let loose = Shift { flare_rpm: 183.0, slip: 0.012, interrupted_s: None, ..s };
        assert_eq!(shift_words(&loose), "0.31 s at 6210 rpm; flare of 180 rpm; 1.2 % of slip just after");
        let coarse = Shift { unclear: Some(Unclear::TooCoarse(0.2)), ..s };
        assert!(shift_words(&coarse).contains("too coarse"));
        let unsure = Shift { unclear: Some(Unclear::Clocks(0.05)), ..s };
        assert!(shift_words(&unsure).contains("unsure by 0.05 s"));
    }

    #[test]
    fn two_softwares_differ_beyond_their_scatter_or_not_at_all() {
        let apart = compare(&[0.40, 0.42, 0.41], &[0.30, 0.31, 0.32]).unwrap();
        assert!(shifts_compared("2 to 3", "A17", "A14", &apart).contains("s less with A17 than with A14"));
        let alike = compare(&[0.40, 0.30], &[0.33, 0.38]).unwrap();
        assert!(shifts_compared("2 to 3", "A17", "A14", &alike).contains("no difference shown"));
    }
}
