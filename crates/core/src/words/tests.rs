//! How a limit is said, in either scale of mixture.

use super::*;
use crate::channel::Channel;
use crate::limits::{Limit, LimitOutcome, Threshold, Verdict};
use crate::units::Mixture;

fn lean() -> Limit {
    serde_json::from_str(
        r#"{"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": 0.9, "caution": 0.03}"#,
    )
    .unwrap()
}

fn outcome(verdict: Verdict, margin: Option<f64>) -> LimitOutcome {
    LimitOutcome {
        limit: "lean".into(),
        verdict,
        worst: margin.map(|m| 0.9 - m),
        threshold: margin.map(|_| 0.9),
        margin,
        share_used: margin.map(|m| 1.0 - m / 0.12),
        from_s: None,
        to_s: None,
        rpm: Some(5903.0),
        clock: None,
        why: None,
    }
}

#[test]
fn margins_follow_the_chosen_scale() {
    let (l, o) = (lean(), outcome(Verdict::Over, Some(-0.03)));
    assert_eq!(verdict_line(&l, &o, Units::default()), "over by 0.030 at 5900");
    let afr = Units { mixture: Mixture::Afr, ..Units::default() };
    assert_eq!(verdict_line(&l, &o, afr), "over by 0.44 AFR gasoline at 5900");
    assert_eq!(limit_rule(&l, afr), "above 13.23 AFR gasoline");
}

#[test]
fn every_verdict_on_a_limit_has_its_sentence() {
    let l = [lean()];
    let said = |v, m| judged_sentence(&[outcome(v, m)], &l, Units::default());
    let clear = "Every limit was measured and clear; the tightest of them is λ 1 (0.040 left at 5900).";
    for (verdict, margin, want, warns) in [
        (Verdict::Over, Some(-0.03), "Don't run this: λ 1 over by 0.030 at 5900.", true),
        (Verdict::Clear, Some(0.04), clear, false),
        (Verdict::Close, Some(0.02), "Nothing measured is over. λ 1 close: 0.020 left at 5900.", false),
        (Verdict::NotMeasured, None, "Nothing measured is over. λ 1 not measured.", false),
        (Verdict::CantTell, None, "Nothing measured is over. λ 1 can't be told.", false),
        (Verdict::NotReached, None, "Nothing measured is over. λ 1 not reached.", false),
    ] {
        assert_eq!(said(verdict, margin), (want.to_owned(), warns), "{verdict:?}");
    }
    assert!(judged_sentence(&[], &l, Units::default()).0.contains("nothing can be said of its margins"));
}

/// Of limits that are all clear the one named is the one that is nearest, whatever their order.
#[test]
fn the_tightest_is_the_one_that_used_most_of_its_margin() {
    let of = |id: &str, used: f64| {
        let l = Limit { id: id.into(), channel: Channel::new(id).unwrap(), ..lean() };
        let o =
            LimitOutcome { limit: id.into(), share_used: Some(used), ..outcome(Verdict::Clear, Some(0.04)) };
        (l, o)
    };
    let (duty, lambda) = (of("injector_duty", 0.6), of("lambda_1", 0.55));
    let (knock, oil) = (of("knock_retard_1", 0.1), of("oil_pressure", 0.2));
    for order in
        [[&lambda, &duty, &knock, &oil], [&oil, &knock, &duty, &lambda], [&duty, &lambda, &oil, &knock]]
    {
        let limits: Vec<Limit> = order.iter().map(|o| o.0.clone()).collect();
        let outcomes: Vec<LimitOutcome> = order.iter().map(|o| o.1.clone()).collect();
        let (text, _) = judged_sentence(&outcomes, &limits, Units::default());
        assert!(text.contains("the tightest of them is injector duty"), "{text}");
        let (row, _) = tightest(&outcomes, &limits, Units::default());
        assert!(row.starts_with("injector duty"), "the headline and the list say the same: {row}");
    }
}

