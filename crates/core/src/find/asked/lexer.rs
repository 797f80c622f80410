//! Cuts a query into words, numbers, dates and signs.

use super::quantity::Quantity;
use super::query::QueryError;
use chrono::{Months, NaiveDate};

/// What a piece of a query is.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Kind {
    /// A word, lower case.
    Word(String),
    /// Text in quotation marks.
    Quote(String),
    /// A number and its decimals as written.
    Number(f64, usize),
    /// A day or a month in figures.
    Date(NaiveDate, NaiveDate),
    /// `>`, `<`, `>=`, `<=` or `=`.
    Sign(&'static str),
    /// `..` or a dash between numbers.
    To,
    /// Separates conditions.
    Comma,
}

/// A piece with its place and its own spelling.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Token {
    pub(super) kind: Kind,
    pub(super) raw: String,
    pub(super) column: usize,
}

impl Token {
    pub(super) fn is(&self, word: &str) -> bool {
        matches!(&self.kind, Kind::Word(w) if w == word)
    }
}

const SIGNS: [(&str, &str); 8] =
    [(">=", ">="), ("<=", "<="), ("≥", ">="), ("≤", "<="), (">", ">"), ("<", "<"), ("=", "="), ("~", "=")];

/// Cuts the text into tokens.
pub(super) fn cut(text: &str) -> Result<Vec<Token>, QueryError> {
    let c: Vec<char> = text.chars().collect();
    let mut out: Vec<Token> = Vec::new();
    let mut i = 0;
    while i < c.len() {
        let column = i + 1;
        let mut push = |kind, from: usize, to: usize| {
            out.push(Token { kind, raw: c[from..to].iter().collect(), column })
        };
        match c[i] {
            x if x.is_whitespace() || matches!(x, '?' | '!' | '(' | ')') => i += 1,
            ',' | ';' => {
                push(Kind::Comma, i, i + 1);
                i += 1;
            }
            '"' | '“' | '”' => {
                let Some(len) = c[i + 1..].iter().position(|x| matches!(x, '"' | '“' | '”')) else {
                    return Err(QueryError {
                        column,
                        text: "this quotation mark is never closed; put another one after the text".into(),
                    });
                };
                push(Kind::Quote(c[i + 1..i + 1 + len].iter().collect()), i, i + 2 + len);
                i += 2 + len;
            }
            '–' | '…' => {
                push(Kind::To, i, i + 1);
                i += 1;
            }
            '.' if c.get(i + 1) == Some(&'.') => {
                push(Kind::To, i, i + 2);
                i += 2;
            }
            '-' if i > 0 && c[i - 1].is_ascii_digit() && c.get(i + 1).is_some_and(char::is_ascii_digit) => {
                push(Kind::To, i, i + 1);
                i += 1;
            }
            _ => {
                let rest: String = c[i..(i + 2).min(c.len())].iter().collect();
                if let Some((sign, means)) = SIGNS.iter().find(|s| rest.starts_with(s.0)) {
                    let n = sign.chars().count();
                    push(Kind::Sign(means), i, i + n);
                    i += n;
                } else {
                    i = word_or_number(&c, i, &mut out)?;
                }
            }
        }
    }
    Ok(out)
}

fn digits(c: &[char], from: usize) -> usize {
    c[from.min(c.len())..].iter().take_while(|x| x.is_ascii_digit()).count()
}

/// Where a date such as `24.03.2026` or `24/3/2026` ends, with its spelling.
fn day_first(c: &[char], i: usize, whole: usize) -> Option<(usize, String)> {
    let sign = *c.get(i + whole).filter(|s| matches!(s, '.' | '/'))?;
    let month = i + whole + 1;
    let n = digits(c, month);
    let year = month + n + 1;
    let is = (1..=2).contains(&whole)
        && (1..=2).contains(&n)
        && c.get(month + n) == Some(&sign)
        && digits(c, year) == 4
        && !c.get(year + 4).is_some_and(|x| x.is_alphanumeric());
    is.then(|| (year + 4, c[i..year + 4].iter().collect()))
}

/// Day first; where only the other order can be, month first. What was understood is shown back in words.
fn of_day_first(raw: &str) -> Option<NaiveDate> {
    let parts: Vec<u32> = raw.split(['.', '/']).filter_map(|p| p.parse().ok()).collect();
    let [a, b, year] = parts[..] else { return None };
    let at = |day, month| NaiveDate::from_ymd_opt(year as i32, month, day);
    at(a, b).or_else(|| at(b, a))
}

