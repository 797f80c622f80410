//! Vehicle pages: what it is, what limits it, what it is quoted at, its build states, maps and days.

use super::Shell;
use super::common::{
    AttachedRow, KeptRow, PlanRow, against_quoted_words, assignments, attached_rows, count, kept_rows,
    named_with_unit, plan_rows,
};
use super::limits::{LimitInWords, in_words};
use crate::prefs::Prefs;
use crate::seen::mark;
use crate::written::Written;
use askama::Template;
use chrono::NaiveDate;
use jamjar_core::analysis::Ignition;
use jamjar_core::driven::Driven;
use jamjar_core::factors::crossed::Crossing;
use jamjar_core::software::{UnitSoftware, units};
use jamjar_core::vehicle_sheet::VehicleSheet;
use jamjar_store::{
    Attachment, BuildState, Contact, Day, HeldFile, KeptLineUp, LentMap, MapRecord, PlanItem, VehicleRecord,
};

pub(crate) struct VehicleRow {
    pub(crate) id: i64,
    pub(crate) name: String,
    pub(crate) model: String,
    pub(crate) engine: String,
    pub(crate) dyno: String,
    pub(crate) days: String,
    pub(crate) last: String,
    pub(crate) demo: bool,
}

#[derive(Template)]
#[template(path = "vehicles.html")]
pub(crate) struct VehiclesPage {
    pub(crate) shell: Shell,
    pub(crate) rows: Vec<VehicleRow>,
}

pub(crate) struct GearRow {
    pub(crate) gear: usize,
    pub(crate) ratio: String,
    pub(crate) overall: String,
    pub(crate) kmh: String,
}

pub(crate) struct MapRow {
    pub(crate) name: String,
    pub(crate) kind: String,
    pub(crate) parent: String,
    pub(crate) id: i64,
    pub(crate) price: String,
    pub(crate) for_fuel: String,
    pub(crate) note: String,
    pub(crate) file: Option<HeldFile>,
    pub(crate) sets: String,
    pub(crate) lent: bool,
}

pub(crate) struct BuildRow {
    pub(crate) id: i64,
    pub(crate) name: String,
    pub(crate) since: String,
    pub(crate) changed: String,
    pub(crate) sets: String,
}

pub(crate) struct DayLine {
    pub(crate) id: i64,
    pub(crate) date: String,
    pub(crate) place: String,
    pub(crate) sets: String,
    pub(crate) note: String,
}

#[derive(Template)]
#[template(path = "vehicle.html")]
pub(crate) struct VehiclePage {
    pub(crate) archived: bool,
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) name: String,
    pub(crate) model: String,
    pub(crate) facts: Vec<(String, String)>,
    /// Whose it is.
    pub(crate) contact: Contact,
    pub(crate) diesel: bool,
    pub(crate) quoted: String,
    pub(crate) gears: Vec<GearRow>,
    pub(crate) limits: Vec<LimitInWords>,
    /// What is computed: its words with the unit, and how.
    pub(crate) computed: Vec<(String, String)>,
    /// Limits nobody has looked at.
    pub(crate) starting: usize,
    pub(crate) sheet_seen: String,
    pub(crate) templates: Vec<(&'static str, &'static str)>,
    pub(crate) maps: Vec<MapRow>,
    pub(crate) builds: Vec<BuildRow>,
    pub(crate) days: Vec<DayLine>,
    pub(crate) counts: String,
    pub(crate) form: SheetForm,
    pub(crate) unit: &'static str,
    pub(crate) problem: String,
    pub(crate) elsewhere: Vec<LentMap>,
    pub(crate) attached: Vec<AttachedRow>,
    pub(crate) attach_to: Vec<(String, String)>,
    pub(crate) kept: Vec<KeptRow>,
    pub(crate) plan: Vec<PlanRow>,
}

/// The sheet as it stands in the form.
#[derive(Default, Clone)]
pub(crate) struct SheetForm {
    pub(crate) model: String,
    pub(crate) plate: String,
    pub(crate) mass_kg: String,
    pub(crate) drive: String,
    pub(crate) gearbox: String,
    pub(crate) final_drive: String,
    pub(crate) gears: String,
    pub(crate) reference_gear: String,
    pub(crate) learned: String,
    pub(crate) software: String,
    pub(crate) tyre: String,
    pub(crate) tyre_radius_m: String,
    pub(crate) drag_area_m2: String,
    pub(crate) quoted_power_kw: String,
    pub(crate) quoted_at: String,
    pub(crate) quoted_torque_nm: String,
    pub(crate) driven: String,
    pub(crate) limits_it: String,
    pub(crate) cylinders: String,
}

