//! Comparisons people make beside the one that heads a line-up: hollows, the same change elsewhere, each map's own
//! shifts, equal output.

use super::comparison::{Told, told_of};
use super::{Speech, listed, sentence_case};
use crate::analysis::{
    APART_P, AtOutput, Became, EffectMatrix, EffectRow, HollowCompared, NotRead, OwnWindow, SetResult,
    Verdict,
};
use crate::factors::Factors;

/// What became of the hollows of the baseline: one sentence a hollow.
pub fn hollow_sentence(h: &HollowCompared, sets: [&SetResult; 2], to: &Speech<'_>) -> String {
    let [base, candidate] = sets.map(|s| to.set(&s.id));
    let (u, v) = (to.units.torque.label(), |nm: f64| to.units.torque.from_nm(nm));
    let place = format!("the hollow at {:.0} rpm", h.rpm);
    let depth = |d: Option<f64>| d.map_or_else(|| "not covered".to_owned(), |d| format!("{:.1} {u}", v(d)));
    let deep = format!("{} deep in {base}, {} in {candidate}", depth(h.depth[0]), depth(h.depth[1]));
    let by = h
        .change
        .as_ref()
        .map_or_else(String::new, |i| format!("{:+.1} ± {:.1} {u}", v(i.difference), v(i.half_width)));
    match (h.became, h.shown) {
        (Became::Filled, _) => format!("{candidate} fills {place}: {deep}; {by}."),
        (Became::Smaller, _) => {
            format!("{candidate} makes {place} smaller and leaves some of it: {deep}; {by}.")
        }
        (Became::Deeper, [false, true]) => {
            format!(
                "{candidate} has a hollow at {:.0} rpm that {base} is not shown to have: {deep}; {by}.",
                h.rpm
            )
        }
        (Became::Deeper, _) => format!("{candidate} makes {place} deeper: {deep}; {by}."),
        (Became::Unchanged, _) => {
            format!("No change shown in {place}: {deep}; {by}.")
        }
        (Became::NotComparable, _) => {
            format!("{}: can't tell whether it changed; {deep}, without an interval.", sentence_case(&place))
        }
    }
}

/// In what a row of a matrix differs from the others: "gear 2", else its day.
pub fn row_name(m: &EffectMatrix, r: &EffectRow) -> String {
    let named =
        |f: &Factors, k: &String| f.get(k).map_or_else(|| format!("no {k} stated"), |v| format!("{k} {v}"));
    let days: Vec<&str> = m.rows.iter().map(|r| r.day.as_str()).collect();
    let one_day = days.windows(2).all(|w| w[0] == w[1]);
    let mut parts: Vec<String> = m.across.iter().map(|k| named(&r.rest, k)).collect();
    if parts.is_empty() || !one_day {
        parts.push(r.day.clone());
    }
    parts.join(", ")
}

/// Whether a change acts in each row, and alike: "acts in gear 2 and gear 3, not shown in gear 4; that they differ is
/// not shown".
pub fn effect_sentence(m: &EffectMatrix) -> String {
    let of = |want: &dyn Fn(Verdict) -> bool| -> Vec<String> {
        m.rows
            .iter()
            .filter(|r| want(r.verdict))
            .map(|r| format!("{} ({:+.1} %)", row_name(m, r), r.percent))
            .collect()
    };
    let acts = of(&|v| {
        matches!(v, Verdict::Gain | Verdict::Loss | Verdict::ProvisionalGain | Verdict::ProvisionalLoss)
    });
    let silent = of(&|v| v == Verdict::NoDifferenceShown);
    let open = of(&|v| v == Verdict::CantTell);
    let mut parts: Vec<String> = Vec::new();
    if !acts.is_empty() {
        parts.push(format!("acts in {}", listed(&acts)));
    }
    if !silent.is_empty() {
        parts.push(format!("is not shown in {}", listed(&silent)));
    }
    if !open.is_empty() {
        parts.push(format!("can't be told in {}", listed(&open)));
    }
    let apart = match &m.apart {
        Some(a) if a.p < APART_P => {
            format!(" The rows differ from each other (p {:.3}).", a.p.max(0.001))
        }
        Some(a) => format!(" That the rows differ from each other is not shown (p {:.2}).", a.p),
        None => " Whether the rows differ from each other can't be told.".to_owned(),
    };
    let mountings = if m.mountings_known || m.apart.is_none() {
        ""
    } else {
        " Within one mounting only: what a remount does is not in it."
    };
    format!("The change of {} {}.{apart}{mountings}", m.change.join(" and "), parts.join(", "))
}

