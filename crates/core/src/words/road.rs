//! A standing start in words.

use crate::calculators::strip::StripRun;
use crate::calculators::traction::Estimate;

/// Times in the order of an estimate's values: over 402 m.
const QUARTER: usize = 3;

/// "C6 on E85 would take 13.12 ± 0.41 s over 402 m, 0.42 s less than Stock (0.36 to 0.48)."
pub fn strip_sentence(name: &str, e: &Estimate, base: Option<(&str, &Estimate)>) -> String {
    let (v, h) = (e.values()[QUARTER], e.half_widths()[QUARTER]);
    let own = format!("{name} would take {v:.2} ± {h:.2} s over 402 m");
    let Some((base, a)) = base else { return format!("{own}.") };
    let (d, half) = e.less(a);
    let (d, half) = (d[QUARTER], half[QUARTER]);
    if d.abs() <= half {
        return format!("{own}; no difference to {base} is shown ({:+.2} to {:+.2} s).", d - half, d + half);
    }
    let word = if d < 0.0 { "less" } else { "more" };
    format!("{own}, {:.2} s {word} than {base} ({:.2} to {:.2}).", d.abs(), d.abs() - half, d.abs() + half)
}

/// What a raised limit would change over 402 m.
pub fn raised_sentence(by_rpm: f64, now: &StripRun, raised: &StripRun) -> String {
    let d = raised.t_402m_s - now.t_402m_s;
    let worth = if d.abs() < 0.005 {
        "would change nothing over 402 m".to_owned()
    } else {
        format!("would make 402 m {:.2} s {}", d.abs(), if d < 0.0 { "quicker" } else { "slower" })
    };
    format!(
        "A limit {by_rpm:.0} rpm higher {worth}, if torque held on where its curve ends: nobody measured there, and springs, rods and the maker's limit come first."
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    fn of(t402: f64, own: f64) -> Estimate {
        let run =
            StripRun { t_18m_s: 2.2, t_201m_s: 9.0, v_201m_kmh: 130.0, t_402m_s: t402, v_402m_kmh: 170.0 };
        Estimate { run, shared: [[0.1; 5]; 3], own: [own; 5] }
    }

    #[test]
    fn a_difference_within_what_is_unsure_is_not_shown() {
        let (a, b) = (of(13.5, 0.02), of(13.1, 0.02));
        assert!(
            strip_sentence("C6", &b, Some(("Stock", &a))).contains("0.40 s less than Stock (0.34 to 0.46)")
        );
        assert!(
            strip_sentence("C6", &of(13.48, 0.02), Some(("Stock", &a)))
                .contains("no difference to Stock is shown")
        );
        assert!(strip_sentence("C6", &b, None).ends_with("s over 402 m."));
        assert!(raised_sentence(300.0, &a.run, &a.run).contains("nothing"));
    }
}
