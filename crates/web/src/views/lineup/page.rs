//! The line-up: the answer first, the chart, the table of figures, what differs.

use super::asked::{LineUpAsked, band_words};
use super::caveats::{not_drawn, tag};
use super::chart::{chart_of, data_json};
use super::figures::{FigureRow, column_links, columns_shown, figure_row, largest_heads};
use super::held::{HeldView, held_view};
use super::matrix::limit_columns;
use super::names::{WhyNot, detail_of, focus_of, index, larger, name_of};
use super::places::{half, missing, place_of};
use super::power::can_show;
use super::speeds::{SpeedTable, StepsView, speed_table, steps_view};
use super::split::{SplitView, Suggestion, corners, price_words, split_view, suggestions};
use super::tracks::{ChannelTable, LaneLink, channel_tables, lane_links, tracks};
use crate::prefs::{Prefs, Shown};
use crate::views::Shell;
use crate::views::common::{
    AxisLink, Choice, Encoding, Matrix, SetTag, Setting, count, in_unit, listed_query, matrix, on_lineup,
    same_within, settings, signed, unit_of,
};
use askama::Template;
use jamjar_chart::{Paint, lineup_svg};
use jamjar_core::analysis::{Along, Figure};
use jamjar_core::words::{
    Speech, beside_sentence, caveat, crossover_sentence, headline_sentence, judged_sentence, larger_sentence,
    sentence_about, sentence_case, tightest, without_verdict,
};
use jamjar_workflow::lineup::{Channels, LineUp};

pub(crate) struct SetRow {
    pub(crate) id: i64,
    pub(crate) tag: SetTag,
    pub(crate) gain: String,
    pub(crate) verdict: &'static str,
    pub(crate) figure: String,
    pub(crate) limit: String,
    pub(crate) loud: bool,
    pub(crate) baseline: bool,
    pub(crate) focus: bool,
    pub(crate) focus_link: String,
    pub(crate) base_link: String,
    pub(crate) drop_link: String,
}

pub(crate) struct StateRow {
    pub(crate) label: String,
    pub(crate) unit: String,
    pub(crate) values: [String; 3],
    pub(crate) notable: bool,
}

/// A set that may be drawn.
pub(crate) struct ChooseRow {
    pub(crate) id: i64,
    pub(crate) words: String,
    pub(crate) on: bool,
}

/// More sets than can be read over each other: some are drawn, and a person chooses which.
pub(crate) struct Choose {
    /// "16 of 30 drawn: choose".
    pub(crate) line: String,
    pub(crate) base: i64,
    pub(crate) rows: Vec<ChooseRow>,
}

