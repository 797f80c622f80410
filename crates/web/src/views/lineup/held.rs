//! Comparisons people make beside the one that heads a line-up, for who asks "and what of …": hollows, the same change
//! elsewhere, each map between its own shifts, equal output.

use super::asked::LineUpAsked;
use super::names::name_of;
use crate::prefs::Prefs;
use crate::views::common::Choice;
use jamjar_core::analysis::{
    AtOutput, Comparison, OfPulls, SetResult, Verdict, at_equal_output, effect_matrix, hollows_compared,
    own_windows, shared_output,
};
use jamjar_core::channel::Channel;
use jamjar_core::curve::Quantity;
use jamjar_core::units::PowerUnit;
use jamjar_core::words::{
    ChannelWords, Speech, effect_sentence, equal_output_sentence, hollow_sentence, not_read,
    own_window_sentence, row_name,
};
use jamjar_workflow::lineup::{Channels, LineUp};

/// A sentence, with a table behind it.
#[derive(Default)]
pub(crate) struct Told {
    pub(crate) sentence: String,
    pub(crate) heads: Vec<String>,
    pub(crate) rows: Vec<Vec<String>>,
}

/// Channels that can be read at equal output, and what came of the one asked for.
pub(crate) struct EqualView {
    pub(crate) choices: Vec<Choice>,
    pub(crate) told: Told,
}

/// All of it for the set looked at.
#[derive(Default)]
pub(crate) struct HeldView {
    /// What became of each hollow.
    pub(crate) hollows: Vec<String>,
    /// The same change in other rows.
    pub(crate) rows: Option<Told>,
    /// Each map between its own shifts.
    pub(crate) shifts: Option<Told>,
    pub(crate) equal: Option<EqualView>,
}

pub(super) fn held_view(
    l: &LineUp,
    c: &Comparison,
    (asked, channels): (&LineUpAsked, &Channels),
    prefs: &Prefs,
    to: &Speech<'_>,
) -> HeldView {
    let pair = [&l.results[c.base], &l.results[c.candidate]];
    let band = &c.gains(Quantity::Torque).curve;
    let at = [c.base, c.candidate];
    let hollows = hollows_compared(&l.results, &l.lenders, at, band, l.settings.across_gears);
    HeldView {
        hollows: hollows.iter().map(|h| hollow_sentence(h, pair, to)).collect(),
        rows: rows_told(l, pair),
        shifts: shifts_told(l, c, prefs, to),
        equal: equal_view(l, c, (asked, channels), prefs, to),
    }
}

fn rows_told(l: &LineUp, pair: [&SetResult; 2]) -> Option<Told> {
    let all: Vec<&SetResult> = l.results.iter().chain(&l.lenders).collect();
    let m = effect_matrix(&all, pair)?;
    let row = |r: &jamjar_core::analysis::EffectRow| {
        let half = r.half.map_or_else(|| "?".to_owned(), |h| format!("{h:.1}"));
        vec![row_name(&m, r), format!("{:+.1} ± {half}", r.percent), r.verdict.label().to_owned()]
    };
    Some(Told {
        sentence: effect_sentence(&m),
        heads: ["Under", "gain at peak, %", ""].map(str::to_owned).into(),
        rows: m.rows.iter().map(row).collect(),
    })
}

fn shifts_told(l: &LineUp, c: &Comparison, prefs: &Prefs, to: &Speech<'_>) -> Option<Told> {
    l.windows.get(c.base).copied().flatten()?;
    let (u, v) = (prefs.power.label(), |kw: f64| prefs.power.from_kw(kw));
    let all = own_windows(&l.results, &l.lenders, c.base, &l.windows, l.settings.across_gears);
    let number = |x: Option<f64>| x.map_or_else(|| "not covered".to_owned(), |x| format!("{:.1}", v(x)));
    let row = |(i, w): (usize, &jamjar_core::analysis::OwnWindow)| {
        let gain = match (&w.difference, w.plain) {
            (Some(d), _) => {
                let shown = if w.verdict == Verdict::NoDifferenceShown { ", not shown" } else { "" };
                format!("{:+.1} ± {:.1}{shown}", v(d.difference), v(d.half_width))
            }
            (None, Some(d)) => format!("{:+.1} ±?", v(d)),
            (None, None) => String::new(),
        };
        let span = w.window.map_or_else(|| "no shift".to_owned(), |[a, b]| format!("{a:.0}–{b:.0}"));
        vec![name_of(l, i), span, number(w.entry_kw), number(w.mean_kw), gain]
    };
    Some(Told {
        sentence: own_window_sentence(&all[c.candidate], [&l.results[c.base], &l.results[c.candidate]], to),
        heads: vec![
            "Set".to_owned(),
            "its shifts, rpm".to_owned(),
            format!("entered at, {u}"),
            format!("mean, {u}"),
            "gain".to_owned(),
        ],
        rows: all.iter().enumerate().map(row).collect(),
    })
}

/// Channels worth reading at equal output.
const OFFERED: [&str; 10] = [
    "manifold_pressure",
    "spark_advance",
    "lambda_1",
    "exhaust_temp_1",
    "intake_temp",
    "injector_duty",
    "wastegate_duty",
    "throttle",
    "air_flow",
    "turbo_speed",
];
/// About so many levels are shown.
const LEVELS: f64 = 6.0;

