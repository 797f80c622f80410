//! A baseline against quoted output, in words.

use crate::quoted::{AgainstQuoted, QuotedAt, Says};

/// "The baseline is 13 % below what is quoted; between the crank and the hub 3 to 18 % may go: nothing is missing by this."
pub fn quoted_sentence(a: &AgainstQuoted, place: &str) -> String {
    let pc = |v: f64| format!("{:.0}", 100.0 * v);
    let way = match a.missing {
        m if m >= 0.005 => format!("{} % below what is quoted", pc(m)),
        m if m <= -0.005 => format!("{} % above what is quoted", pc(-m)),
        _ => "what is quoted".to_owned(),
    };
    let [low, high] = a.explained;
    let may = if a.quoted == QuotedAt::SamePlace || place == "at the crankshaft" {
        format!("both {place}, where engines and dynos differ by {} % either way", pc(high))
    } else {
        let low = if low < 0.0 { "nothing".to_owned() } else { pc(low) };
        let taken = if a.quoted == QuotedAt::Unsaid { ", where it is taken to be quoted," } else { "" };
        format!(
            "between the crankshaft{taken} and where it is measured, {place}, {low} to {} % may go",
            pc(high)
        )
    };
    let so = match a.says {
        Says::Explained => "nothing is missing by this",
        Says::Missing => {
            "that does not explain it. Look for why before a map is changed: a leak, a fault code, another fuel, another \
             gear or ratio, air that was not corrected"
        }
        Says::More => {
            "that is too little taken. Look whether the map is stock, the ratio and the correction right, and where the \
             quoted figure belongs"
        }
    };
    format!("The baseline is {way}; {may}: {so}.")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pull::dyno::DynoKind;
    use crate::quoted::against_quoted;

    #[test]
    fn what_a_driveline_explains_is_told_from_what_is_missing() {
        let of = |kw: f64, at: DynoKind, words: &str| {
            let quoted = (118.0, QuotedAt::read(words, at));
            quoted_sentence(&against_quoted(kw, quoted, at).unwrap(), at.place())
        };
        let said = |kw, at| of(kw, at, "at the crank, by its papers");
        assert_eq!(
            said(103.0, DynoKind::Hub),
            "The baseline is 13 % below what is quoted; between the crankshaft and where it is measured, at the hub, 3 to 18 % may go: nothing is missing by this."
        );
        assert!(said(80.0, DynoKind::RollerBrake).contains("Look for why before a map is changed"));
        assert!(said(121.0, DynoKind::Hub).contains("3 % above what is quoted"));
        assert!(said(121.0, DynoKind::Hub).contains("whether the map is stock"));
        assert!(
            said(118.0, DynoKind::Engine).contains("The baseline is what is quoted; both at the crankshaft")
        );
        assert!(of(113.0, DynoKind::Pto, "at the PTO, by its papers").contains("both at the PTO"));
        assert!(of(103.0, DynoKind::Hub, "by its builder").contains("where it is taken to be quoted"));
    }
}