#[derive(Template)]
#[template(path = "lineup.html")]
pub(crate) struct LineUpPage {
    pub(crate) shell: Shell,
    pub(crate) day_id: i64,
    pub(crate) vehicle: String,
    pub(crate) date: String,
    pub(crate) title: String,
    pub(crate) sentence: String,
    pub(crate) second: String,
    pub(crate) limit_sentence: String,
    pub(crate) limit_warn: bool,
    pub(crate) caveats: Vec<(String, String)>,
    pub(crate) more: Vec<(String, String)>,
    pub(crate) chart: String,
    pub(crate) data: String,
    pub(crate) rows: Vec<SetRow>,
    pub(crate) figures: Vec<FigureRow>,
    pub(crate) figure_heads: Vec<String>,
    pub(crate) largest_heads: Vec<String>,
    pub(crate) not_known: String,
    pub(crate) view: Setting,
    pub(crate) axes: Vec<AxisLink>,
    pub(crate) band: String,
    pub(crate) at: String,
    pub(crate) asks_band: bool,
    pub(crate) asks_at: bool,
    pub(crate) across: String,
    pub(crate) gears_differ: bool,
    pub(crate) suggestions: Vec<Suggestion>,
    pub(crate) corners: Vec<Suggestion>,
    pub(crate) split: Option<SplitView>,
    pub(crate) price: String,
    pub(crate) vehicle_id: i64,
    pub(crate) query: String,
    pub(crate) by: String,
    pub(crate) matrix: Matrix,
    pub(crate) crossover: String,
    pub(crate) speeds: SpeedTable,
    pub(crate) steps: Option<StepsView>,
    pub(crate) held: HeldView,
    /// Where more sets were asked for than are drawn.
    pub(crate) choose: Option<Choose>,
    pub(crate) columns: Vec<AxisLink>,
    /// Decimal mark of what is copied.
    pub(crate) decimal: &'static str,
    pub(crate) quantities: Vec<AxisLink>,
    pub(crate) lanes: Vec<LaneLink>,
    pub(crate) minus: Option<(String, bool)>,
    pub(crate) channels: Vec<ChannelTable>,
    pub(crate) focus_name: String,
    pub(crate) settings: Vec<Setting>,
    pub(crate) hidden: Vec<(&'static str, String)>,
    pub(crate) link: String,
    pub(crate) unit: &'static str,
    pub(crate) plan: String,
    pub(crate) same: Setting,
    pub(crate) state: Vec<StateRow>,
}

/// Text in the chart grows for the cell theme, read two metres away.
pub(super) const CELL_SCALE: f64 = 1.28;

/// Everything the page shows. `link` is the query without focus, base and sets.
pub(crate) fn lineup_page(
    l: &LineUp,
    e: &Encoding,
    prefs: &Prefs,
    asked: &LineUpAsked,
    channels: &Channels,
) -> LineUpPage {
    let prefs = &on_lineup(prefs, l);
    // Who looks at torque alone is told of torque.
    let asked = &match (prefs.shown, asked.view) {
        (Shown::Torque, Figure::PeakPower) => LineUpAsked { view: Figure::PeakTorque, ..asked.clone() },
        _ => asked.clone(),
    };
    let focus = focus_of(l, asked.focus, prefs.shown.leads());
    let (first, looked_at) = (&l.sets[0].set, focus.map(|f| &l.comparisons[f]));
    let name = |id: &str| index(l, id).map_or_else(|| id.to_owned(), |i| name_of(l, i));
    let to = Speech { units: prefs.units(), name: &name };
    let sentence = match focus {
        Some(f) => {
            let (c, view) = (&l.comparisons[f], asked.view);
            match view {
                Figure::PeakPower => headline_sentence(c, &l.results, &to),
                _ => sentence_about(
                    c,
                    &l.results,
                    &to,
                    view,
                    &place_of(view, l),
                    (unit_of(view, prefs), &|v| in_unit(view, v, prefs)),
                ),
            }
        }
        None => format!("{}: one set, nothing to compare it with yet.", name_of(l, 0)),
    };
    let second = focus.and_then(|f| second_sentence(l, prefs, asked, f, &to)).unwrap_or_default();
    let shown = focus.map_or(l.base, |f| l.comparisons[f].candidate);
    let (limit_sentence, limit_warn) = judged_sentence(&l.verdicts[shown], &l.vehicle.limits, prefs.units());
    let base_query = |sets: &str, base: i64, focus: i64| {
        let mut pairs =
            vec![("sets", sets.to_owned()), ("base", base.to_string()), ("focus", focus.to_string())];
        pairs.extend(asked.pairs());
        format!("/line-up?{}", listed_query(&pairs))
    };
    let ids: Vec<i64> = l.sets.iter().map(|s| s.set.id).collect();
    let joined = |v: &[i64]| v.iter().map(i64::to_string).collect::<Vec<_>>().join(",");
    let (base_id, focus_id) = (ids[l.base], ids[shown]);
    let rows: Vec<SetRow> = by_peak(l)
        .into_iter()
        .map(|i| {
            let others: Vec<i64> = ids.iter().copied().filter(|x| *x != ids[i]).collect();
            set_row(
                l,
                e,
                prefs,
                i,
                (shown, asked.view),
                [
                    base_query(&joined(&ids), base_id, ids[i]),
                    base_query(&joined(&ids), ids[i], base_id),
                    base_query(&joined(&others), base_id, focus_id),
                ],
            )
        })
        .collect();
    let hidden: Vec<(&'static str, String)> =
        vec![("sets", joined(&ids)), ("base", base_id.to_string()), ("focus", focus_id.to_string())];
    let own: Vec<(&'static str, String)> = hidden.iter().cloned().chain(asked.pairs()).collect();
    let pairs: Vec<(&'static str, String)> = own.iter().cloned().chain(prefs.pairs()).collect();
    let back = listed_query(&own);
    let mut chart = chart_of(l, e, prefs, focus, tracks(l, channels, asked, prefs));
    let order = by_peak(l);
    let columns = columns_shown(l, prefs, asked);
    if prefs.theme == "dark" {
        chart.scale = CELL_SCALE;
    }
    let mut caveats: Vec<(String, String)> = focus.map_or_else(Vec::new, |f| {
        l.comparisons[f].notes.iter().map(|n| (tag(n).to_owned(), caveat(n, &to))).collect()
    });
    if let Some(c) = not_drawn(l, asked.along) {
        caveats.insert(0, c);
    }
    LineUpPage {
        shell: Shell::new("Line-up", &prefs.theme, "lineup"),
        day_id: first.day_id,
        vehicle: first.vehicle.clone(),
        date: prefs.written.date(first.date),
        title: format!("{} against {}", count(l.sets.len() - 1, "set"), name_of(l, l.base)),
        sentence,
        second,
        limit_sentence,
        limit_warn,
        more: caveats.split_off(caveats.len().min(2)),
        caveats,
        chart: lineup_svg(&chart, Paint::Page),
        data: data_json(&chart),
        rows,
        figure_heads: columns
            .iter()
            .copied()
            .map(|f| format!("{}, {}", place_of(f, l), unit_of(f, prefs)))
            .collect(),
        largest_heads: largest_heads(l, prefs),
        not_known: not_known(l),
        view: view_setting(l, asked.view),
        band: l.settings.band_rpm.map_or_else(String::new, band_words),
        axes: axes(l, &hidden, asked),
        at: l.settings.at_rpm.map_or(String::new(), |r| format!("{r:.0}")),
        asks_band: matches!(asked.view, Figure::BandMeanPower | Figure::BandMeanTorque),
        asks_at: matches!(asked.view, Figure::PowerAt | Figure::TorqueAt),
        across: asked.across.clone(),
        gears_differ: l.comparisons.iter().any(|c| c.confounding.factors_differ.iter().any(|f| f == "gear")),
        suggestions: looked_at.map_or_else(Vec::new, |c| suggestions(l, c)),
        corners: looked_at.map_or_else(Vec::new, |c| corners(l, c)),
        split: looked_at.and_then(|c| split_view(l, c, asked.view, prefs)),
        price: looked_at.map_or_else(String::new, |c| price_words(l, c, prefs)),
        vehicle_id: l.vehicle.id,
        query: back.clone(),
        by: place_of(asked.view, l),
        figures: order.iter().map(|i| figure_row(l, e, prefs, *i, (&back, &columns))).collect(),
        matrix: matrix(&l.vehicle, &limit_columns(l, e, &order), prefs),
        crossover: looked_at.and_then(|c| crossover_sentence(c, &l.results, &to)).unwrap_or_default(),
        speeds: speed_table(l, prefs, &order, &|i| e.tone(&l.sets[i].set).name()),
        steps: steps_view(l, asked, &to),
        choose: None,
        held: looked_at.map_or_else(HeldView::default, |c| held_view(l, c, (asked, channels), prefs, &to)),
        decimal: if prefs.written.decimal_comma { "," } else { "." },
        columns: column_links(l, &hidden, asked, &columns),
        quantities: quantity_links(&own, prefs),
        lanes: lane_links(l, &hidden, asked),
        minus: minus_link(&hidden, asked),
        channels: channel_tables(l, channels, asked, prefs, (&order, &|i| e.tone(&l.sets[i].set).name())),
        focus_name: name_of(l, shown),
        same: same_within(prefs),
        settings: settings(prefs),
        link: listed_query(&pairs),
        hidden: own,
        unit: unit_of(asked.view, prefs),
        plan: can_show(l, focus, asked, prefs),
        state: state_rows(l, shown, prefs),
    }
}

/// What stands under the answer: the other quantity where both are shown, and a larger gain that does not head
/// the line-up.
fn second_sentence(
    l: &LineUp,
    prefs: &Prefs,
    asked: &LineUpAsked,
    focus: usize,
    to: &Speech<'_>,
) -> Option<String> {
    let c = &l.comparisons[focus];
    let beside = (prefs.shown == Shown::Both).then(|| {
        let f = Figure::PeakTorque;
        beside_sentence(c, f, &sentence_case(&place_of(f, l)), (unit_of(f, prefs), &|v| in_unit(f, v, prefs)))
    });
    // Where a person chose the set, it is theirs to know.
    let larger =
        asked.focus.is_none().then(|| larger(l, focus, prefs.shown.leads())).flatten().map(|(i, why)| {
            let other = &l.comparisons[i];
            let why = match why {
                WhyNot::Over => tightest(&l.verdicts[other.candidate], &l.vehicle.limits, prefs.units()).0,
                WhyNot::CantTell => "it cannot be told from the baseline".to_owned(),
                WhyNot::Unmeasured { n, of } => without_verdict(n, of),
            };
            larger_sentence(other, &l.results, to, prefs.shown.leads(), &why)
        });
    let all: Vec<String> = beside.into_iter().chain(larger).collect();
    (!all.is_empty()).then(|| all.join(" "))
}

/// Power, torque or both, as switches.
fn quantity_links(own: &[(&'static str, String)], prefs: &Prefs) -> Vec<AxisLink> {
    let link = |s: Shown| {
        let pairs = own.iter().cloned().chain([("show", s.id().to_owned()), ("keep", "1".to_owned())]);
        format!("/line-up?{}", listed_query(&pairs.collect::<Vec<_>>()))
    };
    Shown::ALL.into_iter().map(|s| AxisLink { href: link(s), label: s.id(), on: s == prefs.shown }).collect()
}

/// Channels as they are, or less the baseline's; nothing to switch without lanes.
fn minus_link(hidden: &[(&'static str, String)], asked: &LineUpAsked) -> Option<(String, bool)> {
    (!asked.lanes.is_empty()).then(|| {
        let other = LineUpAsked { minus: !asked.minus, ..asked.clone() };
        let pairs: Vec<(&'static str, String)> = hidden.iter().cloned().chain(other.pairs()).collect();
        (format!("/line-up?{}", listed_query(&pairs)), asked.minus)
    })
}

/// Which figures are missing, and why.
fn not_known(l: &LineUp) -> String {
    let all: Vec<String> = Figure::ALL
        .into_iter()
        .filter_map(|f| missing(f, l).map(|why| format!("{}: {why}", f.label())))
        .collect();
    if all.is_empty() { String::new() } else { format!("Not known: {}.", all.join("; ")) }
}

fn view_setting(l: &LineUp, view: Figure) -> Setting {
    let choices = Figure::ALL.into_iter().filter(|f| missing(*f, l).is_none() || *f == view);
    let each =
        choices.map(|f| Choice { id: f.id().into(), label: f.label().into(), on: f == view }).collect();
    Setting::new("view", "Compared by", each)
}

/// Axes that any set of the line-up can be drawn along, as links; road speed only where it was logged.
fn axes(l: &LineUp, hidden: &[(&'static str, String)], asked: &LineUpAsked) -> Vec<AxisLink> {
    let logged = l.measured.iter().flatten().any(|m| m.grid.road_kmh.is_some());
    let offered = Along::ALL.into_iter().filter(|a| *a != Along::RoadSpeed || logged || *a == asked.along);
    let link = |along: Along| {
        let pairs: Vec<(&'static str, String)> =
            hidden.iter().cloned().chain(LineUpAsked { along, ..asked.clone() }.pairs()).collect();
        format!("/line-up?{}", listed_query(&pairs))
    };
    offered.map(|a| AxisLink { href: link(a), label: a.label(), on: a == asked.along }).collect()
}

/// Sets from the highest peak down: the order of the names at the line ends, shared by legend and table.
pub(crate) fn by_peak(l: &LineUp) -> Vec<usize> {
    let peak = |i: usize| l.results[i].figure(Figure::PeakPower).headline.unwrap_or(f64::NEG_INFINITY);
    let mut order: Vec<usize> = (0..l.sets.len()).collect();
    order.sort_by(|a, b| peak(*b).total_cmp(&peak(*a)));
    order
}

/// `shown` is the set looked at, by that figure.
fn set_row(
    l: &LineUp,
    e: &Encoding,
    prefs: &Prefs,
    i: usize,
    (shown, view): (usize, Figure),
    links: [String; 3],
) -> SetRow {
    let (s, r) = (&l.sets[i].set, &l.results[i]);
    let own = r.figure(view);
    let c = l.comparisons.iter().find(|c| c.candidate == i).and_then(|c| c.figure(view));
    let (u, v) = (unit_of(view, prefs), |x: f64| in_unit(view, x, prefs));
    let name = if matches!(view, Figure::PeakPower | Figure::PeakTorque) { "peak " } else { "" };
    let (limit, loud) = tightest(&l.verdicts[i], &l.vehicle.limits, prefs.units());
    let [focus_link, base_link, drop_link] = links;
    SetRow {
        id: s.id,
        tag: SetTag { fuel: detail_of(l, i), ..e.tag(s, i == l.base, &l.verdicts[i]) },
        gain: match c {
            None => "baseline".into(),
            Some(f) => match (f.difference, half(f)) {
                (Some(d), Some(h)) => format!("{} ±{:.1}", signed(v(d)), v(h)),
                (Some(d), None) => format!("{} ±?", signed(v(d))),
                _ => "–".into(),
            },
        },
        verdict: c.map_or("", |f| f.verdict.label()),
        figure: own
            .headline
            .map_or_else(|| "no figure".into(), |p| format!("{name}{:.1} {u}, n {}", v(p), r.n())),
        limit,
        loud,
        baseline: i == l.base,
        focus: i == shown,
        focus_link,
        base_link,
        drop_link,
    }
}

/// In what state baseline and candidate were pulled.
fn state_rows(l: &LineUp, shown: usize, prefs: &Prefs) -> Vec<StateRow> {
    if shown == l.base {
        return Vec::new();
    }
    l.states(shown)
        .into_iter()
        .map(|d| {
            let own = d.channel.as_ref().map(|c| prefs.units().shown(c));
            // One digit more than on a gauge: means of whole pulls are compared.
            let digits = own.map_or(1, |u| u.digits.max(1));
            // Adding zero turns a negative zero into a plain one.
            let round = |v: f64| (v * 10f64.powi(digits as i32)).round() / 10f64.powi(digits as i32) + 0.0;
            let value = |v: f64| format!("{:.digits$}", round(own.map_or(v, |u| u.value(v))));
            let by = d.candidate - d.base;
            StateRow {
                label: d.label,
                values: [
                    value(d.base),
                    value(d.candidate),
                    format!("{:+.digits$}", round(own.map_or(by, |u| u.difference(by)))),
                ],
                unit: own.map_or(d.unit, |u| u.unit()),
                notable: d.notable,
            }
        })
        .collect()
}