/// Levels of power between two, at round numbers of the unit shown, kW.
fn levels([low, high]: [f64; 2], unit: PowerUnit) -> Vec<f64> {
    let k = unit.from_kw(1.0);
    let (low, high) = (k * low, k * high);
    let wanted = (high - low) / LEVELS;
    let step =
        [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0].into_iter().find(|s| *s >= wanted).unwrap_or(500.0);
    let first = (low / step).ceil();
    (0..).map(|i| (first + f64::from(i)) * step).take_while(|v| *v <= high).map(|v| v / k).collect()
}

fn equal_view(
    l: &LineUp,
    c: &Comparison,
    (asked, channels): (&LineUpAsked, &Channels),
    prefs: &Prefs,
    to: &Speech<'_>,
) -> Option<EqualView> {
    let (a, b) = (&l.results[c.base], &l.results[c.candidate]);
    let shared = shared_output(a, b)?;
    let logged = |name: &str| {
        let of =
            |i: usize| l.measured[i].iter().any(|m| m.channels.iter().any(|s| s.channel.as_str() == name));
        of(c.base) && of(c.candidate)
    };
    let offered: Vec<Channel> = OFFERED
        .into_iter()
        .filter(|n| logged(n) || *n == asked.equal)
        .filter_map(|n| Channel::new(n).ok())
        .collect();
    let choices: Vec<Choice> = offered
        .iter()
        .map(|c| Choice { id: c.as_str().into(), label: c.label(), on: c.as_str() == asked.equal })
        .collect();
    if choices.is_empty() {
        return None;
    }
    let known = Channel::new(&asked.equal).ok().filter(|c| offered.contains(c));
    let told = known.map_or_else(Told::default, |channel| {
        let of: Vec<OfPulls<'_>> =
            channels.pulls.iter().map(|s| s.iter().map(|p| p.get(&channel)).collect()).collect();
        let at = at_equal_output(&l.results, &of, [c.base, c.candidate], &levels(shared, prefs.power));
        told_at_output(&at, &channel, [a, b], prefs, to)
    });
    Some(EqualView { choices, told })
}

fn told_at_output(
    at: &[AtOutput],
    channel: &Channel,
    pair: [&SetResult; 2],
    prefs: &Prefs,
    to: &Speech<'_>,
) -> Told {
    let (shown, u) = (prefs.units().shown(channel), prefs.power.label());
    let label = channel.label();
    let words = ChannelWords { label: &label, unit: shown.label, scale: shown.scale, digits: shown.digits };
    let digits = shown.digits;
    let row = |l: &AtOutput| {
        let each = |i: usize| match (l.value[i], l.rpm[i]) {
            (Ok(v), Ok(rpm)) => format!("{:.digits$} at {rpm:.0} rpm", shown.value(v)),
            (Err(why), _) | (_, Err(why)) => not_read(why).to_owned(),
        };
        let difference = match (&l.difference, l.value[0], l.value[1]) {
            (Some(i), _, _) => {
                format!(
                    "{:+.digits$} ± {:.digits$}",
                    shown.difference(i.difference),
                    shown.difference(i.half_width)
                )
            }
            (None, Ok(x), Ok(y)) => format!("{:+.digits$} ±?", shown.difference(y - x)),
            _ => String::new(),
        };
        let speed = match (&l.rpm_difference, l.rpm[0], l.rpm[1]) {
            (Some(i), _, _) => format!("{:+.0} ± {:.0}", i.difference, i.half_width),
            (None, Ok(x), Ok(y)) => format!("{:+.0} ±?", y - x),
            _ => String::new(),
        };
        vec![format!("{:.0}", prefs.power.from_kw(l.level_kw)), each(0), each(1), difference, speed]
    };
    let [base, candidate] = pair.map(|s| (to.name)(&s.id));
    Told {
        sentence: equal_output_sentence(at, words, pair, to),
        heads: vec![
            format!("power, {u}"),
            base,
            candidate,
            format!("difference, {}", if shown.label.is_empty() { "–" } else { shown.label }),
            "of speed, rpm".to_owned(),
        ],
        rows: at.iter().map(row).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::channel::KINDS;

    #[test]
    fn levels_are_round_in_the_unit_shown() {
        let in_kw = levels([41.0, 104.0], PowerUnit::Kw);
        assert_eq!(in_kw, [60.0, 80.0, 100.0]);
        let shown: Vec<f64> =
            levels([41.0, 104.0], PowerUnit::Hp).iter().map(|v| PowerUnit::Hp.from_kw(*v).round()).collect();
        assert_eq!(shown, [60.0, 80.0, 100.0, 120.0]);
        assert!(levels([100.0, 100.2], PowerUnit::Kw).len() <= 1);
    }

    #[test]
    fn every_channel_offered_is_one() {
        for name in OFFERED {
            let kind = name.trim_end_matches(|c: char| c == '_' || c.is_ascii_digit());
            assert!(KINDS.iter().any(|k| k.name == kind), "{name}");
        }
    }
}