fn plain(v: Option<f64>) -> String {
    v.map_or_else(String::new, |v| v.to_string())
}

/// Engine in words: "1.6 L, 3 cylinders, spark, turbocharged".
pub(crate) fn engine_words(v: &VehicleRecord) -> String {
    let e = &v.vehicle.engine;
    let word = |v: serde_json::Result<serde_json::Value>| {
        v.ok().and_then(|v| v.as_str().map(|s| s.replace('_', " "))).unwrap_or_default()
    };
    let mut parts: Vec<String> = Vec::new();
    parts.extend(e.displacement_l.map(|d| format!("{d} L")));
    parts.extend(e.cylinders.map(|c| count(c as usize, "cylinder")));
    parts.push(format!("{} ignition", word(serde_json::to_value(e.ignition))));
    parts.push(word(serde_json::to_value(e.aspiration)));
    parts.join(", ")
}

fn dyno_words(v: &VehicleRecord) -> String {
    let d = &v.vehicle.dyno;
    let kind = serde_json::to_value(d.kind)
        .ok()
        .and_then(|v| v.as_str().map(|s| s.replace('_', " ")))
        .unwrap_or_default();
    let mut parts = vec![format!("{kind}, power {}", d.kind.place())];
    parts.extend(d.overall_ratio.map(|k| format!("engine turns {k} times as fast as the dyno shaft")));
    parts.extend(d.inertia_kg_m2.map(|i| format!("dyno inertia {i} kg·m²")));
    parts.extend(d.rotating_inertia_kg_m2.map(|i| format!("engine and driveline {i} kg·m²")));
    parts.join(", ")
}

pub(crate) fn vehicle_row(
    v: &VehicleRecord,
    days: Option<&(usize, NaiveDate)>,
    written: &Written,
) -> VehicleRow {
    VehicleRow {
        id: v.id,
        name: v.vehicle.name.clone(),
        model: v.sheet.model.clone(),
        engine: engine_words(v),
        dyno: v.vehicle.dyno.kind.place().to_owned(),
        days: count(days.map_or(0, |d| d.0), "day"),
        last: days.map_or_else(|| "never".into(), |d| written.date(d.1)),
        demo: v.demo,
    }
}

/// Learned gears as people type them: “3 = 5.36, 4 = 4.1”.
fn learned_words(s: &VehicleSheet) -> String {
    s.learned.iter().map(|(g, k)| format!("{g} = {k}")).collect::<Vec<_>>().join(", ")
}

/// “A17 since 3 March 2026, A14 before”.
fn software_words(u: &UnitSoftware, written: &Written) -> String {
    let since = u.since.map_or_else(String::new, |d| format!(" since {}", written.date(d)));
    let before = u.before.as_ref().map_or_else(String::new, |b| format!(", {b} before"));
    format!("{}{since}{before}", u.version)
}

/// Where a sheet says something else than what was typed: what it says, field by field.
pub(crate) fn sheet_differences(now: &VehicleSheet, typed: &VehicleSheet) -> String {
    let number = |v: Option<f64>, unit: &str| v.map_or_else(String::new, |v| format!("{v} {unit}"));
    let fields = |s: &VehicleSheet| {
        [
            ("model", s.model.clone()),
            ("plate", s.plate.clone()),
            ("mass", number(s.mass_kg, "kg")),
            ("drive", s.drive.clone()),
            ("gearbox", s.gearbox.clone()),
            ("final drive", number(s.final_drive, "")),
            ("gear of the dyno's ratio", s.reference_gear.map_or_else(String::new, |g| g.to_string())),
            ("gears", s.gears.iter().map(ToString::to_string).collect::<Vec<_>>().join(" ")),
            ("learned gears", learned_words(s)),
            ("software", assignments(&s.software)),
            ("tyre", s.tyre.clone()),
            ("rolling radius", number(s.tyre_radius_m, "m")),
            ("drag area", number(s.drag_area_m2, "m²")),
            ("quoted power", number(s.quoted_power_kw, "kW")),
            ("quoted at", s.quoted_at.clone()),
            ("quoted torque", number(s.quoted_torque_nm, "N·m")),
            (
                "driven",
                s.driven
                    .map_or_else(String::new, |d| format!("{:.0} to {:.0} rpm", d.span()[0], d.span()[1])),
            ),
            ("what limits it", s.limits_it.clone()),
            ("cylinders", s.cylinders.join(", ")),
        ]
    };
    let differ = fields(now).into_iter().zip(fields(typed)).filter(|(n, t)| n.1 != t.1);
    differ.map(|((name, n), _)| format!("{name} “{}”", n.trim())).collect::<Vec<_>>().join(", ")
}

