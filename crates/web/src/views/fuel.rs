//! Fuel and spark of a set on a page.

use super::Shell;
use super::common::{Choice, Encoding, cylinder_words, heat, query_of};
use super::cruise::{CruiseView, cruise_view};
use super::fuel_fields::FuelFields;
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::{Paint, SweepChart, SweepMark};
use jamjar_core::channel::Channel;
use jamjar_core::fuelling::cells::{Cell, Corrected, Corrections};
use jamjar_core::fuelling::paste;
use jamjar_core::maps::{Axis, Table};
use jamjar_core::words::{
    adapts_sentence, cells_sentence, cylinders_sentence, mixture_seen, recorded_spark, sentence_case,
    sweep_sentence,
};
use jamjar_workflow::cruise::Cruise;
use jamjar_workflow::fuelling::{DelayFrom, FuelRead, TargetFrom};
use jamjar_workflow::spark_sweep::SweepRead;

/// One cell of the table.
pub(crate) struct CellView {
    pub(crate) text: String,
    /// Class of its ground, by how far it is from nothing.
    pub(crate) ground: &'static str,
    pub(crate) title: String,
}

pub(crate) struct RowView {
    pub(crate) at: String,
    pub(crate) cells: Vec<CellView>,
}

/// Something a probe showed, with the way there.
pub(crate) struct SeenRow {
    pub(crate) href: String,
    pub(crate) pull: String,
    pub(crate) what: String,
    pub(crate) lean: bool,
}

