//! The day sheet: vehicle, conditions, sets and pulls in order of running.

use super::inbox::InboxFragment;
use super::sheet::{
    AirRow, ChangedRow, ChecklistFragment, NoteRow, air_rows, changed_rows, checklist_fragment, fuel_words,
    hhmm, note_rows, quoted_words, timeline, timeline_svg,
};
use super::tank::TankView;
use crate::pages::days::NewDayForm;
use crate::prefs::Prefs;
use crate::seen::mark;
use crate::views::cell_now::NewestPull;
use crate::views::common::{
    AttachedRow, Encoding, LimitRow, PlanRow, SetTag, air_words, count, dyno_kinds, here_of, id_of,
    limit_rows, plan_rows,
};
use crate::views::{RunFragment, Shell};
use askama::Template;
use jamjar_core::analysis::{Corrected, Figure, Measured, Settled};
use jamjar_core::pull::align::{Alignment, Status};
use jamjar_core::pull::span::PullKind;
use jamjar_core::words::{finding, refusal, settled};
use jamjar_store::{Attachment, CellRecord, Day, DayNote, DaySheet, PlanItem, Running, VehicleRecord};
use jamjar_workflow::checklist::Item;
use jamjar_workflow::sets::SetRead;
use std::collections::HashMap;

pub(crate) struct PullRow {
    pub(crate) id: i64,
    pub(crate) name: String,
    pub(crate) at: String,
    pub(crate) heat: String,
    pub(crate) peak: String,
    pub(crate) torque: String,
    pub(crate) span: String,
    pub(crate) ended: &'static str,
    pub(crate) clock: String,
    pub(crate) clock_why: String,
    pub(crate) flags: Vec<String>,
    pub(crate) excluded: Option<String>,
}

/// Limits that stand in a set's line (our choice: two lines of them).
const IN_SIGHT: usize = 10;

impl SetCard {
    /// What is said of limits where nothing asks for attention.
    pub(crate) fn quiet_limits(&self) -> String {
        match self.verdicts.len() {
            0 => "no limit was judged".into(),
            n if self.verdicts.iter().all(|v| !v.strong) => format!("{} clear", count(n, "limit")),
            _ => String::new(),
        }
    }

    /// The limits in sight: all of a few, of many the most pressing.
    pub(crate) fn limits_in_sight(&self) -> Vec<&LimitRow> {
        let mut rows: Vec<&LimitRow> = self.verdicts.iter().collect();
        if rows.len() > IN_SIGHT {
            rows.sort_by_key(|r| (!r.warn, !r.strong));
            rows.truncate(IN_SIGHT);
        }
        rows
    }

    /// What is said of the others; blank where there are none.
    pub(crate) fn limits_beside(&self) -> String {
        let more = self.verdicts.len().saturating_sub(IN_SIGHT);
        let of =
            |f: fn(&LimitRow) -> bool| self.verdicts.iter().filter(|r| f(r)).count().saturating_sub(IN_SIGHT);
        match (more, of(|r| r.warn)) {
            (0, _) => String::new(),
            (_, 0) => format!("and {more} more"),
            (_, over) => format!("and {more} more, {over} of them over"),
        }
    }
}

impl PullRow {
    /// How much was noticed beside what stands in its line.
    pub(crate) fn more(&self) -> usize {
        let said = usize::from(self.excluded.is_some() || !self.clock_why.is_empty());
        let all =
            usize::from(self.excluded.is_some()) + usize::from(!self.clock_why.is_empty()) + self.flags.len();
        all.saturating_sub(said.max(1))
    }
}

pub(crate) struct SetCard {
    pub(crate) id: i64,
    pub(crate) tag: SetTag,
    pub(crate) rest: String,
    /// It is the one that runs.
    pub(crate) runs: bool,
    pub(crate) figure: String,
    pub(crate) scatter: String,
    pub(crate) settled: String,
    pub(crate) note: String,
    pub(crate) invalid: Option<String>,
    /// The tank was filled between its pulls; blank when it was not.
    pub(crate) refuelled: String,
    pub(crate) pulls: Vec<PullRow>,
    pub(crate) verdicts: Vec<LimitRow>,
}

