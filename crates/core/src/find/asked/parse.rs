//! Reads a query.

use super::dates::{Period, period};
use super::lexer::{Kind, Token, cut};
use super::own::OwnChannel;
use super::quantity::NAMES;
use super::query::{Clause, Field, Order, Query, QueryError, STATES, What};
use crate::units::Units;
use chrono::NaiveDate;

/// What reading depends on beside the text.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Reading<'a> {
    /// The day it is in the shop.
    pub today: NaiveDate,
    /// Units of numbers without one.
    pub usual: Units,
    /// Channels the shop computes.
    pub own: &'a [OwnChannel],
}

/// Words that carry no condition.
const FILLERS: [&str; 34] = [
    "where", "is", "are", "the", "a", "an", "that", "which", "what", "who", "made", "make", "makes", "with",
    "in", "on", "at", "of", "and", "all", "any", "show", "me", "find", "pull", "pulls", "set", "sets",
    "from", "did", "has", "have", "had", "was",
];

/// Comparisons in words and signs, each with its canonical word; several words first.
pub(super) const COMPARISONS: [(&str, &str); 24] = [
    ("leaner than", "over"),
    ("richer than", "under"),
    ("more than", "over"),
    ("less than", "under"),
    ("at least", "at least"),
    ("at most", "at most"),
    ("no more than", "at most"),
    ("no less than", "at least"),
    (">=", "at least"),
    ("<=", "at most"),
    (">", "over"),
    ("<", "under"),
    ("=", "about"),
    ("over", "over"),
    ("above", "over"),
    ("under", "under"),
    ("below", "under"),
    ("about", "about"),
    ("around", "about"),
    ("near", "about"),
    ("between", "between"),
    ("from", "between"),
    ("of", "about"),
    ("is", "about"),
];

const ORDINALS: [(&str, &str); 16] = [
    ("first", "1"),
    ("second", "2"),
    ("third", "3"),
    ("fourth", "4"),
    ("fifth", "5"),
    ("sixth", "6"),
    ("seventh", "7"),
    ("eighth", "8"),
    ("1st", "1"),
    ("2nd", "2"),
    ("3rd", "3"),
    ("4th", "4"),
    ("5th", "5"),
    ("6th", "6"),
    ("7th", "7"),
    ("8th", "8"),
];

/// Numbers as words, from one.
const COUNTED: [&str; 10] = ["one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten"];

/// Reads a query. An empty text is the query without conditions.
///
/// # Errors
/// [`QueryError`] with the column where the text stops making sense and what to write instead.
pub fn parse(text: &str, with: &Reading<'_>) -> Result<Query, QueryError> {
    let tokens = cut(text)?;
    let mut p = Parser { t: &tokens, at: 0, with };
    let mut q = Query::default();
    while p.at < tokens.len() {
        if matches!(p.t[p.at].kind, Kind::Comma) {
            p.at += 1;
            continue;
        }
        if let Some(n) = p.newest_few() {
            q.newest = Some(n);
            continue;
        }
        if let Some(o) = p.order() {
            q.order = Some(o);
            continue;
        }
        let start = p.at;
        let what = p.condition()?;
        if let Some(what) = what {
            q.clauses.push(Clause { what, not: false });
            continue;
        }
        if ["not", "no", "without"].iter().any(|n| p.t[start].is(n)) && start + 1 < tokens.len() {
            p.at = start + 1;
            let what = match p.condition()? {
                Some(w) => w,
                None => p.text(),
            };
            q.clauses.push(Clause { what, not: true });
            continue;
        }
        p.at = start;
        if matches!(&p.t[start].kind, Kind::Word(w) if FILLERS.contains(&w.as_str())) {
            p.at += 1;
            continue;
        }
        q.clauses.push(Clause { what: p.text(), not: false });
    }
    Ok(q)
}

pub(super) struct Parser<'a> {
    pub(super) t: &'a [Token],
    pub(super) at: usize,
    pub(super) with: &'a Reading<'a>,
}

/// What a person says for a flag without naming it as one, and the flag's words.
const FLAGS: [(&str, &str); 4] = [
    ("held steps", "held steps"),
    ("lug-down", "lug down"),
    ("lug down", "lug down"),
    ("heat soak", "heat soak"),
];

