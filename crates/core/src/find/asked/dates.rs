//! Days in words: `last spring`, `march 2026`, `March 24`, `last Tuesday`, `between 5 and 10 march`, `last 30
//! days`.

use super::lexer::{Kind, Token};
use chrono::{Datelike, Days, Months, NaiveDate};

/// Days that were said.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Period {
    /// How many tokens said it.
    pub(super) tokens: usize,
    pub(super) first: NaiveDate,
    pub(super) last: NaiveDate,
}

impl Period {
    fn new(tokens: usize, first: NaiveDate, last: NaiveDate) -> Self {
        Self { tokens, first, last }
    }
}

const MONTHS: [&str; 12] = [
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
];
/// Seasons by their first month (our choice: whole months of the northern year; the page shows the days
/// meant).
const SEASONS: [(&str, u32); 5] = [("spring", 3), ("summer", 6), ("autumn", 9), ("fall", 9), ("winter", 12)];

/// The period that begins at the first token, if one does.
pub(super) fn period(t: &[Token], today: NaiveDate) -> Option<Period> {
    let word = |i: usize| match t.get(i).map(|t| &t.kind) {
        Some(Kind::Word(w)) => w.as_str(),
        _ => "",
    };
    match &t.first()?.kind {
        Kind::Date(a, b) => Some(Period::new(1, *a, *b)),
        Kind::Number(v, 0) if year_of(*v).is_some() => {
            let y = year_of(*v)?;
            Some(Period::new(1, day(y, 1)?, NaiveDate::from_ymd_opt(y, 12, 31)?))
        }
        Kind::Number(v, 0) if (1.0..=31.0).contains(v) && month(word(1)).is_some() => {
            day_of(t, *v as u32, month(word(1))?, today)
        }
        Kind::Word(_) => in_words(t, &word, today),
        _ => None,
    }
}

fn in_words<'a>(t: &[Token], word: &impl Fn(usize) -> &'a str, today: NaiveDate) -> Option<Period> {
    let back = |n: u64| today.checked_sub_days(Days::new(n));
    if word(0) == "between" {
        return between(t, today);
    }
    if let Some(p) = weekday(word(0), word(1), today).or_else(|| month_first(t, word(0), today)) {
        return Some(p);
    }
    match word(0) {
        "today" => return Some(Period::new(1, today, today)),
        "yesterday" => return Some(Period::new(1, back(1)?, back(1)?)),
        "last" if matches!(t.get(1).map(|t| &t.kind), Some(Kind::Number(_, 0))) => {
            let Some(Kind::Number(n, _)) = t.get(1).map(|t| &t.kind) else { return None };
            let n = *n as u32;
            let from = match word(2).trim_end_matches('s') {
                "day" => back(u64::from(n.saturating_sub(1)))?,
                "week" => back(u64::from(7 * n).saturating_sub(1))?,
                "month" => today.checked_sub_months(Months::new(n))?,
                "year" => today.checked_sub_months(Months::new(12 * n))?,
                _ => return None,
            };
            return Some(Period::new(3, from, today));
        }
        _ => {}
    }
    let (skip, which) = match word(0) {
        "last" => (1, Which::Ended),
        "this" => (1, Which::Begun),
        _ => (0, Which::Begun),
    };
    let name = word(skip);
    let year = year_after(t, skip + 1);
    let used = skip + 1 + usize::from(year.is_some());
    if let Some(m) = month(name) {
        let (a, b) = pick(m, 1, year, which, today)?;
        return Some(Period::new(used, a, b));
    }
    if let Some(s) = SEASONS.iter().find(|s| s.0 == name) {
        let (a, b) = pick(s.1, 3, year, which, today)?;
        return Some(Period::new(used, a, b));
    }
    if skip == 0 {
        return None;
    }
    let monday = back(u64::from(today.weekday().num_days_from_monday()))?;
    let first = today.with_day(1)?;
    let (a, b) = match (name, which) {
        ("week", Which::Begun) => (monday, today),
        ("week", Which::Ended) => (monday - Days::new(7), monday - Days::new(1)),
        ("month", Which::Begun) => (first, today),
        ("month", Which::Ended) => (first.checked_sub_months(Months::new(1))?, first.pred_opt()?),
        ("year", Which::Begun) => (day(today.year(), 1)?, today),
        ("year", Which::Ended) => {
            (day(today.year() - 1, 1)?, NaiveDate::from_ymd_opt(today.year() - 1, 12, 31)?)
        }
        _ => return None,
    };
    Some(Period::new(2, a, b))
}

