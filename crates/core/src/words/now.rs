//! What the newest pull asks for, in words that are read from two metres.

use super::limits::dont_run;
use crate::analysis::Now;
use crate::limits::Limit;
use crate::units::Units;

/// One or two words.
pub fn now_word(now: &Now) -> &'static str {
    match now {
        Now::Stop(_) => "Stop",
        Now::LeaveOut => "Leave it out?",
        Now::ClocksRefused => "Check clocks",
        Now::LeftOut => "Left out",
        Now::PullAgain(_) => "Pull again",
        Now::Settled(_) => "Settled",
    }
}

/// Why, in one sentence. `more` is how many more pulls the difference that is wanted takes.
pub fn now_sentence(now: &Now, limits: &[Limit], units: Units, more: Option<u32>) -> String {
    let enough = |more: Option<u32>| match more {
        Some(1) => " One more pull shows the difference you want.".to_owned(),
        Some(n) => format!(" {n} more pulls show the difference you want."),
        None => String::new(),
    };
    match now {
        Now::Stop(over) => dont_run(over, limits, units),
        Now::LeaveOut => "It was given up before its end, or no pull is in it: leave it out of figures. It still counts for limits.".into(),
        Now::ClocksRefused => "The two clocks could not be brought together: power stands, what the engine computer logged cannot be judged against it.".into(),
        Now::LeftOut => "It does not count in figures; it still counts for limits.".into(),
        Now::PullAgain(Some(share)) => {
            format!("The last two pulls differ by {:.1} %: not at rest yet.{}", 100.0 * share, enough(more))
        }
        Now::PullAgain(None) => "One pull knows no scatter.".into(),
        Now::Settled(at) => {
            let from = if *at == 0 { "The pulls agree".to_owned() } else { format!("From pull {} on they agree", at + 1) };
            format!("{from} within 0.7 %.{}", enough(more))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_state_has_a_word_to_read_from_afar_and_a_reason() {
        let all = [
            Now::Stop(Vec::new()),
            Now::LeaveOut,
            Now::ClocksRefused,
            Now::LeftOut,
            Now::PullAgain(None),
            Now::PullAgain(Some(0.021)),
            Now::Settled(1),
        ];
        for n in &all {
            assert!(now_word(n).chars().count() <= 13, "two metres: {n:?}");
            assert!(!now_sentence(n, &[], Units::default(), None).is_empty());
        }
        let say = |n: &Now, more| now_sentence(n, &[], Units::default(), more);
        assert_eq!(
            say(&Now::PullAgain(Some(0.021)), None),
            "The last two pulls differ by 2.1 %: not at rest yet."
        );
        assert_eq!(
            say(&Now::Settled(1), Some(2)),
            "From pull 2 on they agree within 0.7 %. 2 more pulls show the difference you want."
        );
        assert!(say(&Now::Settled(0), Some(1)).contains("One more pull shows"));
    }
}