/// A set in its own shift window against the baseline in that one's.
pub fn own_window_sentence(w: &OwnWindow, sets: [&SetResult; 2], to: &Speech<'_>) -> String {
    let [base, candidate] = sets.map(|s| to.set(&s.id));
    let (u, k) = (to.power().label(), |kw: f64| to.power().from_kw(kw));
    let Some([low, high]) = w.window else {
        return format!("{candidate}: its curve shows no shift.");
    };
    let span = format!("from {low:.0} to {high:.0} rpm");
    let half = w.difference.as_ref().map(|i| k(i.half_width));
    match told_of(w.verdict, w.plain.map(k), half) {
        Told::NotShown(half) => format!(
            "Between its own shifts, {span}, no difference is shown between {candidate} and {base}: it would have to be larger than about {half:.1} {u} to show."
        ),
        Told::Differs { more, by, half, .. } => {
            let than = if more { "more" } else { "less" };
            format!(
                "Between its own shifts, {span}, {candidate} has {by:.1} ± {half:.1} {u} {than} on average than {base} between its."
            )
        }
        Told::Bare(d) => format!(
            "Between its own shifts, {span}, can't tell whether {candidate} differs from {base}: {d:+.1} {u} on average, without an interval."
        ),
        Told::Nothing => format!("{candidate}, {span}: not covered by every pull."),
    }
}

/// A channel as it is shown: its name, unit, and scale to a difference in it.
#[derive(Debug, Clone, Copy)]
pub struct ChannelWords<'a> {
    /// Name.
    pub label: &'a str,
    /// Unit; blank where there is none.
    pub unit: &'a str,
    /// Shown difference for one of the channel's own unit.
    pub scale: f64,
    /// Digits after the point.
    pub digits: usize,
}

/// The highest level that both sets reach: "The same 100 kW with 14.0 ± 2.1 kPa less manifold pressure, at 150 ± 20 rpm
/// more."
pub fn equal_output_sentence(
    levels: &[AtOutput],
    c: ChannelWords<'_>,
    sets: [&SetResult; 2],
    to: &Speech<'_>,
) -> String {
    let [base, candidate] = sets.map(|s| to.set(&s.id));
    let u = to.power();
    let Some((l, [x, y])) = levels.iter().rev().find_map(|l| Some((l, [l.value[0].ok()?, l.value[1].ok()?])))
    else {
        return format!("{candidate} and {base} share no power at which {} was read in both.", c.label);
    };
    let sized = |d: f64, half: Option<f64>, digits: usize| {
        let half = half.map_or_else(|| "?".to_owned(), |h| format!("{h:.digits$}"));
        format!("{:.digits$} ± {half}", d.abs())
    };
    let side = |d: f64| if d < 0.0 { "less" } else { "more" };
    let half = l.difference.as_ref().map(|i| c.scale * i.half_width);
    let d = c.scale * (y - x);
    let unit = if c.unit.is_empty() { String::new() } else { format!(" {}", c.unit) };
    let shown = match half {
        Some(h) if d.abs() <= h => format!("no difference in {} shown (± {h:.*}{unit})", c.label, c.digits),
        _ => format!("{}{unit} {} {}", sized(d, half, c.digits), side(d), c.label),
    };
    let speed = match (l.rpm[0], l.rpm[1]) {
        (Ok(a), Ok(b)) => {
            let half = l.rpm_difference.as_ref().map(|i| i.half_width);
            match half {
                Some(h) if (b - a).abs() <= h => {
                    format!(", at no engine speed shown to be another (± {h:.0} rpm)")
                }
                _ => format!(", at {} rpm {}", sized(b - a, half, 0), if b < a { "less" } else { "more" }),
            }
        }
        _ => String::new(),
    };
    let level = format!("{:.0} {}", u.from_kw(l.level_kw), u.label());
    let told = if half.is_none() { " Without an interval: no scatter is known." } else { "" };
    format!("The same {level} in {candidate} as in {base} with {shown}{speed}.{told}")
}

/// Why a level is not read.
pub fn not_read(why: NotRead) -> &'static str {
    match why {
        NotRead::Outside => "not reached",
        NotRead::Twice => "reached more than once on the way up",
        NotRead::NotLogged => "not measured",
    }
}