const WEEKDAYS: [&str; 7] = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"];

/// `tuesday`: the latest one, today included; `last tuesday`: the latest before today.
fn weekday(first: &str, second: &str, today: NaiveDate) -> Option<Period> {
    let of = |w: &str| WEEKDAYS.iter().position(|d| *d == w).map(|i| i as u64);
    let now = u64::from(today.weekday().num_days_from_monday());
    let (wanted, tokens, before) = match (of(first), first, of(second)) {
        (Some(d), ..) => (d, 1, false),
        (None, "last" | "on", Some(d)) => (d, 2, first == "last"),
        _ => return None,
    };
    let back = (now + 7 - wanted) % 7;
    let day = today.checked_sub_days(Days::new(if back == 0 && before { 7 } else { back }))?;
    Some(Period::new(tokens, day, day))
}

/// `March 24`, `march 24 2026`.
fn month_first(t: &[Token], first: &str, today: NaiveDate) -> Option<Period> {
    let m = month(first)?;
    match t.get(1)?.kind {
        Kind::Number(v, 0) if (1.0..=31.0).contains(&v) => day_of(t, v as u32, m, today),
        _ => None,
    }
}

/// A day of a month that two tokens say, with the year behind them; the latest such day when none is said.
fn day_of(t: &[Token], day: u32, month: u32, today: NaiveDate) -> Option<Period> {
    let at = |y| NaiveDate::from_ymd_opt(y, month, day);
    let (tokens, d) = match year_after(t, 2) {
        Some(y) => (3, at(y)?),
        None => (2, at(today.year()).filter(|d| *d <= today).or_else(|| at(today.year() - 1))?),
    };
    Some(Period::new(tokens, d, d))
}

/// `between 5 and 10 march`, `between 2 march and last week`.
fn between(t: &[Token], today: NaiveDate) -> Option<Period> {
    let and = |i: usize| t.get(i).is_some_and(|t| t.is("and"));
    if and(2)
        && let Kind::Number(v, 0) = t.get(1)?.kind
        && (1.0..=31.0).contains(&v)
    {
        let to = period(&t[3..], today).filter(|p| p.first == p.last)?;
        let from = to.last.with_day(v as u32).filter(|d| *d <= to.last)?;
        return Some(Period::new(3 + to.tokens, from, to.last));
    }
    let from = period(t.get(1..)?, today)?;
    let next = 1 + from.tokens;
    let to = and(next).then(|| period(t.get(next + 1..)?, today)).flatten()?;
    (from.first <= to.last).then(|| Period::new(next + 1 + to.tokens, from.first, to.last))
}

/// Which of the yearly periods of a name is meant when no year is said.
#[derive(Clone, Copy, PartialEq)]
enum Which {
    /// The latest that has begun.
    Begun,
    /// The latest that is over.
    Ended,
}

fn pick(
    first: u32,
    months: u32,
    year: Option<i32>,
    which: Which,
    today: NaiveDate,
) -> Option<(NaiveDate, NaiveDate)> {
    let span = |y: i32| {
        let a = day(y, first)?;
        Some((a, a.checked_add_months(Months::new(months))?.pred_opt()?))
    };
    match year {
        Some(y) => span(y),
        None => (0..3)
            .filter_map(|k| span(today.year() - k))
            .find(|(a, b)| if which == Which::Ended { *b < today } else { *a <= today }),
    }
}

fn day(y: i32, m: u32) -> Option<NaiveDate> {
    NaiveDate::from_ymd_opt(y, m, 1)
}

/// A month by its name or its first three letters.
fn month(name: &str) -> Option<u32> {
    let name = if name == "sept" { "sep" } else { name };
    MONTHS.iter().position(|m| *m == name || (name.len() == 3 && m.starts_with(name))).map(|i| i as u32 + 1)
}