/// What the stock map makes by its newest set.
pub(crate) struct Stock {
    /// Mean of the peaks, corrected, kW.
    pub(crate) peak_kw: f64,
    pub(crate) date: String,
    pub(crate) pulls: usize,
}

/// Everything a vehicle page shows.
pub(crate) struct VehicleParts {
    pub(crate) vehicle: VehicleRecord,
    pub(crate) builds: Vec<BuildState>,
    pub(crate) maps: Vec<MapRecord>,
    pub(crate) days: Vec<(Day, usize)>,
    pub(crate) counts: (i64, i64),
    /// The newest stock set.
    pub(crate) baseline: Option<Stock>,
    /// What was changed on it.
    pub(crate) changed: Vec<Crossing>,
    pub(crate) elsewhere: Vec<LentMap>,
    pub(crate) attached: Vec<Attachment>,
    pub(crate) kept: Vec<KeptLineUp>,
    pub(crate) planned: Vec<PlanItem>,
    pub(crate) contact: Contact,
}

pub(crate) fn vehicle_page(prefs: &Prefs, p: VehicleParts, problem: String) -> VehiclePage {
    let (v, s) = (&p.vehicle, &p.vehicle.sheet);
    let u = prefs.power;
    let say = |v: &str| (!v.is_empty()).then(|| v.to_owned());
    let facts: Vec<(&'static str, Option<String>)> = vec![
        ("Engine", Some(engine_words(v))),
        ("Dyno", Some(dyno_words(v))),
        ("Mass", s.mass_kg.map(|m| format!("{m:.0} kg"))),
        ("Drive", say(&s.drive)),
        ("Gearbox", say(&s.gearbox)),
        ("Cylinders", say(&s.cylinders.join(", "))),
        ("Tyre", say(&s.tyre)),
        ("Drag area", s.drag_area_m2.map(|d| format!("{d} m²"))),
        (
            "Driven",
            s.driven.map(|d| {
                let [a, b] = d.span();
                match d {
                    Driven::Band(_) => format!("{a:.0}–{b:.0} rpm"),
                    Driven::Histogram(_) => format!("{a:.0}–{b:.0} rpm, weighed by time at load"),
                }
            }),
        ),
        ("Known by", say(&s.plate)),
        ("What limits it", say(&s.limits_it)),
        (
            "Whose",
            say(&[&p.contact.name, &p.contact.reached, &p.contact.note]
                .map(String::as_str)
                .into_iter()
                .filter(|w| !w.is_empty())
                .collect::<Vec<_>>()
                .join("; ")),
        ),
    ];
    VehiclePage {
        archived: v.archived,
        shell: Shell::new(v.vehicle.name.clone(), &prefs.theme, "vehicles"),
        id: v.id,
        name: v.vehicle.name.clone(),
        model: s.model.clone(),
        facts: facts
            .into_iter()
            .filter_map(|(k, v)| Some((k.to_owned(), v?)))
            .chain(
                units(&s.software, &p.changed)
                    .iter()
                    .map(|u| (format!("Software, {}", u.unit), software_words(u, &prefs.written))),
            )
            .collect(),
        quoted: quoted_words(&p, prefs),
        contact: p.contact.clone(),
        starting: v.limits.iter().filter(|l| l.starting_point).count(),
        sheet_seen: mark(s),
        gears: (1..=s.gears.len())
            .map(|g| GearRow {
                gear: g,
                ratio: s.gears[g - 1].to_string(),
                overall: s.overall_ratio(g).map_or_else(|| "–".into(), |k| format!("{k:.3}")),
                kmh: s.kmh_per_1000(g).map_or_else(|| "–".into(), |k| format!("{k:.1}")),
            })
            .collect(),
        limits: v.limits.iter().map(|l| in_words(l, &s.cylinders, prefs.units())).collect(),
        computed: v
            .sheet
            .computed
            .iter()
            .map(|c| (named_with_unit(&c.name, prefs.units()), c.expr.clone()))
            .collect(),
        templates: jamjar_workflow::limits::templates().into_iter().map(|t| (t.id, t.label)).collect(),
        maps: p.maps.iter().map(map_row).collect(),
        builds: p
            .builds
            .iter()
            .map(|b| BuildRow {
                id: b.id,
                name: b.name.clone(),
                since: b.since.map_or_else(|| "no date".into(), |d| prefs.written.date(d)),
                changed: b.changed.clone(),
                sets: count(b.sets as usize, "set"),
            })
            .collect(),
        days: p
            .days
            .iter()
            .map(|(d, n)| DayLine {
                id: d.id,
                date: prefs.written.date(d.date),
                place: d.place.clone(),
                sets: count(*n, "set"),
                note: d.note.clone(),
            })
            .collect(),
        counts: format!(
            "{}, {} in {}",
            count(p.days.len(), "day"),
            count(p.counts.1 as usize, "pull"),
            count(p.counts.0 as usize, "set")
        ),
        form: SheetForm {
            model: s.model.clone(),
            plate: s.plate.clone(),
            mass_kg: plain(s.mass_kg),
            drive: s.drive.clone(),
            gearbox: s.gearbox.clone(),
            final_drive: plain(s.final_drive),
            gears: s.gears.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "),
            reference_gear: s.reference_gear.map_or_else(String::new, |g| g.to_string()),
            learned: learned_words(s),
            software: assignments(&s.software),
            tyre: s.tyre.clone(),
            tyre_radius_m: plain(s.tyre_radius_m),
            drag_area_m2: plain(s.drag_area_m2),
            quoted_power_kw: s
                .quoted_power_kw
                .map_or_else(String::new, |p| format!("{}", (u.from_kw(p) * 100.0).round() / 100.0)),
            quoted_at: s.quoted_at.clone(),
            quoted_torque_nm: plain(s.quoted_torque_nm),
            driven: s.driven.map_or_else(String::new, |d| d.to_string()),
            limits_it: s.limits_it.clone(),
            cylinders: s.cylinders.join(", "),
        },
        diesel: v.vehicle.engine.ignition == Ignition::Compression,
        unit: u.label(),
        attached: attached_rows(&p.attached, &prefs.written, |_| String::new()),
        attach_to: vec![(format!("vehicle:{}", v.id), "this vehicle".to_owned())],
        elsewhere: p.elsewhere.clone(),
        kept: kept_rows(&p.kept, &prefs.written),
        plan: plan_rows(&p.planned, &[]),
        problem,
    }
}

