//! Where to shift and what it would run, with each map.

use super::Shell;
use super::common::{Encoding, count};
use crate::prefs::Prefs;
use askama::Template;
use jamjar_chart::{Paint, TractionChart, TractionLine};
use jamjar_core::calculators::slip::{Slip, apart};
use jamjar_core::calculators::traction::{resistance_n, road_speed_kmh, tractive};
use jamjar_core::signal::interp::linear_clamped;
use jamjar_core::words::{raised_sentence, slips_sentence, strip_sentence, wanted_sentence};
use jamjar_store::{SetWithPulls, SlipRecord};
use jamjar_workflow::on_road::{Asked, OnRoad, RAISED_RPM, Road, slip_of};

/// A place for a set, and the one that stands there.
pub(crate) struct Place {
    pub(crate) key: &'static str,
    pub(crate) chosen: i64,
}

/// A set to choose, for each of the places.
pub(crate) struct SetChoice {
    pub(crate) id: i64,
    pub(crate) label: String,
}

/// A row of a small table: what, and a cell a set.
pub(crate) struct Row {
    pub(crate) what: String,
    pub(crate) cells: Vec<String>,
}

/// A slip in the list.
pub(crate) struct SlipRow {
    pub(crate) id: i64,
    pub(crate) name: String,
    /// Times and speeds at the marks, in the order of the table, a dash where it does not say; beside each what the
    /// measured curve would show, blank where none is of its map and fuel.
    pub(crate) cells: Vec<[String; 2]>,
    pub(crate) about: String,
}

#[derive(Template)]
#[template(path = "road.html")]
pub(crate) struct RoadPage {
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) answer: String,
    pub(crate) raised: String,
    /// The limit asked for lies beyond what was measured; blank where it does not.
    pub(crate) beyond: String,
    pub(crate) lacks: String,
    pub(crate) chart: String,
    pub(crate) heads: Vec<(String, &'static str)>,
    pub(crate) shifts: Vec<Row>,
    pub(crate) strip: Vec<Row>,
    pub(crate) choices: Vec<SetChoice>,
    /// Places for sets.
    pub(crate) places: Vec<Place>,
    pub(crate) slips: Vec<SlipRow>,
    /// The newest slip against the one before.
    pub(crate) slips_said: String,
    pub(crate) speed_unit: &'static str,
    pub(crate) today: String,
    /// Maps and fuels that were pulled.
    pub(crate) maps: Vec<String>,
    pub(crate) fuels: Vec<String>,
    /// What a wanted time takes; blank where nobody asked.
    pub(crate) wanted: String,
    /// Mass, grip, driven share, launch, pause, limit and wanted time as they stand in the form.
    pub(crate) fields: [String; 7],
}

fn name(s: &SetWithPulls) -> String {
    let c = &s.set.config;
    let rest: Vec<&str> =
        [c.boost.as_str(), c.build.as_str()].into_iter().filter(|r| !r.is_empty()).collect();
    let rest = if rest.is_empty() { String::new() } else { format!(" ({})", rest.join(", ")) };
    format!("{} on {}{rest}", c.map, c.fuel)
}

fn short(o: &OnRoad) -> String {
    let c = &o.set.stored.set.config;
    format!("{} on {}", c.map, c.fuel)
}

fn chart(r: &Road, e: &Encoding, prefs: &Prefs) -> String {
    let k = prefs.speed.from_kmh(1.0);
    let line = |o: &OnRoad| {
        let i = &o.input;
        let overall = |g: &f64| g * i.final_drive;
        let force =
            |overall: f64| tractive(&i.rpm, &i.torque_nm, overall, i.tyre_radius_m, i.drivetrain_efficiency);
        let shown = |(v, f): &(f64, f64)| (k * v, f / 1000.0);
        let shift = |(s, g): (&jamjar_core::calculators::shift::Shift, &f64)| {
            let torque = linear_clamped(&i.rpm, &i.torque_nm, s.upshift_rpm).unwrap_or(0.0);
            let f = torque * overall(g) * i.drivetrain_efficiency / i.tyre_radius_m;
            (k * road_speed_kmh(s.upshift_rpm, overall(g), i.tyre_radius_m), f / 1000.0)
        };
        let set = &o.set.stored.set;
        TractionLine {
            label: short(o),
            colour: e.tone(set).name(),
            dash: e.dash(set),
            width: if set.config.map_kind == "stock" { 1.6 } else { 2.6 },
            gears: i.gears.iter().map(|g| force(overall(g)).iter().map(shown).collect()).collect(),
            shifts: o.shifts.iter().zip(&i.gears).map(shift).collect(),
        }
    };
    let resistance = r.shown.first().map_or_else(Vec::new, |o| {
        (0..=80).map(|s| 5.0 * f64::from(s)).map(|v| (k * v, resistance_n(&o.input, v) / 1000.0)).collect()
    });
    let unit = prefs.speed.label();
    TractionChart { lines: r.shown.iter().map(line).collect(), resistance, unit }.svg(Paint::Page)
}