/// The day, its sets and its notes, for what belongs to one of them.
fn attach_to(day: i64, sets: &[SetRead], sheet: &DaySheet) -> Vec<(String, String)> {
    let set = |s: &SetRead| {
        let c = &s.stored.set.config;
        (
            format!("set:{}", s.stored.set.id),
            format!("set {}: {} on {}", s.stored.set.position, c.map, c.fuel),
        )
    };
    let note = |n: &DayNote| {
        let begin: String = n.text.chars().take(40).collect();
        (format!("note:{}", n.id), format!("note: {begin}"))
    };
    std::iter::once((format!("day:{day}"), "the day".to_owned()))
        .chain(sets.iter().map(set))
        .chain(sheet.notes.iter().map(note))
        .collect()
}

/// Where the dyno of the cell is another than the one the vehicle's figures are made with.
pub(crate) fn other_dyno(cell: &CellRecord, v: &VehicleRecord) -> String {
    let own = id_of(&v.vehicle.dyno.kind);
    let words = |id: &str| dyno_kinds().into_iter().find(|k| k.0 == id).map_or_else(String::new, |k| k.1);
    if cell.dyno.is_empty() || cell.dyno == own {
        return String::new();
    }
    format!(
        "{} has another dyno ({}) than this vehicle is set up for ({}): put one of the two right before figures are read.",
        cell.name,
        words(&cell.dyno),
        words(&own)
    )
}

/// A mark of what the form for a day's air and note shows.
pub(crate) fn day_seen(day: &Day) -> String {
    mark(&(day.air, &day.note))
}

/// A form of the sheet that was refused: which, what was typed, and why it cannot be.
#[derive(Default)]
pub(crate) struct DayTyped {
    pub(crate) form: &'static str,
    pub(crate) fields: HashMap<String, String>,
    pub(crate) problem: String,
}

impl DayTyped {
    /// Whether it is this one.
    pub(crate) fn is(&self, form: &str) -> bool {
        self.form == form
    }

    /// What was typed into a field of it.
    pub(crate) fn of(&self, form: &str, name: &str) -> &str {
        self.fields.get(name).filter(|_| self.is(form)).map_or("", String::as_str)
    }
}

#[derive(Template)]
#[template(path = "day.html")]
pub(crate) struct DayPage {
    pub(crate) seen: String,
    pub(crate) shell: Shell,
    pub(crate) id: i64,
    pub(crate) vehicle: String,
    pub(crate) vehicle_id: i64,
    pub(crate) date: String,
    pub(crate) iso_date: String,
    pub(crate) place: String,
    pub(crate) air_words: String,
    pub(crate) temperature: String,
    pub(crate) humidity: String,
    pub(crate) pressure: String,
    pub(crate) note: String,
    pub(crate) sets: Vec<SetCard>,
    pub(crate) lineup: String,
    pub(crate) inbox: InboxFragment,
    pub(crate) run: Option<RunFragment>,
    pub(crate) place_words: &'static str,
    /// A form of the sheet that was refused.
    pub(crate) typed: DayTyped,
    /// What runs now.
    pub(crate) running: Option<Running>,
    /// The newest pull, while something runs.
    pub(crate) newest: Option<NewestPull>,
    /// Other vehicles in the cell on this date.
    pub(crate) beside: Vec<(i64, String)>,
    pub(crate) cell: Option<CellRecord>,
    /// Why the cell's dyno and the vehicle's do not fit; blank when they do.
    pub(crate) other_dyno: String,
    /// What is attached to the day, its notes, sets and pulls.
    pub(crate) attached: Vec<AttachedRow>,
    /// What something can be attached to: values and words.
    pub(crate) attach_to: Vec<(String, String)>,
    pub(crate) correction: &'static str,
    pub(crate) checklist: ChecklistFragment,
    pub(crate) notes: Vec<NoteRow>,
    pub(crate) air: Vec<AirRow>,
    pub(crate) fuels: Vec<(String, String)>,
    /// Unit of what is on hand.
    pub(crate) volume: &'static str,
    pub(crate) known_fuels: Vec<String>,
    pub(crate) known_maps: Vec<String>,
    pub(crate) timeline: String,
    pub(crate) changed: Vec<ChangedRow>,
    pub(crate) tank: TankView,
    pub(crate) demo: bool,
    pub(crate) archived: bool,
    pub(crate) plan: Vec<PlanRow>,
}

#[derive(Template)]
#[template(path = "new_day.html")]
pub(crate) struct NewDayPage {
    pub(crate) shell: Shell,
    pub(crate) vehicles: Vec<(i64, String)>,
    pub(crate) cells: Vec<String>,
    pub(crate) problem: String,
    /// Name of the field that is wrong.
    pub(crate) bad: &'static str,
    /// What was typed.
    pub(crate) typed: NewDayForm,
    pub(crate) chosen: i64,
}