#[derive(Template)]
#[template(path = "fuel.html")]
pub(crate) struct FuelPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) day_id: i64,
    pub(crate) vehicle: String,
    pub(crate) vehicle_id: i64,
    pub(crate) date: String,
    pub(crate) map: String,
    pub(crate) fuel: String,
    pub(crate) problem: String,
    pub(crate) sentence: String,
    /// Why nothing is corrected.
    pub(crate) none: String,
    pub(crate) delay: String,
    pub(crate) x: Vec<String>,
    pub(crate) down: String,
    pub(crate) down_unit: &'static str,
    pub(crate) rows: Vec<RowView>,
    pub(crate) shows: Vec<Choice>,
    pub(crate) probes: Vec<Choice>,
    pub(crate) downs: Vec<Choice>,
    pub(crate) f: FuelFields,
    pub(crate) query: String,
    /// The rest of what was asked, kept while a table is pasted.
    pub(crate) hidden: Vec<(&'static str, String)>,
    /// Factors ready to be pasted.
    pub(crate) paste: String,
    /// The pasted table before and after, the latter as text.
    pub(crate) after: Vec<Vec<(String, String, &'static str)>>,
    pub(crate) after_text: String,
    /// It was logged: nothing need be typed.
    pub(crate) target_logged: bool,
    pub(crate) target: &'static str,
    pub(crate) cut: usize,
    pub(crate) seen: Vec<SeenRow>,
    pub(crate) cylinders: String,
    pub(crate) cruise: CruiseView,
    pub(crate) facts: Vec<(&'static str, String)>,
    /// Fuels of the shop by name.
    pub(crate) own_fuels: Vec<String>,
    /// What another blend would take; blank where nobody asked.
    pub(crate) on_blend: String,
    /// A duty was logged: it can be asked.
    pub(crate) can_blend: bool,
    /// A name for a draft; blank where there is nothing to draft.
    pub(crate) draft_name: String,
    /// Power over spark: what it says, its picture, and at which speed.
    pub(crate) sweep: String,
    pub(crate) sweep_chart: String,
    pub(crate) rpm: String,
}

fn ground(share: f64) -> &'static str {
    heat(share, [0.01, 0.03, 0.06])
}

fn cell(c: &Corrected, shows: &str) -> CellView {
    let title = match c.factor {
        None => "not passed through: untouched".to_owned(),
        Some(f) => {
            let sure = c.half_width.map_or_else(
                || "one passage: how sure is not known".to_owned(),
                |h| format!("± {:.1}", 100.0 * h),
            );
            let done = match c.said {
                Cell::Unvisited => "untouched",
                Cell::TooFew => "too few hits: untouched",
                Cell::NotShown => "not beyond its confidence: untouched",
                Cell::Corrected => "corrected",
                Cell::Clamped => "corrected by as much as one step may",
            };
            format!("{:+.1} % {sure}; {:.0} hits in {} passages; {done}", 100.0 * (f - 1.0), c.hits, c.visits)
        }
    };
    let touched = matches!(c.said, Cell::Corrected | Cell::Clamped);
    let text = match (shows, c.factor) {
        (_, None) => "·".to_owned(),
        ("hits", _) => format!("{:.0}", c.hits),
        ("sure", _) => c.half_width.map_or_else(|| "?".into(), |h| format!("±{:.1}", 100.0 * h)),
        (_, Some(f)) if !touched => format!("({:+.1})", 100.0 * (f - 1.0)),
        _ if c.said == Cell::Clamped => format!("{:+.1}*", 100.0 * (c.apply - 1.0)),
        _ => format!("{:+.1}", 100.0 * (c.apply - 1.0)),
    };
    CellView {
        text,
        ground: if c.factor.is_none() {
            "none"
        } else if touched {
            ground(c.apply - 1.0)
        } else {
            "few"
        },
        title,
    }
}

/// The factors as a table of their own.
fn factors(c: &Corrections) -> Table {
    let axis = |at: &[f64]| Axis { channel: "x".into(), unit: String::new(), at: at.to_vec() };
    Table {
        name: "factors".into(),
        unit: String::new(),
        x: axis(&c.x),
        y: Some(axis(&c.y)),
        rows: (0..c.y.len()).map(|j| c.row(j).iter().map(|c| c.apply).collect()).collect(),
    }
}

fn delay_words(r: &FuelRead) -> String {
    let s = r.delay_s;
    match r.delay_from {
        DelayFrom::Fitted(f) => format!(
            "λ is read {s:.2} s late, fitted from {} steps of the target ({:.2} to {:.2} s fit as well); the probe itself lags {:.2} s",
            f.steps, f.between_s[0], f.between_s[1], f.lag_s
        ),
        DelayFrom::Typed => format!("λ is read {s:.2} s late, as typed"),
        DelayFrom::Path => {
            format!(
                "λ is read {s:.2} s late, from the flow in the middle of the pulls and a usual way to the probe"
            )
        }
        DelayFrom::Assumed => {
            format!("λ is taken to be read {s:.2} s late: no step of the target and no air flow shows it")
        }
    }
}

/// The sweep of spark: a sentence, and its picture where there is something to draw.
fn swept(s: &SweepRead, e: &Encoding, prefs: &Prefs) -> (String, String) {
    let read = |kw: f64| prefs.power.from_kw(kw);
    let mark = |p: &jamjar_workflow::spark_sweep::SweptPull| SweepMark {
        deg: p.point.spark_deg,
        value: read(p.point.value),
        colour: e.tone(&s.sets[p.set]).name(),
        retarded: p.point.retard_deg >= jamjar_core::spark::sweep::RETARDED_DEG,
        label: s.sets[p.set].config.map.clone(),
    };
    let fit = s.sweep.as_ref().ok().and_then(|w| w.fit);
    let words = match &s.sweep {
        Ok(w) => sweep_sentence(w, prefs.power.label(), read),
        Err(few) => format!(
            "{} distinct angles of delivered spark do not make a sweep: it takes four, in sets of one day that differ in spark alone.",
            few.angles
        ),
    };
    let words = match s.other {
        0 => words,
        n => {
            format!("{words} {n} pulls of other maps are left out: their boost or mixture is another there.")
        }
    };
    let chart = SweepChart {
        value: format!("power at {:.0} rpm, {}", s.rpm, prefs.power.label()),
        marks: s.pulls.iter().map(mark).collect(),
        fit: fit.map(|f| (f.vertex_deg, read(f.vertex_value), read(f.curvature))),
        best: fit.and_then(|f| f.vertex_ci95),
    };
    (words, if s.pulls.len() < 2 { String::new() } else { chart.svg(Paint::Page) })
}

pub(crate) fn fuel_page(
    r: &FuelRead,
    f: &FuelFields,
    prefs: &Prefs,
    table: Option<(Table, Table)>,
    (sweep, cruise, e): (&SweepRead, &Cruise, &Encoding),
    problem: String,
) -> FuelPage {
    let c = &r.set.config;
    let choice = |id: &str, label: String, on: bool| Choice { id: id.to_owned(), label, on };
    let shows = if matches!(f.cells.as_str(), "hits" | "sure") { f.cells.as_str() } else { "factor" };
    let cells = r.cells.as_ref().ok();
    let label = |c: &Channel| cylinder_words(c, &r.vehicle.sheet.cylinders);
    let mut probes = vec![choice("", "every probe together".into(), f.probe.is_empty())];
    probes.extend(r.probes.iter().map(|p| choice(p.as_str(), label(p), f.probe == p.as_str())));
    let names: Vec<String> = r.probes.iter().map(|c| cylinder_words(c, &r.vehicle.sheet.cylinders)).collect();
    let row = |j: usize, c: &Corrections| RowView {
        at: c.y[j].to_string(),
        cells: c.row(j).iter().map(|x| cell(x, shows)).collect(),
    };
    let digits = |t: &Table| if t.max() >= 20.0 { 1 } else { 3 };
    let (after, after_text) = table.as_ref().map_or_else(Default::default, |(b, a)| {
        let d = digits(b);
        let pair =
            |(was, now): (&f64, &f64)| (format!("{was:.d$}"), format!("{now:.d$}"), ground(now / was - 1.0));
        let row = |(was, now): (&Vec<f64>, &Vec<f64>)| was.iter().zip(now).map(pair).collect();
        (b.rows.iter().zip(&a.rows).map(row).collect(), paste::write(a, d, false, '\t'))
    });
    let seen = r.seen.iter().flat_map(|p| {
        p.seen.iter().map(|(channel, s)| {
            let at = s.rpm.map_or_else(String::new, |n| format!(" at {:.0} rpm", (n / 10.0).round() * 10.0));
            let near = s.rpm.map_or_else(String::new, |n| {
                format!("&from={:.0}&to={:.0}", (n - 400.0).max(0.0), n + 400.0)
            });
            SeenRow {
                href: format!("/pulls/{}?axis=rpm&lanes=mixture,pressure{near}", p.pull_id),
                pull: format!("pull {}", p.position),
                what: format!(
                    "{} {}{at}, for {:.1} s",
                    label(channel),
                    mixture_seen(&s.what),
                    s.to_s - s.from_s
                ),
                lean: matches!(s.what, jamjar_core::fuelling::seen::What::Lean { fuel_was_cut: false, .. }),
            }
        })
    });
    let mut facts: Vec<(&'static str, String)> = Vec::new();
    if let Some((duty, rpm, _)) = r.duty {
        let at = rpm.map_or_else(String::new, |n| format!(" at {n:.0} rpm"));
        facts.push(("Injector duty", format!("{duty:.1} %{at} at most")));
    }
    if let Some((s, _)) = &r.sag {
        facts.push((
            "Pressure across the injectors",
            format!(
                "{:.0} kPa held, {:.0} at least: {:.1} % lost",
                s.held_kpa,
                s.lowest_kpa,
                100.0 * s.share
            ),
        ));
    }
    facts.extend(r.recorded.map(|k| ("Spark", sentence_case(recorded_spark(k)))));
    facts.extend(r.adapts.map(|a| ("Learning", adapts_sentence(a))));
    let rest = [
        ("probe", &f.probe),
        ("y", &f.y),
        ("x_at", &f.x_at),
        ("y_at", &f.y_at),
        ("hits", &f.hits),
        ("clamp", &f.clamp),
        ("only", &f.only),
        ("target", &f.target),
        ("delay", &f.delay),
        ("cells", &f.cells),
        ("flow", &f.flow),
        ("flow_at", &f.flow_at),
        ("dead", &f.dead),
        ("blend", &f.blend),
    ];
    let hidden: Vec<(&'static str, String)> =
        rest.into_iter().filter(|v| !v.1.is_empty()).map(|(k, v)| (k, v.clone())).collect();
    let (sweep_words, sweep_chart) = swept(sweep, e, prefs);
    FuelPage {
        shell: Shell::new(format!("Fuel and spark, {} on {}", c.map, c.fuel), &prefs.theme, "day"),
        id: r.set.id,
        day_id: r.day.id,
        vehicle: r.set.vehicle.clone(),
        vehicle_id: r.vehicle.id,
        date: prefs.written.date(r.day.date),
        map: c.map.clone(),
        fuel: c.fuel.clone(),
        problem,
        sentence: cells.map(cells_sentence).unwrap_or_default(),
        none: r.cells.as_ref().err().map_or_else(String::new, |e| sentence_case(e)),
        delay: delay_words(r),
        x: cells.map_or_else(Vec::new, |c| c.x.iter().map(ToString::to_string).collect()),
        down: r.y.as_ref().map_or_else(String::new, Channel::label),
        down_unit: r.y.as_ref().map_or("", Channel::unit),
        rows: cells.map_or_else(Vec::new, |c| (0..c.y.len()).rev().map(|j| row(j, c)).collect()),
        shows: [("factor", "per cent of fuel"), ("hits", "hits"), ("sure", "confidence")]
            .into_iter()
            .map(|(id, label)| choice(id, label.into(), id == shows))
            .collect(),
        probes,
        downs: r.downs.iter().map(|d| choice(d.as_str(), label(d), Some(d) == r.y.as_ref())).collect(),
        f: f.clone(),
        query: query_of(&hidden),
        hidden,
        sweep: sweep_words,
        sweep_chart,
        rpm: format!("{:.0}", sweep.rpm),
        paste: cells.map_or_else(String::new, |c| paste::write(&factors(c), 4, false, '\t')),
        after,
        after_text,
        target_logged: r.target_from == Some(TargetFrom::Logged),
        target: match r.target_from {
            Some(TargetFrom::Logged) => "Its target was logged.",
            Some(TargetFrom::Map) => "Its target is the table of the map file in custody.",
            Some(TargetFrom::Typed) => "Its target was typed: one λ for full load.",
            None => "",
        },
        cut: r.cut,
        seen: seen.collect(),
        cylinders: r.cylinders.as_ref().map_or_else(String::new, |c| cylinders_sentence(c, &names)),
        cruise: cruise_view(r, cruise, f, e),
        facts,
        own_fuels: Vec::new(),
        on_blend: String::new(),
        can_blend: r.duty.is_some(),
        draft_name: cells.filter(|c| c.count(Cell::Corrected) + c.count(Cell::Clamped) > 0).map_or_else(
            String::new,
            |_| {
                if f.draft.is_empty() { format!("{} fuel", c.map) } else { f.draft.clone() }
            },
        ),
    }
}