#[test]
fn a_starting_point_nobody_looked_at_says_so_and_never_forbids_on_its_own() {
    let first = Limit { starting_point: true, ..lean() };
    let said = |l: &[Limit], o: &[LimitOutcome]| judged_sentence(o, l, Units::default());
    let over = outcome(Verdict::Over, Some(-0.03));
    let (text, warns) = said(std::slice::from_ref(&first), std::slice::from_ref(&over));
    assert!(
        warns && text.starts_with("λ 1 over by 0.030 at 5900 (starting point). Nobody has looked"),
        "{text}"
    );
    assert!(!text.contains("Don't run"), "{text}");
    assert!(limit_sentence(&first, &over).ends_with("(starting point)"));
    let one = (std::slice::from_ref(&over), std::slice::from_ref(&first));
    assert!(tightest(one.0, one.1, Units::default()).0.ends_with("(starting point)"));
    let own = Limit { id: "hot".into(), ..lean() };
    let other = LimitOutcome { limit: "hot".into(), ..over.clone() };
    let (text, _) = said(&[first.clone(), own], &[over, other]);
    let want = "Don't run this: λ 1 over by 0.030 at 5900. Also λ 1 over by 0.030 at 5900 (starting point).";
    assert!(text.starts_with(want), "{text}");
    let (text, warns) = said(&[first], &[outcome(Verdict::Clear, Some(0.04))]);
    assert!(
        !warns && text.ends_with("They are starting points nobody has looked at for this engine yet."),
        "{text}"
    );
}

#[test]
fn of_many_limits_the_worst_are_named_and_the_rest_counted() {
    let limits: Vec<Limit> = (0..60).map(|k| Limit { id: format!("l{k}"), ..lean() }).collect();
    let over = |k: usize| LimitOutcome {
        limit: format!("l{k}"),
        share_used: Some(1.0 + k as f64),
        ..outcome(Verdict::Over, Some(-0.001 * (k + 1) as f64))
    };
    let said = |l: &[Limit], o: &[LimitOutcome]| judged_sentence(o, l, Units::default());
    let all: Vec<LimitOutcome> = (0..60).map(over).collect();
    let (text, warns) = said(&limits, &all);
    assert!(warns && text.matches("λ 1 over by").count() == 8, "{text}");
    assert!(
        text.contains("over by 0.060") && text.ends_with("; and 52 more."),
        "the worst are named: {text}"
    );
    let missing = |k: usize| LimitOutcome { limit: format!("l{k}"), ..outcome(Verdict::NotMeasured, None) };
    let (text, _) = said(&limits, &(0..60).map(missing).collect::<Vec<_>>());
    assert!(text.contains("and 52 more not measured"), "{text}");
}

#[test]
fn the_tightest_limit_is_told_with_what_is_missing() {
    let mut second = lean();
    second.id = "lean 2".into();
    let missing = LimitOutcome { limit: "lean 2".into(), ..outcome(Verdict::NotMeasured, None) };
    let (text, loud) =
        tightest(&[outcome(Verdict::Clear, Some(0.04)), missing], &[lean(), second], Units::default());
    assert_eq!((text.as_str(), loud), ("λ 1 0.040 left at 5900; λ 1 not measured", false));
}

#[test]
fn stop_limits_without_a_verdict_are_counted() {
    for (n, of, want) in [
        (1, 1, "its stop limit has no verdict"),
        (3, 3, "none of its 3 stop limits has a verdict"),
        (1, 4, "one of its 4 stop limits has no verdict"),
        (2, 4, "2 of its 4 stop limits have no verdict"),
    ] {
        assert_eq!(super::without_verdict(n, of), want);
    }
}

#[test]
fn a_threshold_reads_as_people_type_it() {
    let over = "engine_speed".parse().unwrap();
    let curve = Threshold::Curve { over, at: vec![1000.0, 4000.0], value: vec![880.0, 940.0] };
    assert_eq!(threshold_text(&curve), "880 at 1000, 940 at 4000");
    assert_eq!(limit_short(&lean()), "λ 1 above 0.9 λ");
}