#[allow(clippy::too_many_arguments)]
pub(crate) fn day_page(
    prefs: &Prefs,
    day: &Day,
    vehicle: &VehicleRecord,
    sets: &[SetRead],
    sheet: &DaySheet,
    e: &Encoding,
    inbox: InboxFragment,
    run: Option<RunFragment>,
    planned: &[PlanItem],
    checks: &[Item],
    attached: &[Attachment],
) -> DayPage {
    let prefs = &prefs.fitting(&vehicle.vehicle.engine);
    let ids: Vec<String> = sets.iter().map(|s| s.stored.set.id.to_string()).collect();
    // A day that was taken in from files and is over was walked, or was not.
    let over = !sets.is_empty() && day.date < chrono::Local::now().date_naive();
    DayPage {
        seen: day_seen(day),
        shell: Shell::new(format!("{}, {}", day.vehicle, prefs.written.date(day.date)), &prefs.theme, "day"),
        id: day.id,
        vehicle: day.vehicle.clone(),
        vehicle_id: day.vehicle_id,
        date: prefs.written.date(day.date),
        iso_date: day.date.to_string(),
        place: day.place.clone(),
        air_words: match day.air {
            Some(a) => {
                let factor = prefs
                    .correction
                    .air_factor(&a)
                    .map_or_else(String::new, |f| format!(", {} factor {f:.3}", prefs.correction.label()));
                format!("{}{factor}", air_words(&a, prefs))
            }
            None => "No air conditions yet: power stays uncorrected until they are entered.".into(),
        },
        temperature: day.air.map_or_else(String::new, |a| format!("{:.1}", a.temperature_c)),
        humidity: day.air.map_or_else(String::new, |a| format!("{:.0}", a.humidity * 100.0)),
        pressure: day.air.map_or_else(String::new, |a| format!("{:.1}", a.pressure_hpa)),
        note: day.note.clone(),
        sets: sets.iter().map(|s| card(s, vehicle, e, prefs)).collect(),
        lineup: ids.join(","),
        inbox,
        run,
        place_words: vehicle.vehicle.dyno.kind.place(),
        typed: DayTyped::default(),
        running: None,
        newest: None,
        beside: Vec::new(),
        cell: None,
        other_dyno: String::new(),
        attached: Vec::new(),
        attach_to: attach_to(day.id, sets, sheet),
        correction: prefs.correction.label(),
        checklist: ChecklistFragment {
            quoted: quoted_words(sets, vehicle),
            ..checklist_fragment(day.id, checks, (&sheet.checklist, attached), over)
        },
        notes: note_rows(sheet),
        air: air_rows(sheet, prefs),
        fuels: fuel_words(sheet, prefs.volume),
        volume: prefs.volume.label(),
        known_fuels: e.fuels.clone(),
        known_maps: e.maps.clone(),
        timeline: timeline_svg(&timeline(sets, sheet, e, prefs)),
        changed: changed_rows(sheet),
        tank: TankView::default(),
        demo: day.demo,
        archived: day.archived,
        plan: plan_rows(planned, &sets.iter().map(|s| s.stored.set.config.factors()).collect::<Vec<_>>()),
    }
}

