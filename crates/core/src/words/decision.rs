//! What would make a decision surer, and what a revision usually gains, in words.

use crate::stats::release::Release;

fn percent([low, high]: [f64; 2]) -> String {
    format!("{low:+.1} to {high:+.1} %")
}

/// "C6 on E30 and C5 on E30 are not told apart: by the 3.0 kW that count it takes 6 pulls of each, 3 more and 4 more."
pub fn tell_sentence(names: [&str; 2], smallest: &str, pulls: u32, have: [usize; 2]) -> String {
    let more = have.map(|h| (pulls as usize).saturating_sub(h));
    let missing = match more {
        [0, 0] => {
            "there are as many: pull both again on one day, one after the other, for days differ".to_owned()
        }
        [a, b] if a == b => format!("{a} more"),
        [a, b] => format!("{a} and {b} more"),
    };
    format!(
        "{} and {} are not told apart: by the {smallest} that count it takes {pulls} pulls of each; {missing}.",
        names[0], names[1]
    )
}

/// What a revision usually gains over stock, and where this vehicle stands; `names` are those of the pool.
pub fn usually_sentence(
    map: &str,
    others: Option<&Release>,
    own: Option<(f64, f64)>,
    names: &[String],
    of: usize,
) -> String {
    let Some(r) = others else {
        return format!(
            "{map} was pulled beside stock on {of} other vehicles: it takes three before anything can be expected of the next."
        );
    };
    let mut out = format!("On {} other vehicles {map} gained {:+.1} % over stock on average", r.n, r.mean);
    if let Some((gain, variance)) = own {
        let e = r.expected(variance);
        let here = if gain < e[0] {
            "less than they let expect: look for a cause before it goes home"
        } else if gain > e[1] {
            "more than they let expect: look for a cause before it is believed"
        } else {
            "within what they let expect"
        };
        out += &format!("; here it is {gain:+.1} %, {here} ({})", percent(e));
    } else {
        out += &format!("; of another one {} is to be expected", percent(r.expected(r.pulls)));
    }
    out.push('.');
    if r.wide {
        out += " Wide: with fewer than five only gross departures show.";
    }
    let outside: Vec<&str> = r.outside.iter().filter_map(|i| names.get(*i).map(String::as_str)).collect();
    if !outside.is_empty() {
        out +=
            &format!(" Outside of what the rest let expect, and still in the pool: {}.", outside.join(", "));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::stats::release::{OnVehicle, release};

    #[test]
    fn a_gain_is_held_against_what_others_let_expect() {
        let of = |percent| OnVehicle { percent, variance: 0.1 };
        let r = release(&[of(10.0), of(10.4), of(9.8), of(10.1), of(10.2)]).unwrap();
        let say = |own| usually_sentence("C6", Some(&r), Some((own, 0.1)), &[], 5);
        assert!(say(10.3).contains("here it is +10.3 %, within what they let expect"));
        assert!(say(4.0).contains("less than they let expect: look for a cause"));
        assert!(usually_sentence("C6", None, None, &[], 2).contains("it takes three"));
        let wide = release(&[of(10.0), of(12.0), of(11.0)]).unwrap();
        assert!(usually_sentence("C6", Some(&wide), None, &[], 3).contains("only gross departures"));
    }

    #[test]
    fn what_is_missing_is_counted_for_both() {
        let say = |have| tell_sentence(["C6", "C5"], "3.0 kW", 6, have);
        assert!(say([3, 2]).ends_with("6 pulls of each; 3 and 4 more."));
        assert!(say([3, 3]).ends_with("3 more."));
        assert!(say([7, 6]).contains("as many"));
    }
}
