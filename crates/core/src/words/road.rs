//! A standing start in words.

use crate::calculators::slip::Apart;
use crate::calculators::strip::StripRun;
use crate::calculators::traction::Estimate;
use crate::calculators::wanted_time::{NotByPower, Wanted};

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

/// What the second of two slips was quicker by, and which part of it is launch.
pub fn slips_sentence(first: &str, second: &str, d: &Apart, speed: impl Fn(f64) -> String) -> String {
    let by = |s: f64| format!("{:.2} s {}", s.abs(), if s < 0.0 { "less" } else { "more" });
    let fast =
        d.speed_kmh.map(|v| format!("{}{} at the line", if v < 0.0 { "−" } else { "+" }, speed(v.abs())));
    let Some(whole) = d.whole_s else {
        let fast = fast.unwrap_or_else(|| "no mark that both have".into());
        return format!(
            "{second} against {first}: {fast}. Without the times of both which part is launch can't be told."
        );
    };
    let parts = match (d.launch_s, d.after_s) {
        (Some(l), Some(a)) => format!(": {l:+.2} s of it up to 18 m, the launch, and {a:+.2} s after it"),
        _ => "; without both times at 18 m which part is launch can't be told".to_owned(),
    };
    let fast = fast.map_or_else(String::new, |f| format!("; {f}"));
    format!("{second} took {} than {first}{parts}{fast}.", by(whole))
}

/// What a wanted time takes, and which set would do it by its own curve; `peak` says kilowatts in the reader's unit.
pub fn wanted_sentence(
    wanted_s: f64,
    (name, peak_kw): (&str, f64),
    found: &Result<Wanted, NotByPower>,
    own: Option<(&str, f64)>,
    peak: impl Fn(f64) -> String,
) -> String {
    let w = match found {
        Err(NotByPower::Traction) => {
            return format!(
                "{wanted_s:.2} s over 402 m is not by power: traction. With this grip, weight and launch no curve does it."
            );
        }
        Err(NotByPower::Slower) => return format!("{wanted_s:.2} s over 402 m takes next to no power."),
        Err(NotByPower::NoRun(why)) => return format!("No run comes of these inputs: {why}."),
        Ok(w) => w,
    };
    let [low, high] = w.ci95;
    let mut out = format!(
        "{wanted_s:.2} s over 402 m takes {:.2} times the power of {name} ({low:.2} to {high:.2}), about {} at peak",
        w.factor,
        peak(w.factor * peak_kw)
    );
    if w.never > 0.02 {
        out += &format!(
            "; with {:.0} % of the grips and launches it may have, no power does it",
            100.0 * w.never
        );
    }
    out.push('.');
    match own {
        Some((set, t)) => {
            out += &format!(" The mildest that does it by its own curve is {set}, with {t:.2} s.")
        }
        None => out += " No set pulled so far does it by its own curve.",
    }
    out
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
    fn the_launch_is_told_from_the_rest_only_where_both_say_it() {
        let say = |d| slips_sentence("Stock", "C6", &d, |v| format!("{v:.1} km/h"));
        let whole =
            Apart { whole_s: Some(-0.3), launch_s: Some(-0.08), after_s: Some(-0.22), speed_kmh: Some(4.0) };
        assert_eq!(
            say(whole),
            "C6 took 0.30 s less than Stock: -0.08 s of it up to 18 m, the launch, and -0.22 s after it; +4.0 km/h at the line."
        );
        assert!(
            say(Apart { launch_s: None, after_s: None, ..whole })
                .contains("which part is launch can't be told")
        );
        assert!(say(Apart { speed_kmh: Some(-2.0), ..Apart::default() }).contains("−2.0 km/h at the line"));
    }

    #[test]
    fn a_wanted_time_is_said_in_power_or_as_traction() {
        let say =
            |found, own| wanted_sentence(12.8, ("C6 on E30", 140.0), &found, own, |kw| format!("{kw:.0} kW"));
        let w = Wanted { factor: 1.1, ci95: [1.04, 1.17], never: 0.0 };
        let said = say(Ok(w), Some(("C4 on E85 (135 kPa)", 12.71)));
        assert!(
            said.contains("1.10 times the power of C6 on E30 (1.04 to 1.17), about 154 kW at peak."),
            "{said}"
        );
        assert!(said.ends_with("is C4 on E85 (135 kPa), with 12.71 s."), "{said}");
        assert!(say(Ok(Wanted { never: 0.2, ..w }), None).contains("20 % of the grips"));
        assert!(say(Err(NotByPower::Traction), None).contains("not by power: traction"));
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
