//! Reads conditions on figures: a name, a comparison, one number or two, a unit.

use super::extreme::Extreme;
use super::lexer::Kind;
use super::own::{End, OwnChannel};
use super::parse::{COMPARISONS, Parser, label};
use super::quantity::{NAMES, Quantity};
use super::query::{QueryError, What, example, range_words};

/// A number as it was typed.
struct Written {
    value: f64,
    raw: String,
    places: usize,
}

/// One number or two, before it is known what they are of.
struct Numbers {
    first: Written,
    second: Option<Written>,
    /// Where the first stands, and the token behind the last.
    at: usize,
    end: usize,
}

/// What numbers and a comparison allow, as they were written.
struct Bounds {
    low: f64,
    high: f64,
    how: &'static str,
    raw: Vec<String>,
}

impl Parser<'_> {
    /// `power over 150 kW`, `over 150 kW`, `162 kW`, `160..165 kW`, `boost 140`.
    pub(super) fn quantity(&mut self) -> Result<Option<What>, QueryError> {
        // Of all names that stand here the longest is meant: oil pressure is not oil.
        let named = NAMES
            .iter()
            .flat_map(|(q, names)| names.iter().filter_map(|n| self.spells(0, n)).map(|n| (*q, n)))
            .rev()
            .max_by_key(|n| n.1);
        let skip = named.map_or(0, |n| n.1);
        let compared = self.compared(skip);
        let first = skip + compared.map_or(0, |c| c.1);
        let Some(numbers) = self.numbers(first, compared) else {
            return match (named, compared) {
                (Some((q, _)), Some(c)) if self.asks_a_number(skip, c.0) => {
                    Err(self.no_number(first, &example(q, self.with.usual)))
                }
                _ => Ok(None),
            };
        };
        let unit_at =
            [numbers.end, first + 1].into_iter().find(|i| self.word(*i).is_some_and(Quantity::is_unit));
        let unit_word = unit_at.and_then(|i| self.word(i)).map(str::to_owned);
        let raw = &numbers.first.raw;
        let (of, unit, worth) = match (named, &unit_word) {
            (Some((q, _)), Some(u)) => match q.unit(u) {
                Some(Ok(worth)) => (q, u.clone(), worth),
                Some(Err(other)) => {
                    return Err(self.error(
                        unit_at.unwrap_or(numbers.end),
                        &format!("{} is a unit of {}, not of {}", label(u), other.name(), q.name()),
                    ));
                }
                None => (q, q.usual(self.with.usual).0.to_owned(), q.usual(self.with.usual).1),
            },
            (Some((q, _)), None) => (q, q.usual(self.with.usual).0.to_owned(), q.usual(self.with.usual).1),
            (None, Some(u)) => match Quantity::of_unit(u) {
                Some((q, worth)) => (q, u.clone(), worth),
                None => return Ok(None),
            },
            (None, None)
                if compared.is_some_and(|c| !["about", "between"].contains(&c.0)) && !self.is_day(first) =>
            {
                return Err(
                    self.error(first, &format!("{raw} of what? Write for example “power over {raw} kW”"))
                );
            }
            (None, None) => return Ok(None),
        };
        let end = numbers.end;
        let b = self.bounds(numbers, compared)?;
        let of = richest_if_below(of, b.how, named.map(|n| n.1));
        self.at += end + usize::from(unit_at == Some(end));
        Ok(Some(What::Range {
            of,
            low: worth.of(b.low),
            high: worth.of(b.high),
            words: range_words(b.how, &b.raw, label(&unit)),
        }))
    }

    /// `blower slip over 8 %`, `lowest boost loss under 2 kPa`: a channel of the shop's own.
    pub(super) fn own(&mut self) -> Result<Option<What>, QueryError> {
        let end = End::WORDS.iter().find_map(|(e, w)| self.spells(0, w).map(|n| (*e, n)));
        let from = end.map_or(0, |e| e.1);
        let here =
            |c: &&OwnChannel| [&c.words, &c.name].into_iter().filter_map(|w| self.spells(from, w)).max();
        let Some((length, named)) = self
            .with
            .own
            .iter()
            .filter_map(|c| here(&c).map(|n| (n, c)))
            .max_by_key(|(n, c)| (*n, c.name.len()))
        else {
            return Ok(None);
        };
        let alike: Vec<&OwnChannel> = self.with.own.iter().filter(|c| c.words == named.words).collect();
        let skip = from + length;
        let compared = self.compared(skip);
        let first = skip + compared.map_or(0, |c| c.1);
        let Some(numbers) = self.numbers(first, compared) else {
            return match compared {
                Some(c) if self.asks_a_number(skip, c.0) => {
                    let like = format!("{} over 10 {}", named.words, named.unit);
                    Err(self.no_number(first, like.trim_end()))
                }
                _ => Ok(None),
            };
        };
        let (at, stop) = (numbers.at, numbers.end);
        let written = self
            .word(stop)
            .and_then(|u| alike.iter().find_map(|c| c.worth(u).map(|worth| (*c, worth, u.to_owned()))));
        let (of, (scale, offset), unit, used) = match written {
            Some((c, worth, u)) => (c, worth, u, 1),
            None => {
                if let Some(u) = self.word(stop).filter(|u| Quantity::is_unit(u)) {
                    let is = if named.unit.is_empty() { "a plain ratio" } else { &named.unit };
                    let text = format!("{} is no unit of {}, which is {is}", label(u), named.words);
                    return Err(self.error(stop, &text));
                }
                if alike.iter().any(|c| c.unit != named.unit) {
                    let text = format!(
                        "{} has another unit on another vehicle: write one behind the number",
                        named.words
                    );
                    return Err(self.error(at, &text));
                }
                (named, (1.0, 0.0), named.unit.clone(), 0)
            }
        };
        let b = self.bounds(numbers, compared)?;
        let end = end.map_or_else(|| End::meant_by(b.how), |e| e.0);
        let worth = |v: f64| v * scale + offset;
        let what = What::Own {
            of: of.clone(),
            end,
            low: worth(b.low),
            high: worth(b.high),
            words: range_words(b.how, &b.raw, label(&unit)),
        };
        self.at += stop + used;
        Ok(Some(what))
    }

    /// The comparison that stands there, by its canonical word, and how many words it takes.
    fn compared(&self, skip: usize) -> Option<(&'static str, usize)> {
        COMPARISONS.iter().find_map(|(w, how)| self.spells(skip, w).map(|n| (*how, n)))
    }

    /// Whether a number must follow: `is` alone begins a sentence too.
    fn asks_a_number(&self, skip: usize, how: &str) -> bool {
        how != "about" || matches!(self.t[self.at + skip].kind, Kind::Sign(_))
    }

    fn no_number(&self, at: usize, example: &str) -> QueryError {
        self.error(at, &format!("a number is missing here; write for example “{example}”"))
    }

    fn numbers(&self, at: usize, compared: Option<(&str, usize)>) -> Option<Numbers> {
        let first = self.number(at)?;
        let second = (at + 1..at + 3).find_map(|i| {
            // A unit may stand after the first number too: 160 kW to 165 kW.
            let to = self.t.get(self.at + i)?;
            let joins = matches!(to.kind, Kind::To)
                || to.is("to")
                || (compared.is_some_and(|c| c.0 == "between") && to.is("and"));
            joins.then(|| self.number(i + 1).map(|n| (i + 2, n))).flatten()
        });
        let end = second.as_ref().map_or(at + 1, |s| s.0);
        Some(Numbers { first, second: second.map(|s| s.1), at, end })
    }

    fn bounds(&self, n: Numbers, compared: Option<(&'static str, usize)>) -> Result<Bounds, QueryError> {
        let how = compared.map_or("about", |c| c.0);
        let (a, raw) = (n.first.value, n.first.raw);
        if let Some(Written { value: b, raw: raw_b, .. }) = n.second {
            if b < a {
                return Err(self.error(
                    n.end - 1,
                    &format!("nothing lies between {raw} and {raw_b}; write the smaller number first"),
                ));
            }
            return Ok(Bounds { low: a, high: b, how: "between", raw: vec![raw, raw_b] });
        }
        // A number alone is meant to its last written place.
        let half = 0.5 * 10f64.powi(-(n.first.places as i32));
        let (low, high, how) = match how {
            "over" => (a.next_up(), f64::INFINITY, how),
            "at least" => (a, f64::INFINITY, how),
            "under" => (f64::NEG_INFINITY, a.next_down(), how),
            "at most" => (f64::NEG_INFINITY, a, how),
            _ => (a - half, a + half, "about"),
        };
        Ok(Bounds { low, high, how, raw: vec![raw] })
    }

    fn number(&self, skip: usize) -> Option<Written> {
        let t = self.t.get(self.at + skip)?;
        match &t.kind {
            Kind::Number(value, places) => {
                Some(Written { value: *value, raw: t.raw.clone(), places: *places })
            }
            _ => None,
        }
    }
}

/// A mixture below a value asks for the richest of it: the leanest is meant where it is above.
fn richest_if_below(of: Quantity, how: &str, named: Option<usize>) -> Quantity {
    let plain = of == Quantity::Reached(Extreme::Leanest) && named.is_none_or(|n| n == 1);
    if plain && matches!(how, "under" | "at most") { Quantity::Reached(Extreme::Richest) } else { of }
}