fn shift_rows(r: &Road, prefs: &Prefs) -> Vec<Row> {
    let most = r.shown.iter().map(|o| o.shifts.len()).max().unwrap_or(0);
    let u = prefs.power;
    let cell = |o: &OnRoad, k: usize| {
        let Some(s) = o.shifts.get(k) else { return "–".to_owned() };
        let mean = o.between_kw.get(k).copied().flatten();
        let mean = mean.map_or_else(
            || "not measured between".to_owned(),
            |p| format!("{:.1} {} between", u.from_kw(p), u.label()),
        );
        let at_limit =
            if s.upshift_rpm >= o.input.shift_rpm - 0.5 { ", at the end of its curve" } else { "" };
        format!("{:.0} → {:.0} rpm, {mean}{at_limit}", s.upshift_rpm, s.after_rpm)
    };
    (0..most)
        .map(|k| Row {
            what: format!("{} → {}", k + 1, k + 2),
            cells: r.shown.iter().map(|o| cell(o, k)).collect(),
        })
        .collect()
}

fn strip_rows(r: &Road, prefs: &Prefs) -> Vec<Row> {
    let speed = prefs.speed;
    let cell = |o: &OnRoad, k: usize| match &o.strip {
        Err(why) => why.clone(),
        Ok(e) => {
            let (v, h) = (e.values()[k], e.half_widths()[k]);
            if k == 2 || k == 4 {
                format!("{:.1} ± {:.1} {}", speed.from_kmh(v), speed.from_kmh(h), speed.label())
            } else {
                format!("{v:.2} ± {h:.2} s")
            }
        }
    };
    ["18 m", "201 m", "speed there", "402 m", "speed there"]
        .into_iter()
        .enumerate()
        .map(|(k, what)| Row { what: what.into(), cells: r.shown.iter().map(|o| cell(o, k)).collect() })
        .collect()
}

/// Where a limit was typed that no curve reaches.
fn beyond(r: &Road) -> String {
    let ends =
        r.shown.iter().filter_map(|o| o.input.rpm.last().filter(|top| o.input.shift_rpm > **top + 0.5));
    ends.copied().reduce(f64::min).map_or_else(String::new, |top| {
        format!(
            "Nothing was measured above {top:.0} rpm: torque is held there, and what comes of it is a guess."
        )
    })
}

fn slip_name(s: &SlipRecord, prefs: &Prefs) -> String {
    let fuel = if s.fuel.is_empty() { String::new() } else { format!(" on {}", s.fuel) };
    let at = s.at_time.map_or_else(String::new, |t| format!(" {}", t.format("%H:%M")));
    format!("{}{fuel}, {}{at}", s.map, prefs.written.date(s.on_date))
}

fn slip_cells(s: &Slip, prefs: &Prefs) -> [String; 5] {
    let time = |t: Option<f64>| t.map_or_else(|| "–".to_owned(), |t| format!("{t:.2} s"));
    let speed = |v: Option<f64>| {
        v.map_or_else(
            || "–".to_owned(),
            |v| format!("{:.1} {}", prefs.speed.from_kmh(v), prefs.speed.label()),
        )
    };
    [time(s.t18_s), time(s.t201_s), speed(s.v201_kmh), time(s.t402_s), speed(s.v402_kmh)]
}

fn slip_row(s: &SlipRecord, estimate: Option<&Slip>, prefs: &Prefs) -> SlipRow {
    let own = slip_cells(&slip_of(s), prefs);
    let beside = estimate.map_or_else(Default::default, |e| slip_cells(e, prefs));
    let mut about = vec![format!("rollout {} m", s.rollout_m)];
    about.extend(s.launch_rpm.map(|n| format!("launch {n:.0} rpm")));
    about.extend(s.temperature_c.map(|t| format!("{t} °C")));
    about.extend(s.pressure_hpa.map(|p| format!("{p} hPa")));
    about.extend([&s.place, &s.note].into_iter().filter(|w| !w.is_empty()).cloned());
    SlipRow {
        id: s.id.unwrap_or_default(),
        name: slip_name(s, prefs),
        cells: own.into_iter().zip(beside).map(|(a, b)| [a, b]).collect(),
        about: about.join(", "),
    }
}

