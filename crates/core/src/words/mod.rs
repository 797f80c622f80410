//! Sentences: the one place where what was found is put into words, in the units of who reads them.
//!
//! Everything below this module is data. A page, a command or a result asks here and places what it is given;
//! none of them takes a sentence apart.

mod caveats;
mod comparison;
mod correction;
mod coupling;
mod decision;
mod diesel;
mod events;
mod factors;
mod findings;
mod fuelling;
mod fuels;
mod health;
mod held_against;
mod limits;
mod maps;
mod next_rung;
mod now;
mod plan;
mod quoted;
mod recommend;
mod refusal;
mod report;
mod road;
mod sensors;
mod several;
mod shifts;
mod sign_off;
mod suspects;
#[cfg(test)]
mod tests;
mod under_limit;

pub use caveats::{caveat, settled};
pub use comparison::{
    beside_sentence, crossover_sentence, gain_of_gains_sentence, headline_sentence, larger_sentence,
    sentence_about,
};
pub use correction::caution;
pub use coupling::{belt_sentence, coupling_sentence};
pub use decision::{tell_sentence, usually_sentence};
pub use diesel::flow_sentences;
pub use events::{event, event_short};
pub use factors::hazard;
pub use findings::{applied_words, finding, unit_doubt};
pub use fuelling::{
    adapts_sentence, cells_sentence, cross_check_sentence, cylinders_sentence, injection_sentence,
    mixture_seen, moved_sentence, octane_sentence, on_blend_sentence, recorded_spark, sweep_sentence,
};
pub use fuels::{mix_range_sentence, mix_sentence, rinse_sentence, tank_sentence, volume_words};
pub use health::health_words;
pub use held_against::{
    ChannelWords, effect_sentence, equal_output_sentence, hollow_sentence, not_read, own_window_sentence,
    row_name,
};
pub use limits::{
    channel_value, gate_words, judged_sentence, limit_place, limit_rule, limit_sentence, limit_short,
    threshold_text, tightest, verdict_line, why, without_verdict,
};
pub use maps::{MapOn, in_unit_sentence, map_difference_sentences, stretch_words, table_words};
pub use next_rung::{
    NextWords, boost_hold_sentences, chance, detune_sentence, next_rung_sentence, next_rung_short,
    no_forecast, rung_words,
};
pub use now::{now_sentence, now_word};
pub use plan::{day_sentence, gap_sentence, known_sentence, lasts, withheld_words};
pub use quoted::quoted_sentence;
pub use recommend::{About, Clause, recommendation};
pub use refusal::refusal;
pub use report::{
    HEED, Method, NOT_OF_THESE, SAYS_AND_NOT, left_in_unit, method_sentences, superseded_sentence,
    supersedes_sentence,
};
pub use road::{raised_sentence, slips_sentence, strip_sentence, wanted_sentence};
pub use sensors::sensors_differ;
pub use several::{GainOn, several_sentence};
pub use shifts::{shift_words, shifts_compared};
pub use sign_off::{
    DrivenFile, driven_file_sentence, not_driven_sentence, pedal_sentence, sign_off_sentence, spread_sentence,
};
pub use under_limit::{Said, would_flag};

use crate::units::{PowerUnit, Units};

/// Who is spoken to: their units, and what they call a set.
#[derive(Clone, Copy)]
pub struct Speech<'a> {
    /// Units.
    pub units: Units,
    /// The name of a set by its id.
    pub name: &'a dyn Fn(&str) -> String,
}

impl Speech<'static> {
    /// In kW and N·m, sets by their ids: as in files and for programs.
    pub const PLAIN: Self = Self { units: Units::CANONICAL, name: &str::to_owned };
}

impl Speech<'_> {
    fn set(&self, id: &str) -> String {
        (self.name)(id)
    }

    fn power(&self) -> PowerUnit {
        self.units.power
    }
}

/// "a", "a and b", "a, b and c".
fn listed(all: &[String]) -> String {
    match all {
        [] => String::new(),
        [one] => one.clone(),
        [rest @ .., last] => format!("{} and {last}", rest.join(", ")),
    }
}

/// The text with a capital at its start.
pub fn sentence_case(s: &str) -> String {
    let mut c = s.chars();
    // A Greek letter is a symbol: λ does not become Λ at the start of a sentence.
    c.next().map_or_else(String::new, |f| f.to_ascii_uppercase().to_string() + c.as_str())
}

/// "1 spike", "3 spikes".
fn count(n: usize, one: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") }
}
