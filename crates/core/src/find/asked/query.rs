//! What a query says, and the canonical words for it.

use super::own::{End, OwnChannel};
use super::quantity::Quantity;
use crate::units::Units;
use chrono::NaiveDate;
use std::fmt::Write as _;
use thiserror::Error;

/// A part of the record that text can be looked for in.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Field {
    /// Name of the vehicle.
    Vehicle,
    /// Name of the build state.
    Build,
    /// Name of the map revision.
    Map,
    /// Name of the fuel.
    Fuel,
    /// Words of the boost target.
    Boost,
    /// Notes of day, set and pull, and reasons for leaving out.
    Note,
    /// Tag of a note.
    Tag,
    /// Who wrote a note or left something out.
    By,
    /// A flag of the pull, such as `heat_soak`.
    Flag,
}

impl Field {
    /// The word before the text in a query.
    pub fn word(self) -> &'static str {
        match self {
            Self::Vehicle => "vehicle",
            Self::Build => "build",
            Self::Map => "map",
            Self::Fuel => "fuel",
            Self::Boost => "boosted",
            Self::Note => "note",
            Self::Tag => "tag",
            Self::By => "by",
            Self::Flag => "flag",
        }
    }

    /// All of them.
    pub const ALL: [Self; 9] = [
        Self::Vehicle,
        Self::Build,
        Self::Map,
        Self::Fuel,
        Self::Boost,
        Self::Note,
        Self::Tag,
        Self::By,
        Self::Flag,
    ];
}

/// Words that stand for a value of a column with few values: the column, the value stored, the canonical
/// words first.
pub(in crate::find) const STATES: [(State, &str, &[&str]); 14] = [
    (State::Limit, "over", &["over a limit", "limit over", "over limit"]),
    (State::Limit, "close", &["close to a limit", "close"]),
    (State::Limit, "cant_tell", &["can't tell", "cannot tell"]),
    (State::Limit, "not_measured", &["not measured", "unmeasured"]),
    (State::Limit, "not_reached", &["not reached"]),
    (State::Limit, "clear", &["clear"]),
    (State::Ended, "rev_limiter", &["ended by rev limiter", "rev limiter"]),
    (State::Ended, "speed_limiter", &["ended by speed limiter", "speed limiter"]),
    (State::Ended, "abort", &["aborted", "abort"]),
    (State::Ended, "lift", &["ended by lift", "lift"]),
    (State::Ended, "end_of_log", &["ended with the log", "end of log"]),
    (State::Aligned, "refused", &["clocks refused", "not aligned", "refused"]),
    (State::Aligned, "manual", &["clocks set by hand", "by hand"]),
    (State::Aligned, "single_log", &["one log only", "single log"]),
];

/// A column with few values.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum State {
    /// Worst verdict of the limits.
    Limit,
    /// What ended the pull.
    Ended,
    /// How its clocks were brought together.
    Aligned,
}

/// One condition.
#[derive(Debug, Clone, PartialEq)]
pub enum What {
    /// A figure within `low..=high`, in the quantity's own unit.
    Range {
        /// Of which figure.
        of: Quantity,
        /// Lowest.
        low: f64,
        /// Highest.
        high: f64,
        /// The words, with the number as it was written.
        words: String,
    },
    /// What a computed channel reached within `low..=high`, in the channel's own unit.
    Own {
        /// Of which channel.
        of: OwnChannel,
        /// Which end of it.
        end: End,
        /// Lowest.
        low: f64,
        /// Highest.
        high: f64,
        /// The words, with the number as it was written.
        words: String,
    },
    /// A day within `from..=to`.
    Days {
        /// First day.
        from: NaiveDate,
        /// Last day.
        to: NaiveDate,
    },
    /// The gear by its name.
    Gear(String),
    /// Text in one field.
    In(Field, String),
    /// Text anywhere.
    Text(String),
    /// A state by its stored value.
    Is(State, &'static str),
    /// Left out of figures.
    LeftOut,
    /// Archived: such pulls are found only when they are asked for.
    Archived,
}

impl What {
    /// The same condition on another text; a condition on none stays as it is.
    #[must_use]
    pub fn saying(&self, text: &str) -> Self {
        match self {
            Self::Text(_) => Self::Text(text.to_owned()),
            Self::In(field, _) => Self::In(*field, text.to_owned()),
            other => other.clone(),
        }
    }
}

/// A condition, perhaps turned round, and where it stood.
#[derive(Debug, Clone, PartialEq)]
pub struct Clause {
    /// The condition.
    pub what: What,
    /// Whether it must not hold.
    pub not: bool,
}

/// In which order pulls are listed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Order {
    /// Newest day first.
    #[default]
    Newest,
    /// Oldest day first.
    Oldest,
    /// Highest power first.
    Strongest,
    /// Lowest power first.
    Weakest,
    /// Highest torque first.
    MostTorque,
    /// Lowest torque first.
    LeastTorque,
    /// Closest to the one figure asked for first.
    Closest,
}

