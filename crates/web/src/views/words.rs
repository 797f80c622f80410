//! Small wordings shared by pages.

use chrono::{Datelike, NaiveDate};
use jamjar_core::limits::{Limit, LimitOutcome, Verdict};

const MONTHS: [&str; 12] = [
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
];

/// "3 March 2026".
pub(crate) fn date_words(d: NaiveDate) -> String {
    format!("{} {} {}", d.day(), MONTHS[d.month0() as usize], d.year())
}

/// A number as people type it: blanks around it and a decimal comma allowed; `None` for anything else.
pub(crate) fn decimal(s: &str) -> Option<f64> {
    s.trim().replace(',', ".").parse().ok().filter(|v: &f64| v.abs() <= LARGEST)
}

/// No number a person types on a page is larger.
const LARGEST: f64 = 1e9;

/// An engine speed as people type it, rpm.
pub(crate) fn engine_speed(s: &str) -> Option<f64> {
    decimal(s).filter(|v| (100.0..=30_000.0).contains(v))
}

/// Two engine speeds as people type them, the lower first: "3000-6500".
pub(crate) fn stretch(s: &str) -> Option<[f64; 2]> {
    let (a, b) = s.split_once(['-', '–'])?;
    Some([engine_speed(a)?, engine_speed(b)?]).filter(|s| s[1] > s[0])
}

/// "3 pulls", "1 pull".
pub(crate) fn count(n: usize, one: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") }
}

/// Value of a channel with its unit; λ as AFR on the gasoline scale when asked.
pub(crate) fn channel_value(limit: &Limit, v: f64, afr: bool, signed: bool) -> String {
    let plus = if signed && v >= 0.0 { "+" } else { "" };
    match limit.channel.unit() {
        "λ" if afr => format!("{plus}{:.2} AFR", v * jamjar_core::units::GASOLINE_STOICH_AFR),
        "λ" => format!("{plus}{v:.3}"),
        "" => format!("{plus}{v:.2}"),
        "°" => format!("{plus}{v:.1}°"),
        "%" => format!("{plus}{v:.1} %"),
        u => format!("{plus}{v:.0} {u}"),
    }
}

/// Short words for the side of a lane or a table cell: "0.04 left at 2790", "over by 1.3 % at 6660", "not
/// measured".
pub(crate) fn verdict_line(limit: &Limit, o: &LimitOutcome, afr: bool) -> String {
    let at = o.rpm.map_or(String::new(), |r| format!(" at {:.0}", (r / 10.0).round() * 10.0));
    match (o.verdict, o.margin) {
        (Verdict::Over, Some(m)) => format!("over by {}{at}", channel_value(limit, -m, afr, false)),
        (Verdict::Close, Some(m)) => format!("close: {} left{at}", channel_value(limit, m, afr, false)),
        (Verdict::Clear, Some(m)) => format!("{} left{at}", channel_value(limit, m, afr, false)),
        (v, _) => v.label().to_owned(),
    }
}

/// The tightest limit of a set in words, with what was not measured beside it; true when a limit is over.
pub(crate) fn tightest(verdicts: &[LimitOutcome], limits: &[Limit], afr: bool) -> (String, bool) {
    let named = |o: &LimitOutcome| {
        limits
            .iter()
            .find(|l| l.id == o.limit)
            .map(|l| format!("{} {}", l.channel.label(), verdict_line(l, o, afr)))
    };
    let worst = |v: Verdict| {
        verdicts
            .iter()
            .filter(|o| o.verdict == v)
            .max_by(|a, b| a.share_used.unwrap_or(0.0).total_cmp(&b.share_used.unwrap_or(0.0)))
    };
    if verdicts.is_empty() {
        return ("no limits set".into(), false);
    }
    if let Some(o) = worst(Verdict::Over) {
        return (named(o).unwrap_or_default(), true);
    }
    let mut parts: Vec<String> =
        worst(Verdict::Close).or_else(|| worst(Verdict::Clear)).and_then(named).into_iter().collect();
    parts.extend(worst(Verdict::CantTell).and_then(named));
    let missing = verdicts.iter().filter(|o| o.verdict == Verdict::NotMeasured).count();
    match missing {
        0 => {}
        1 => parts.extend(verdicts.iter().find(|o| o.verdict == Verdict::NotMeasured).and_then(named)),
        n => parts.push(format!("{n} limits not measured")),
    }
    (parts.join("; "), false)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn dates_and_counts_read_like_words() {
        assert_eq!(date_words(NaiveDate::from_ymd_opt(2026, 3, 3).unwrap()), "3 March 2026");
        assert_eq!((count(1, "pull"), count(3, "pull")), ("1 pull".into(), "3 pulls".into()));
    }

    #[test]
    fn margins_follow_the_chosen_scale() {
        let l: Limit =
            serde_json::from_str(r#"{"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.9, "caution": 0.03}"#).unwrap();
        let o = LimitOutcome {
            limit: "lean".into(),
            verdict: Verdict::Over,
            worst: Some(0.93),
            threshold: Some(0.9),
            margin: Some(-0.03),
            share_used: Some(1.25),
            from_s: None,
            to_s: None,
            rpm: Some(5903.0),
            clock: None,
            why: None,
        };
        assert_eq!(verdict_line(&l, &o, false), "over by 0.030 at 5900");
        assert_eq!(verdict_line(&l, &o, true), "over by 0.44 AFR at 5900");
    }
}