impl Parser<'_> {
    /// How many tokens from `at + skip` on spell the phrase.
    pub(super) fn spells(&self, skip: usize, phrase: &str) -> Option<usize> {
        let mut n = 0;
        for w in phrase.split(' ') {
            let t = self.t.get(self.at + skip + n)?;
            if !(t.is(w) || matches!(&t.kind, Kind::Sign(s) if *s == w)) {
                return None;
            }
            n += 1;
        }
        Some(n)
    }

    fn order(&mut self) -> Option<Order> {
        let (o, n) = Order::WORDS
            .iter()
            .find_map(|(o, words)| words.iter().find_map(|w| self.spells(0, w)).map(|n| (*o, n)))?;
        self.at += n;
        Some(o)
    }

    /// `last pull`, `last 3 pulls`, `last three pulls`: only so many, the newest.
    fn newest_few(&mut self) -> Option<usize> {
        if !["last", "newest", "latest"].iter().any(|w| self.t[self.at].is(w)) {
            return None;
        }
        let pulls = |t: &Token| ["pull", "pulls"].iter().any(|w| t.is(w));
        let next = self.t.get(self.at + 1)?;
        let (n, used) = match &next.kind {
            _ if pulls(next) => (1, 2),
            Kind::Number(n, 0) if *n >= 1.0 => (*n as usize, 3),
            Kind::Word(w) => (COUNTED.iter().position(|c| c == w)? + 1, 3),
            _ => return None,
        };
        if used == 3 && !self.t.get(self.at + 2).is_some_and(pulls) {
            return None;
        }
        self.at += used;
        Some(n)
    }

    fn condition(&mut self) -> Result<Option<What>, QueryError> {
        if let Some(w) = self.own()? {
            return Ok(Some(w));
        }
        if let Some(w) = self.quantity()? {
            return Ok(Some(w));
        }
        if let Some(w) = self.gear().or_else(|| self.state()).or_else(|| self.field()) {
            return Ok(Some(w));
        }
        self.days()
    }

    pub(super) fn word(&self, skip: usize) -> Option<&str> {
        match &self.t.get(self.at + skip)?.kind {
            Kind::Word(w) => Some(w),
            _ => None,
        }
    }

    pub(super) fn is_day(&self, skip: usize) -> bool {
        period(&self.t[self.at + skip..], self.with.today).is_some()
    }

    /// `gear 3`, `third gear`, `in 3rd`.
    fn gear(&mut self) -> Option<What> {
        let ordinal = |w: &str| ORDINALS.iter().find(|o| o.0 == w).map(|o| o.1.to_owned());
        if self.t[self.at].is("gear") {
            let next = self.t.get(self.at + 1)?;
            let name = match &next.kind {
                Kind::Word(w) => ordinal(w).unwrap_or_else(|| next.raw.clone()),
                Kind::Quote(q) => q.clone(),
                Kind::Number(..) => next.raw.clone(),
                _ => return None,
            };
            self.at += 2;
            return Some(What::Gear(name));
        }
        let first = self.word(0)?;
        let name = ordinal(first)?;
        let followed = self.t.get(self.at + 1).is_some_and(|t| t.is("gear"));
        if !followed && !first.starts_with(|c: char| c.is_ascii_digit()) {
            return None;
        }
        self.at += 1 + usize::from(followed);
        Some(What::Gear(name))
    }

    fn state(&mut self) -> Option<What> {
        for (phrase, what) in
            [("left out", What::LeftOut), ("excluded", What::LeftOut), ("archived", What::Archived)]
        {
            if let Some(n) = self.spells(0, phrase) {
                self.at += n;
                return Some(what);
            }
        }
        for (phrase, flag) in FLAGS {
            if let Some(n) = self.spells(0, phrase) {
                self.at += n;
                return Some(What::In(Field::Flag, flag.into()));
            }
        }
        let (state, value, n) = STATES
            .iter()
            .find_map(|(s, v, words)| words.iter().find_map(|w| self.spells(0, w)).map(|n| (*s, *v, n)))?;
        self.at += n;
        Some(What::Is(state, value))
    }

    /// Whether the name of a figure stands there with a comparison or a number behind it.
    fn asks(&self, at: usize) -> bool {
        let own =
            |t: &Token| self.with.own.iter().any(|c| t.is(&c.name) || c.words.split(' ').any(|w| t.is(w)));
        let named =
            |t: &Token| own(t) || NAMES.iter().any(|n| n.1.iter().any(|w| w.split(' ').any(|w| t.is(w))));
        let compares = |t: &Token| {
            matches!(t.kind, Kind::Number(..) | Kind::Sign(_))
                || COMPARISONS.iter().any(|c| c.0.split(' ').next().is_some_and(|w| t.is(w)))
        };
        named(&self.t[at]) && self.t[at + 1..].iter().find(|t| !named(t)).is_some_and(compares)
    }

    /// `map C3`, `by the calibrator`, `#smoke`.
    fn field(&mut self) -> Option<What> {
        if let Some(tag) = self.word(0).and_then(|w| w.strip_prefix('#')).filter(|t| !t.is_empty()) {
            let tag = tag.to_owned();
            self.at += 1;
            return Some(What::In(Field::Tag, tag));
        }
        let field = Field::ALL.into_iter().find(|f| self.t[self.at].is(f.word()))?;
        if let Some(Kind::Quote(q)) = self.t.get(self.at + 1).map(|t| &t.kind) {
            self.at += 2;
            return Some(What::In(field, q.trim().to_owned()));
        }
        let from = self.at + 1;
        let words = self.t[from..]
            .iter()
            .enumerate()
            .take_while(|(k, t)| {
                matches!(t.kind, Kind::Word(_) | Kind::Number(..))
                    && !starts_another(t)
                    && !self.asks(from + k)
            })
            .count();
        let text: Vec<&str> = self.t[from..from + words].iter().map(|t| t.raw.as_str()).collect();
        if words == 0 {
            return None;
        }
        self.at = from + words;
        Some(What::In(field, text.join(" ")))
    }

    /// `last spring`, `since march`, `before 2026-03-02`, `2026-03-01 to 2026-03-05`.
    fn days(&mut self) -> Result<Option<What>, QueryError> {
        let side =
            self.word(0).filter(|w| ["since", "after", "before", "until"].contains(w)).map(str::to_owned);
        let skip = usize::from(side.is_some());
        let said = self.t.get(self.at + skip..).and_then(|t| period(t, self.with.today));
        let Some(Period { tokens, first: from, last: to }) = said else {
            return match side {
                Some(s) => Err(self.error(
                    1,
                    &format!("“{s}” needs a date, such as {s} 2026-03-02, {s} march or {s} last week"),
                )),
                None => Ok(None),
            };
        };
        let next = self.at + skip + tokens;
        let (from, to, next) = match side.as_deref() {
            Some("since") => (from, NaiveDate::MAX, next),
            Some("after") => (to.succ_opt().unwrap_or(to), NaiveDate::MAX, next),
            Some("before") => (NaiveDate::MIN, from.pred_opt().unwrap_or(from), next),
            Some(_) => (NaiveDate::MIN, to, next),
            None => {
                let joins = self.t.get(next).is_some_and(|t| matches!(t.kind, Kind::To) || t.is("to"));
                match joins.then(|| period(&self.t[next + 1..], self.with.today)).flatten() {
                    Some(until) if until.first < from => {
                        return Err(self.error(
                            next - self.at,
                            &format!("{} lies before {from}; write the earlier date first", until.first),
                        ));
                    }
                    Some(until) => (from, until.last, next + 1 + until.tokens),
                    None => (from, to, next),
                }
            }
        };
        self.at = next;
        Ok(Some(What::Days { from, to }))
    }

    /// The token as text to be looked for.
    fn text(&mut self) -> What {
        let t = &self.t[self.at];
        self.at += 1;
        match &t.kind {
            Kind::Quote(q) => What::Text(q.trim().to_owned()),
            _ => What::Text(t.raw.trim_end_matches(['.', ':']).to_owned()),
        }
    }

    pub(super) fn error(&self, skip: usize, text: &str) -> QueryError {
        let end = self.t.last().map_or(1, |t| t.column + t.raw.chars().count());
        QueryError { column: self.t.get(self.at + skip).map_or(end, |t| t.column), text: text.to_owned() }
    }
}

/// Words that begin a condition of their own and so end the text of a field before them.
fn starts_another(t: &Token) -> bool {
    let Kind::Word(w) = &t.kind else { return false };
    let begins = [
        "gear", "since", "before", "after", "until", "last", "this", "not", "over", "under", "above",
        "below", "left", "excluded", "and",
    ];
    begins.contains(&w.as_str()) || Field::ALL.iter().any(|f| f.word() == w)
}

/// A unit as it is shown.
pub(super) fn label(word: &str) -> &str {
    match word {
        "kw" | "kilowatt" | "kilowatts" => "kW",
        "hp" | "bhp" | "horsepower" => "hp",
        "ps" => "PS",
        "nm" | "n·m" | "n-m" => "N·m",
        "lbft" | "lb·ft" | "lb-ft" | "ftlb" => "lb·ft",
        "kpa" => "kPa",
        "mpa" => "MPa",
        "inhg" => "inHg",
        "c" | "°c" => "°C",
        "f" | "°f" => "°F",
        "deg" | "degrees" | "degree" => "°",
        "lambda" => "λ",
        "afr" => "AFR",
        "percent" => "%",
        other => other,
    }
}
