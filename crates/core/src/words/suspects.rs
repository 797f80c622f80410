//! Hardware that may have changed between two sets of one configuration, in words.

use super::{Speech, sentence_case};
use crate::analysis::verdict::{Sign, Suspect, Suspicion, WouldTell};

/// What is suspected, why, and what would tell more.
pub(super) fn suspicion_sentence(s: &Suspicion, to: &Speech<'_>) -> String {
    let suspects: Vec<&str> = s.suspects.iter().map(|s| suspect(*s)).collect();
    let signs: Vec<String> = s.signs.iter().map(|s| sign(*s, to)).collect();
    let what = match (s.would_tell.is_empty(), s.signs.as_slice()) {
        (_, [Sign::LessPower(_)]) => {
            format!(
                "Nothing was meant to differ, yet {}, and no channel that was logged tells why: can't tell apart: {}.",
                signs[0],
                suspects.join(", ")
            )
        }
        (true, _) => format!(
            "Nothing was meant to differ, yet {}: {}.",
            signs.join(", "),
            named(&suspects, &s.suspects)
        ),
        (false, _) => {
            format!(
                "Nothing was meant to differ, yet {}: can't tell apart: {}.",
                signs.join(", "),
                suspects.join(", ")
            )
        }
    };
    let tell: Vec<&str> = s.would_tell.iter().map(|w| would_tell(*w)).collect();
    if tell.is_empty() { what } else { format!("{what} {} would tell.", sentence_case(&tell.join(", "))) }
}

fn named(words: &[&str], suspects: &[Suspect]) -> String {
    let also = match suspects {
        [Suspect::BoostLeak] => "; a clogged intercooler looks the same, a boost-leak test tells",
        [Suspect::LowTyrePressure] => {
            "; tight straps, a dragging brake, or a clutch left in where it was out before look the same"
        }
        _ => "",
    };
    format!("it looks like {}{also}", words.join(" and "))
}

fn suspect(s: Suspect) -> &'static str {
    match s {
        Suspect::BoostLeak => "a boost leak",
        Suspect::DirtyFilter => "a dirty air filter",
        Suspect::LazyWastegate => "a lazy wastegate",
        Suspect::ExhaustLeak => "an exhaust leak before the turbine",
        Suspect::LowTyrePressure => "low tyre pressure",
        Suspect::Heat => "heat, the day's air or the mounting",
    }
}

fn would_tell(w: WouldTell) -> &'static str {
    match w {
        WouldTell::TurboSpeed => "turbo speed",
        WouldTell::Depression => "the depression before the compressor",
        WouldTell::GateDuty => "wastegate duty beside a boost target",
        WouldTell::LeakTest => "a boost-leak test",
        WouldTell::CoastDown => "a coast-down",
    }
}

fn sign(s: Sign, to: &Speech<'_>) -> String {
    let u = to.power();
    match s {
        Sign::ShaftSpeed(more) => {
            format!("the turbo turns {:.1} % faster at equal pressure ratio", 100.0 * more)
        }
        Sign::ShaftSpeedBehindFilter(more) => {
            format!("{:.1} % of it is left once the filter is reckoned in", 100.0 * more)
        }
        Sign::Gate(by) => format!("the gate is driven {by:.0} points further shut at equal boost"),
        Sign::Depression([a, b]) => {
            format!("the depression before the compressor is {b:.1} kPa instead of {a:.1}")
        }
        Sign::Spool([a, b]) => {
            format!("boost arrives at {b:.0} instead of {a:.0} rpm with the gate driven shut")
        }
        Sign::Overshoot([a, b]) => format!("boost overshoots by {b:.0} kPa instead of {a:.0}"),
        Sign::Coast(more) => format!("the drum slows {:.0} % faster after the lift", 100.0 * more),
        Sign::LessPower(kw) => format!("peak power is {}", u.say_signed(kw)),
    }
}