/// The newest slip against the one before it.
fn slips_said(r: &Road, prefs: &Prefs) -> String {
    let [(new, _), (old, _), ..] = r.slips.as_slice() else { return String::new() };
    let speed = |v: f64| format!("{:.1} {}", prefs.speed.from_kmh(v), prefs.speed.label());
    let d = apart(&slip_of(old), &slip_of(new));
    slips_sentence(&slip_name(old, prefs), &slip_name(new, prefs), &d, speed)
}

fn wanted(r: &Road, prefs: &Prefs) -> String {
    let Some(w) = &r.wanted else { return String::new() };
    let (of, peak) = (short(&r.shown[w.of.0]), w.of.1);
    let own = w.mildest.as_ref().map(|(s, t)| (name(s), *t));
    let own = own.as_ref().map(|(s, t)| (s.as_str(), *t));
    wanted_sentence(w.seconds, (&of, peak), &w.found, own, |kw| prefs.power.say(kw))
}

fn answer(r: &Road) -> String {
    let estimates: Vec<_> = r.shown.iter().filter_map(|o| Some((short(o), o.strip.as_ref().ok()?))).collect();
    match &estimates[..] {
        [] if r.choices.is_empty() => "Nothing has been pulled yet.".into(),
        [] if !r.lacks.is_empty() => "What it would do on the road can't be told yet.".into(),
        [] => "No standing start comes out of these inputs.".into(),
        [(name, e)] => strip_sentence(name, e, None),
        [(base, a), .., (name, b)] => strip_sentence(name, b, Some((base, a))),
    }
}

pub(crate) fn road_page(r: &Road, asked: &Asked, e: &Encoding, prefs: &Prefs) -> RoadPage {
    let prefs = &prefs.fitting(&r.vehicle.vehicle.engine);
    let raised = r
        .shown
        .last()
        .and_then(|o| Some(raised_sentence(RAISED_RPM, &o.strip.as_ref().ok()?.run, o.raised.as_ref()?)));
    let number = |v: f64, digits: usize| if v.is_finite() { format!("{v:.digits$}") } else { String::new() };
    let [mass, grip, driven, launch, pause] = r.with;
    let ids: Vec<i64> = r.shown.iter().map(|o| o.set.stored.set.id).collect();
    RoadPage {
        shell: Shell::new(format!("Road and strip, {}", r.vehicle.vehicle.name), &prefs.theme, "vehicles"),
        id: r.vehicle.id,
        vehicle: r.vehicle.vehicle.name.clone(),
        answer: answer(r),
        raised: raised.unwrap_or_default(),
        beyond: beyond(r),
        wanted: wanted(r, prefs),
        slips: r.slips.iter().map(|(s, e)| slip_row(s, e.as_ref(), prefs)).collect(),
        slips_said: slips_said(r, prefs),
        speed_unit: prefs.speed.label(),
        today: chrono::Local::now().date_naive().to_string(),
        maps: e.maps.clone(),
        fuels: e.fuels.clone(),
        lacks: r.lacks.join(", "),
        chart: chart(r, e, prefs),
        heads: r.shown.iter().map(|o| (short(o), e.tone(&o.set.stored.set).name())).collect(),
        shifts: shift_rows(r, prefs),
        strip: strip_rows(r, prefs),
        choices: r
            .choices
            .iter()
            .map(|s| SetChoice {
                id: s.set.id,
                label: format!(
                    "{}, {}, {}",
                    name(s),
                    prefs.written.date(s.set.date),
                    count(s.pulls.len(), "pull")
                ),
            })
            .collect(),
        places: ["a", "b", "c"]
            .into_iter()
            .enumerate()
            .map(|(k, key)| Place { key, chosen: ids.get(k).copied().unwrap_or(0) })
            .collect(),
        fields: [
            number(mass, 0),
            number(grip, 2),
            number(driven, 2),
            number(launch, 0),
            number(pause, 2),
            asked.limit_rpm.map_or_else(String::new, |l| number(l, 0)),
            asked.wanted_s.map_or_else(String::new, |s| number(s, 2)),
        ],
    }
}