/// Quoted output against the measured baseline, saying where each belongs.
fn quoted_words(p: &VehicleParts, prefs: &Prefs) -> String {
    let (s, u, place) = (&p.vehicle.sheet, prefs.power, p.vehicle.vehicle.dyno.kind.place());
    let quoted = s.quoted_power_kw.map(|q| {
        let at = if s.quoted_at.is_empty() { "where is not said".to_owned() } else { s.quoted_at.clone() };
        format!("Quoted {:.1} {} ({at})", u.from_kw(q), u.label())
    });
    let measured = p.baseline.as_ref().map(|Stock { peak_kw: kw, date, pulls: n }| {
        format!(
            "measured on the stock map {:.1} {} {place}, {} of {date}, {}",
            u.from_kw(*kw),
            u.label(),
            count(*n, "pull"),
            prefs.correction_of(&p.vehicle.vehicle.engine).label()
        )
    });
    match (quoted, measured) {
        (Some(q), Some(m)) => {
            let against = against_quoted_words(p.baseline.as_ref().map(|b| b.peak_kw), &p.vehicle);
            format!("{q}; {m}. {against}")
        }
        (Some(q), None) => format!("{q}; no stock baseline has been measured yet."),
        (None, Some(m)) => format!("No quoted output entered; {m}."),
        (None, None) => "No quoted output entered, and no stock baseline measured.".into(),
    }
}

fn map_row(m: &MapRecord) -> MapRow {
    MapRow {
        name: m.name.clone(),
        kind: m.kind.replace('_', " "),
        parent: m.parent.clone().unwrap_or_default(),
        id: m.id,
        price: m.price.map_or_else(String::new, |p| format!("{p}")),
        for_fuel: m.for_fuel.clone().unwrap_or_default(),
        note: m.note.clone(),
        file: m.file.clone(),
        sets: count(m.sets as usize, "set"),
        lent: m.lent,
    }
}
