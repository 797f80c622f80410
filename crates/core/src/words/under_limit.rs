//! What a limit that is being thought about would say of pulls that are there.

use crate::limits::Verdict;

/// A pull by what a person knows it by: its configuration and its verdict.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Said<'a> {
    /// Map and fuel.
    pub of: &'a str,
    /// What the limit says.
    pub verdict: Verdict,
}

/// "Would flag 3 of 41 pulls, all of C4 on E60", and what it could not say.
///
/// `looked` of `of` pulls were looked at; it is not for `not_for` more.
pub fn would_flag(said: &[Said<'_>], of: usize, not_for: usize) -> String {
    if said.is_empty() {
        return match (of, not_for) {
            (0, _) => "No pull with samples is there to try it on.".into(),
            (_, n) if n > 0 => "No pull of a configuration it is for is there to try it on.".into(),
            _ => "No pull is there to try it on.".into(),
        };
    }
    let count = |v: Verdict| said.iter().filter(|s| s.verdict == v).count();
    let over: Vec<&Said<'_>> = said.iter().filter(|s| s.verdict == Verdict::Over).collect();
    let n = said.len();
    let pulls = if n == 1 { "1 pull".to_owned() } else { format!("{n} pulls") };
    let mut out = match over.as_slice() {
        [] => format!("Would flag none of {pulls}"),
        some => {
            let mut names: Vec<&str> = Vec::new();
            for s in some {
                if !names.contains(&s.of) {
                    names.push(s.of);
                }
            }
            let whose = match names.as_slice() {
                [one] if some.len() > 1 => format!("all of {one}"),
                [one] => (*one).to_owned(),
                [a, b] => format!("{a} and {b}"),
                [a, b, rest @ ..] => format!("{a}, {b} and {} more", rest.len()),
                [] => String::new(),
            };
            format!("Would flag {} of {pulls}, {whose}", some.len())
        }
    };
    let rest: Vec<String> = [Verdict::Close, Verdict::CantTell, Verdict::NotMeasured, Verdict::NotReached]
        .into_iter()
        .filter(|v| count(*v) > 0)
        .map(|v| format!("{} {}", count(v), v.label()))
        .collect();
    if !rest.is_empty() {
        out += &format!("; {}", rest.join(", "));
    }
    out.push('.');
    if of > n + not_for {
        out += &format!(" The newest {n} of {} were looked at.", of - not_for);
    }
    match not_for {
        0 => {}
        1 => out += " 1 pull is of another configuration.",
        n => out += &format!(" {n} pulls are of other configurations."),
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_says_whose_pulls_and_what_it_could_not_say() {
        let s = |of, verdict| Said { of, verdict };
        let clear = |n| std::iter::repeat_n(s("stock on RON 95", Verdict::Clear), n);
        let c4 = [s("C4 on E60", Verdict::Over), s("C4 on E60", Verdict::Over)];
        let all: Vec<Said<'_>> = clear(9).chain(c4).collect();
        assert_eq!(would_flag(&all, 11, 0), "Would flag 2 of 11 pulls, all of C4 on E60.");
        let mixed: Vec<Said<'_>> = clear(1)
            .chain([
                s("C1", Verdict::Over),
                s("C2", Verdict::Over),
                s("C3", Verdict::Over),
                s("x", Verdict::NotMeasured),
            ])
            .collect();
        assert_eq!(
            would_flag(&mixed, 60, 4),
            "Would flag 3 of 5 pulls, C1, C2 and 1 more; 1 not measured. The newest 5 of 56 were looked at. 4 pulls are of other configurations."
        );
        assert_eq!(would_flag(&clear(1).collect::<Vec<_>>(), 1, 0), "Would flag none of 1 pull.");
        assert_eq!(would_flag(&[], 0, 0), "No pull with samples is there to try it on.");
        assert_eq!(would_flag(&[], 3, 3), "No pull of a configuration it is for is there to try it on.");
    }
}