/// One set; what a pull shows only beside the others of the day is flagged here.
pub(super) fn card(read: &SetRead, v: &VehicleRecord, e: &Encoding, prefs: &Prefs) -> SetCard {
    let (s, result, verdicts) = (&read.stored, &read.result, &read.verdicts);
    let air = s.pulls.iter().filter_map(|p| p.1.measured.air);
    let prefs = &prefs.clone().reading(here_of(&v.vehicle.engine, &s.set, air));
    let peak = result.figure(Figure::PeakPower);
    let u = prefs.power;
    let c = &s.set.config;
    let mut rest: Vec<String> = [("", &c.boost), ("gear ", &c.gear), ("build ", &c.build)]
        .iter()
        .filter(|(_, v)| !v.is_empty())
        .map(|(l, v)| format!("{l}{v}"))
        .collect();
    rest.extend(c.extras.iter().map(|(k, v)| format!("{k} {v}")));
    SetCard {
        id: s.set.id,
        tag: e.tag(&s.set, false, verdicts),
        rest: rest.join(" · "),
        runs: false,
        figure: match (peak.headline, peak.rpm) {
            (Some(p), Some(rpm)) => format!("{:.1} {} at {rpm:.0} rpm", u.from_kw(p), u.label()),
            (Some(p), None) => u.say(p),
            _ if result.only_aborted => "aborted: no peak of its own".into(),
            _ => "no power figure".into(),
        },
        scatter: match peak.sd {
            Some(sd) => format!(
                "{} of {}, scatter {:.2} {}",
                result.n(),
                count(s.pulls.len(), "pull"),
                u.from_kw(sd),
                u.label()
            ),
            None => format!("{} of {}, scatter not measured", result.n(), count(s.pulls.len(), "pull")),
        },
        settled: settled(Settled::of(&peak.values)),
        note: s.set.config.note.clone(),
        invalid: s.set.invalid.clone(),
        refuelled: String::new(),
        pulls: s
            .pulls
            .iter()
            .zip(result.pull_figures.iter())
            .zip(&result.pulls)
            .enumerate()
            .map(|(k, ((p, f), c))| {
                let m = &p.1.measured;
                PullRow {
                    id: p.0.id,
                    name: format!("p{}", p.0.position),
                    at: p.0.started_at.map_or_else(String::new, hhmm),
                    heat: heat_words(m),
                    peak: f.peak_power.map_or_else(
                        || "–".into(),
                        |x| format!("{:.1}{}", u.from_kw(x.value), at_words(x.rpm)),
                    ),
                    torque: f.peak_torque.map_or_else(
                        || "–".into(),
                        |x| format!("{:.0}{}", prefs.torque.from_nm(x.value), at_words(x.rpm)),
                    ),
                    span: span_words(m, c),
                    ended: ended_words(m),
                    clock: clock_words(&m.alignment),
                    clock_why: m.alignment.refusal.as_ref().map(refusal).unwrap_or_default(),
                    flags: m
                        .flags
                        .iter()
                        .filter(|f| f.kind() != "not_aligned" && !f.is_said_elsewhere())
                        .chain(read.found.iter().filter(|x| x.pull == k).map(|x| &x.found))
                        .map(|f| finding(f, prefs.units()))
                        .collect(),
                    excluded: p.0.excluded_reason.clone(),
                }
            })
            .collect(),
        verdicts: limit_rows(verdicts, v, prefs.units()),
    }
}

/// Oil, coolant and intake at the start: "oil 91, coolant 86, intake 33 °C".
fn heat_words(m: &Measured) -> String {
    let start = |name: &str| m.channels.iter().find(|c| c.channel.as_str() == name).map(|c| c.start);
    let parts: Vec<String> = [("oil", "oil_temp"), ("water", "coolant_temp"), ("intake", "intake_temp")]
        .iter()
        .filter_map(|(word, name)| start(name).map(|v| format!("{word} {v:.0}")))
        .collect();
    let refused = m.alignment.status == Status::Refused;
    if m.printed.is_some() {
        "nothing was recorded".into()
    } else if parts.is_empty() {
        if refused { "temperatures: clocks not aligned" } else { "temperatures not measured" }.into()
    } else {
        format!("{} °C", parts.join(" · "))
    }
}

/// Where a peak stands; a print may not say.
fn at_words(rpm: f64) -> String {
    if rpm.is_finite() { format!(" at {rpm:.0}") } else { String::new() }
}

/// What ended it, or what it is when nothing was recorded to end.
fn ended_words(m: &Measured) -> &'static str {
    match m.kind() {
        Some(PullKind::CurveOnly) => "a print",
        Some(PullKind::PeaksOnly) => "peaks of a print",
        _ => m.span.map_or("no pull", |s| s.ended_by.label()),
    }
}

fn span_words(m: &Measured, c: &Corrected) -> String {
    let Some([a, b]) = c.curve.span_rpm() else { return "–".into() };
    match m.span.map(|s| s.kind) {
        Some(PullKind::HeldSteps) => format!("{a:.0}–{b:.0}, {} held", m.steps.len()),
        Some(PullKind::LugDown) => format!("{b:.0}–{a:.0}, down"),
        _ => format!("{a:.0}–{b:.0}"),
    }
}

fn clock_words(a: &Alignment) -> String {
    match (a.status, a.sigma_lag_s) {
        (Status::Aligned, Some(s)) => format!("aligned ±{:.0} ms", (s * 1000.0).max(1.0)),
        (Status::Aligned, None) => "aligned".into(),
        (Status::Manual, _) => "set by hand".into(),
        (Status::Refused, _) => "refused".into(),
        (Status::SingleLog, _) => "one log".into(),
    }
}