/// A number that can only be a year.
fn year_of(v: f64) -> Option<i32> {
    (1970.0..2200.0).contains(&v).then_some(v as i32)
}

fn year_after(t: &[Token], i: usize) -> Option<i32> {
    match t.get(i)?.kind {
        Kind::Number(v, 0) => year_of(v),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::super::lexer::cut;
    use super::*;

    fn said(text: &str, today: &str) -> Option<(String, String)> {
        let tokens = cut(text).unwrap();
        period(&tokens, today.parse().unwrap()).map(|p| {
            assert_eq!(p.tokens, tokens.len(), "all of “{text}” is the period");
            (p.first.to_string(), p.last.to_string())
        })
    }

    fn is(text: &str, today: &str, from: &str, to: &str) {
        assert_eq!(said(text, today), Some((from.into(), to.into())), "{text} on {today}");
    }

    #[test]
    fn a_name_without_a_year_is_its_latest_occurrence() {
        is("march", "2026-03-01", "2026-03-01", "2026-03-31");
        is("march", "2026-02-28", "2025-03-01", "2025-03-31");
        is("last march", "2026-03-20", "2025-03-01", "2025-03-31");
        is("feb 2024", "2026-11-25", "2024-02-01", "2024-02-29");
        is("sept", "2026-11-25", "2026-09-01", "2026-09-30");
        is("29 february 2024", "2026-11-25", "2024-02-29", "2024-02-29");
        is("24 december", "2026-11-25", "2025-12-24", "2025-12-24");
    }

    #[test]
    fn a_winter_belongs_to_the_year_it_begins_in() {
        is("winter 2024", "2026-11-25", "2024-12-01", "2025-02-28");
        is("winter", "2026-01-10", "2025-12-01", "2026-02-28");
        is("last winter", "2026-01-10", "2024-12-01", "2025-02-28");
        is("fall 2025", "2026-11-25", "2025-09-01", "2025-11-30");
        is("this summer", "2026-07-01", "2026-06-01", "2026-08-31");
    }

    #[test]
    fn weeks_begin_on_monday_and_months_keep_their_lengths() {
        is("this week", "2026-11-29", "2026-11-23", "2026-11-29");
        is("last week", "2026-11-23", "2026-11-16", "2026-11-22");
        is("last month", "2026-03-31", "2026-02-01", "2026-02-28");
        is("this month", "2026-03-31", "2026-03-01", "2026-03-31");
        is("last year", "2026-01-01", "2025-01-01", "2025-12-31");
        is("last 2 weeks", "2026-11-25", "2026-11-12", "2026-11-25");
        is("last 3 months", "2026-05-31", "2026-02-28", "2026-05-31");
        is("yesterday", "2026-03-01", "2026-02-28", "2026-02-28");
    }

    #[test]
    fn days_as_people_write_them() {
        for text in [
            "24.03.2026",
            "24/03/2026",
            "24.3.2026",
            "March 24",
            "march 24 2026",
            "24 march",
            "2026-03-24",
            "03/24/2026",
        ] {
            is(text, "2026-11-25", "2026-03-24", "2026-03-24");
        }
        // 2026-11-25 is a Wednesday.
        is("last tuesday", "2026-11-25", "2026-11-24", "2026-11-24");
        is("wednesday", "2026-11-25", "2026-11-25", "2026-11-25");
        is("last wednesday", "2026-11-25", "2026-11-18", "2026-11-18");
        is("on monday", "2026-11-25", "2026-11-23", "2026-11-23");
        is("between 5 and 10 march", "2026-11-25", "2026-03-05", "2026-03-10");
        is("between 24.03.2026 and 2 april 2026", "2026-11-25", "2026-03-24", "2026-04-02");
        assert!(cut("31.02.2026").unwrap_err().text.contains("day first"));
    }

    #[test]
    fn what_is_no_period_is_left_to_others() {
        for text in
            ["gear 3", "162 kW", "last man", "31 helmets", "1950", "32 march", "between 150 and 160 kW"]
        {
            let tokens = cut(text).unwrap();
            assert_eq!(period(&tokens, "2026-11-25".parse().unwrap()), None, "{text}");
        }
    }
}
