//! An expression cut into words.

use super::Fault;
use super::dimension::UnitOf;

#[derive(Debug, Clone, PartialEq)]
pub(super) enum Token {
    /// With the unit written behind it.
    Number(f64, Option<UnitOf>),
    /// A channel, a family or a function.
    Name(String),
    /// A channel by its words.
    Words(String),
    Sign(char),
}

/// A word and the letter it begins at, from 1.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct At {
    pub(super) token: Token,
    pub(super) at: usize,
}

/// Longest expression, letters (our choice).
const LONGEST: usize = 500;

/// Cuts an expression into words.
pub(super) fn cut(text: &str) -> Result<Vec<At>, Fault> {
    if text.chars().count() > LONGEST {
        return Err(Fault::whole(format!("the expression is longer than {LONGEST} letters")));
    }
    let mut out = Vec::new();
    let mut rest = text;
    while let Some(c) = rest.chars().next() {
        let at = text[..text.len() - rest.len()].chars().count() + 1;
        let (token, bytes) = match c {
            c if c.is_whitespace() => {
                rest = &rest[c.len_utf8()..];
                continue;
            }
            '0'..='9' | '.' => number(rest, at)?,
            'a'..='z' | 'A'..='Z' | '_' => {
                let n = rest.find(|c: char| !(c.is_ascii_alphanumeric() || c == '_')).unwrap_or(rest.len());
                (Token::Name(rest[..n].to_owned()), n)
            }
            '[' => {
                let n = rest.find(']').ok_or_else(|| Fault::new(at, "the bracket [ is not closed by ]"))?;
                (Token::Words(rest[1..n].trim().to_owned()), n + 1)
            }
            '+' | '*' | '/' | '(' | ')' | ',' | '^' => (Token::Sign(c), 1),
            '-' | '−' | '–' => (Token::Sign('-'), c.len_utf8()),
            '×' | '·' => (Token::Sign('*'), c.len_utf8()),
            '÷' => (Token::Sign('/'), c.len_utf8()),
            'λ' => {
                let digits =
                    rest[2..].find(|c: char| !(c.is_ascii_digit() || c == '_')).unwrap_or(rest.len() - 2);
                let number = &rest[2..2 + digits];
                let between = if number.starts_with(|c: char| c.is_ascii_digit()) { "_" } else { "" };
                let name = format!("lambda{between}{number}");
                (Token::Name(name), 2 + digits)
            }
            other => {
                return Err(Fault::new(
                    at,
                    format!("“{other}” means nothing here: use + - * / ^ ( ), numbers and channels"),
                ));
            }
        };
        out.push(At { token, at });
        rest = &rest[bytes..];
    }
    Ok(out)
}

/// A number and the unit behind it.
fn number(rest: &str, at: usize) -> Result<(Token, usize), Fault> {
    let digits = |s: &str| s.find(|c: char| !(c.is_ascii_digit() || c == '.')).unwrap_or(s.len());
    let mut n = digits(rest);
    // An exponent: 1e3, 2.5e-6.
    if let Some(tail) = rest[n..].strip_prefix(['e', 'E']) {
        let sign = usize::from(tail.starts_with(['+', '-']));
        let places = tail[sign..].find(|c: char| !c.is_ascii_digit()).unwrap_or(tail.len() - sign);
        if places > 0 {
            n += 1 + sign + places;
        }
    }
    let value: f64 = rest[..n]
        .parse()
        .ok()
        .filter(|v: &f64| v.is_finite())
        .ok_or_else(|| Fault::new(at, format!("“{}” is not a number", &rest[..n])))?;
    let spaces = rest[n..].len() - rest[n..].trim_start().len();
    Ok(match UnitOf::at_start(&rest[n + spaces..]) {
        Some((unit, long)) => (Token::Number(value, Some(unit)), n + spaces + long),
        None => (Token::Number(value, None), n),
    })
}