/// A date, a number (with its unit cut off) or a word from `i` on; returns where it ends.
fn word_or_number(c: &[char], i: usize, out: &mut Vec<Token>) -> Result<usize, QueryError> {
    let column = i + 1;
    let text = |a: usize, b: usize| c[a..b].iter().collect::<String>();
    let minus = usize::from(c[i] == '-');
    let whole = digits(c, i + minus);
    if whole == 0 {
        let end = i
            + 1
            + c[i + 1..]
                .iter()
                .take_while(|x| {
                    !x.is_whitespace() && !matches!(x, ',' | ';' | '"' | '<' | '>' | '=' | '?' | '!' | '…')
                })
                .count();
        let raw = text(i, end);
        let word = raw.trim_end_matches(['.', ':']).to_lowercase().replace('’', "'");
        out.push(Token { kind: Kind::Word(word), raw, column });
        return Ok(end);
    }
    if whole == 4 && minus == 0 && c.get(i + 4) == Some(&'-') && digits(c, i + 5) == 2 {
        let day = c.get(i + 7) == Some(&'-') && digits(c, i + 8) == 2;
        let end = if day { i + 10 } else { i + 7 };
        let raw = text(i, end);
        let (from, to) = in_figures(&raw).ok_or_else(|| QueryError {
            column,
            text: format!("{raw} is not a date; write year-month-day, such as 2026-03-02, or year-month"),
        })?;
        out.push(Token { kind: Kind::Date(from, to), raw, column });
        return Ok(end);
    }
    if minus == 0
        && let Some((end, raw)) = day_first(c, i, whole)
    {
        let day = of_day_first(&raw).ok_or_else(|| QueryError {
            column,
            text: format!("{raw} is not a date; write it day first, such as 24.03.2026, or as 2026-03-24"),
        })?;
        out.push(Token { kind: Kind::Date(day, day), raw, column });
        return Ok(end);
    }
    let mut end = i + minus + whole;
    let point = c.get(end).is_some_and(|x| matches!(x, '.' | ',')) && digits(c, end + 1) > 0;
    let decimals = if point { digits(c, end + 1) } else { 0 };
    if point {
        end += 1 + decimals;
    }
    let tail =
        c[end..].iter().take_while(|x| x.is_alphanumeric() || matches!(x, '·' | '°' | '%' | '/')).count();
    let suffix = text(end, end + tail);
    if tail > 0 && !Quantity::is_unit(&suffix) {
        let raw = text(i, end + tail);
        out.push(Token { kind: Kind::Word(raw.to_lowercase()), raw, column });
        return Ok(end + tail);
    }
    let raw = text(i, end);
    let value = raw
        .replace(',', ".")
        .parse()
        .map_err(|_| QueryError { column, text: format!("{raw} is not a number") })?;
    out.push(Token { kind: Kind::Number(value, decimals), raw: raw.replace(',', "."), column });
    Ok(end)
}

/// `2026-03` or `2026-03-02` as first and last day.
fn in_figures(raw: &str) -> Option<(NaiveDate, NaiveDate)> {
    if raw.len() == 10 {
        let d: NaiveDate = raw.parse().ok()?;
        return Some((d, d));
    }
    let first: NaiveDate = format!("{raw}-01").parse().ok()?;
    Some((first, first.checked_add_months(Months::new(1))?.pred_opt()?))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kinds(text: &str) -> Vec<Kind> {
        cut(text).unwrap().into_iter().map(|t| t.kind).collect()
    }

    fn word(w: &str) -> Kind {
        Kind::Word(w.into())
    }

    #[test]
    fn numbers_are_told_from_names_that_begin_with_one() {
        assert_eq!(kinds("162kW"), [Kind::Number(162.0, 0), word("kw")]);
        assert_eq!(kinds("162.50 kW"), [Kind::Number(162.5, 2), word("kw")]);
        assert_eq!(kinds("162,5kw"), [Kind::Number(162.5, 1), word("kw")], "a decimal comma");
        assert_eq!(kinds("2B 3rd"), [word("2b"), word("3rd")]);
        assert_eq!(kinds("-5 °C"), [Kind::Number(-5.0, 0), word("°c")]);
        assert_eq!(kinds("95%"), [Kind::Number(95.0, 0), word("%")]);
    }

    #[test]
    fn ranges_have_several_spellings() {
        for text in ["160..165", "160 – 165", "160-165", "160…165"] {
            assert_eq!(kinds(text), [Kind::Number(160.0, 0), Kind::To, Kind::Number(165.0, 0)], "{text}");
        }
        assert_eq!(kinds("tip-in"), [word("tip-in")], "a dash within a word is part of it");
    }

    #[test]
    fn places_are_counted_in_characters() {
        let t = cut("λ über, “zwei Wörter” >= 3").unwrap();
        assert_eq!(t.iter().map(|t| t.column).collect::<Vec<_>>(), [1, 3, 7, 9, 23, 26]);
        assert_eq!(t[3].kind, Kind::Quote("zwei Wörter".into()));
        assert_eq!(t[4].kind, Kind::Sign(">="));
        assert_eq!(cut("a \"b").unwrap_err().column, 3);
        assert_eq!(cut("2026-02-30").unwrap_err().column, 1);
    }
}