impl Order {
    /// The words that ask for it; the first are shown.
    pub(in crate::find) const WORDS: [(Self, &'static [&'static str]); 6] = [
        (Self::MostTorque, &["most torque first", "most torque", "highest torque"]),
        (Self::LeastTorque, &["least torque first", "least torque", "lowest torque"]),
        (Self::Newest, &["newest first", "newest", "latest"]),
        (Self::Oldest, &["oldest first", "oldest"]),
        (Self::Strongest, &["strongest first", "strongest", "most power", "best"]),
        (Self::Weakest, &["weakest first", "weakest", "least power"]),
    ];
}

/// A query as understood.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Query {
    /// Conditions, all of which must hold.
    pub clauses: Vec<Clause>,
    /// Order asked for, if any.
    pub order: Option<Order>,
    /// Only so many, the newest of those that match.
    pub newest: Option<usize>,
}

/// Why a query cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[error("column {column}: {text}")]
pub struct QueryError {
    /// Where, counted in characters from 1.
    pub column: usize,
    /// What is wrong and what to write instead.
    pub text: String,
}

/// Text as it must stand in a query to be read as text again.
fn quoted(s: &str) -> String {
    format!("\"{}\"", s.replace('"', " "))
}

impl Clause {
    /// The condition in the language of the query: reading it gives the same condition.
    pub fn words(&self) -> String {
        let mut s = if self.not { "not ".to_owned() } else { String::new() };
        match &self.what {
            What::Range { of, words, .. } => write!(s, "{} {words}", of.name()).unwrap_or_default(),
            What::Own { of, end, words, .. } => {
                write!(s, "{} {} {words}", end.word(), of.words).unwrap_or_default();
            }
            What::Days { from, to } if from == to => s += &from.to_string(),
            What::Days { from, to } if *from == NaiveDate::MIN => write!(s, "until {to}").unwrap_or_default(),
            What::Days { from, to } if *to == NaiveDate::MAX => write!(s, "since {from}").unwrap_or_default(),
            What::Days { from, to } => write!(s, "{from} to {to}").unwrap_or_default(),
            What::Gear(g) => write!(s, "gear {g}").unwrap_or_default(),
            What::In(f, t) => write!(s, "{} {}", f.word(), quoted(t)).unwrap_or_default(),
            What::Text(t) => s += &quoted(t),
            What::Is(state, value) => {
                s += STATES.iter().find(|x| x.0 == *state && x.1 == *value).map_or("", |x| x.2[0])
            }
            What::LeftOut => s += "left out",
            What::Archived => s += "archived",
        }
        s
    }
}

impl Query {
    /// The query in canonical words, without the `leave`-th condition when given.
    pub fn words(&self, leave: Option<usize>) -> String {
        let mut parts: Vec<String> = self
            .clauses
            .iter()
            .enumerate()
            .filter(|(i, _)| Some(*i) != leave)
            .map(|(_, c)| c.words())
            .collect();
        parts.extend(
            self.order.and_then(|o| Order::WORDS.iter().find(|w| w.0 == o)).map(|w| w.1[0].to_owned()),
        );
        parts.extend(
            self.newest.map(|n| if n == 1 { "last pull".to_owned() } else { format!("last {n} pulls") }),
        );
        parts.join(", ")
    }

    /// The order to list in: as asked, or closest first when exactly one figure is asked for as a value, or
    /// newest first.
    pub fn order(&self) -> Order {
        self.order.unwrap_or(if self.about().is_some() { Order::Closest } else { Order::Newest })
    }

    /// The figure asked for as a value rather than a range, when there is exactly one.
    pub fn about(&self) -> Option<(Quantity, f64)> {
        let mut all = self.clauses.iter().filter(|c| !c.not).filter_map(|c| match &c.what {
            What::Range { of, low, high, words } if words.starts_with("about") => {
                Some((*of, 0.5 * (low + high)))
            }
            _ => None,
        });
        all.next().filter(|_| all.next().is_none())
    }
}

/// Words for a range: `over 150 kW`, `about 162 kW`.
pub(in crate::find) fn range_words(how: &str, numbers: &[String], unit: &str) -> String {
    format!("{how} {} {unit}", numbers.join(" and ")).trim_end().to_owned()
}

/// Names a figure and its usual unit, for errors.
pub(in crate::find) fn example(of: Quantity, u: Units) -> String {
    format!("{} over 100 {}", of.name(), of.usual(u).0)
}
