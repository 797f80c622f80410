//! Everything of a shop but its files and samples, table by table, as an archive has it. Ids are those of the
//! shop it was taken out of; they hold the rows together and are others after it was read back.

use crate::schema::{
    attachment, audit, build_state, cell, cell_day, contact, day_air, day_fuel, day_note, flash, fuel,
    fuel_batch, inbox, intervention, ladder_word, line_up, map_revision, map_use, merged_id, plan_item, pull,
    pull_set, report, report_about, report_print, shop_setting, sign_off, slip, source_mapping, tank_event,
    thread, thread_step, vehicle, vehicle_limit,
};
use chrono::{NaiveDate, NaiveDateTime, NaiveTime};
use diesel::prelude::*;
use serde::{Deserialize, Serialize};
use serde_json::Value;

/// Text columns that hold JSON stand in an archive as what they hold.
mod json_text {
    use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error as _, ser::Error as _};
    use serde_json::Value;

    pub(super) fn serialize<S: Serializer>(text: &str, s: S) -> Result<S::Ok, S::Error> {
        serde_json::from_str::<Value>(text).map_err(S::Error::custom)?.serialize(s)
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<String, D::Error> {
        serde_json::to_string(&Value::deserialize(d)?).map_err(D::Error::custom)
    }
}

/// The same where there may be none.
mod json_text_if_any {
    use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error as _, ser::Error as _};
    use serde_json::Value;

    #[allow(clippy::ref_option)]
    pub(super) fn serialize<S: Serializer>(text: &Option<String>, s: S) -> Result<S::Ok, S::Error> {
        let read = |t: &String| serde_json::from_str::<Value>(t).map_err(S::Error::custom);
        text.as_ref().map(read).transpose()?.serialize(s)
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<Option<String>, D::Error> {
        let written = |v: Value| serde_json::to_string(&v).map_err(D::Error::custom);
        Option::<Value>::deserialize(d)?.map(written).transpose()
    }
}

/// What is kept packed stands in an archive as the text it is.
mod packed_text {
    use serde::{Deserialize, Deserializer, Serialize, Serializer, de::Error as _, ser::Error as _};

    pub(super) fn serialize<S: Serializer>(packed: &[u8], s: S) -> Result<S::Ok, S::Error> {
        let bytes = zstd::decode_all(packed).map_err(S::Error::custom)?;
        String::from_utf8(bytes).map_err(S::Error::custom)?.serialize(s)
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<Vec<u8>, D::Error> {
        crate::reports::packed(&String::deserialize(d)?).map_err(D::Error::custom)
    }
}

/// A row that is read from its table, written to an archive, read from there and inserted under a new id.
macro_rules! rows {
    ($($(#[$doc:meta])* $name:ident of $table:ident { $($(#[$is:meta])* $field:ident: $ty:ty,)* })*) => {$(
        $(#[$doc])*
        #[derive(Debug, Clone, PartialEq, Queryable, Selectable, Insertable, Serialize, Deserialize)]
        #[diesel(table_name = $table)]
        #[allow(missing_docs)]
        pub struct $name {
            #[diesel(deserialize_as = i64)]
            pub id: Option<i64>,
            $($(#[$is])* pub $field: $ty,)*
        }
    )*};
}

rows! {
    /// A vehicle with its engine, dyno and sheet.
    VehicleRow of vehicle {
        #[serde(default)]
        uid: Option<String>,
        name: String,
        #[serde(with = "json_text")]
        engine: String,
        #[serde(with = "json_text")]
        dyno: String,
        #[serde(with = "json_text")]
        sheet: String,
        created_at: NaiveDateTime,
        archived_at: Option<NaiveDateTime>,
    }
    /// A limit of a vehicle.
    LimitRow of vehicle_limit {
        vehicle_id: i64,
        position: i32,
        name: String,
        channel: String,
        severity: String,
        #[serde(with = "json_text")]
        definition: String,
    }
    /// A build state.
    BuildRow of build_state {
        #[serde(default)]
        uid: Option<String>,
        vehicle_id: i64,
        name: String,
        note: String,
        since: Option<NaiveDate>,
    }
    /// A map revision with its file in custody.
    MapRow of map_revision {
        #[serde(default)]
        uid: Option<String>,
        vehicle_id: i64,
        name: String,
        kind: String,
        parent: Option<String>,
        for_fuel: Option<String>,
        note: String,
        file_id: Option<i64>,
        price: Option<f64>,
        archived_at: Option<NaiveDateTime>,
    }
    /// A fuel.
    FuelRow of fuel {
        #[serde(default)]
        uid: Option<String>,
        name: String,
        ethanol: Option<f64>,
        #[serde(default)]
        octane: Option<f64>,
        #[serde(default)]
        octane_scale: String,
        #[serde(default)]
        price: Option<f64>,
        #[serde(default)]
        kind: String,
        #[serde(default)]
        density_kg_l: Option<f64>,
        #[serde(default)]
        stoich_afr: Option<f64>,
        #[serde(default)]
        lhv_mj_kg: Option<f64>,
    }
    /// A delivery of a fuel.
    BatchRow of fuel_batch {
        fuel_id: i64,
        name: String,
        source: String,
        bought_on: Option<NaiveDate>,
        ethanol: Option<f64>,
        measured_by: String,
        note: String,
        written_by: String,
        created_at: NaiveDateTime,
        archived_at: Option<NaiveDateTime>,
    }
    /// What was poured into a tank.
    PourRow of tank_event {
        day_id: i64,
        at_time: NaiveTime,
        fuel_id: i64,
        batch_id: Option<i64>,
        litres: f64,
        left_l: Option<f64>,
        written_by: String,
        archived_at: Option<NaiveDateTime>,
    }
    /// A map that went into a unit.
    FlashRow of flash {
        vehicle_id: i64,
        map_id: i64,
        on_date: NaiveDate,
        at_time: Option<NaiveTime>,
        note: String,
        written_by: String,
        archived_at: Option<NaiveDateTime>,
    }
    /// What a person said of a ladder.
    LadderRow of ladder_word {
        vehicle_id: i64,
        kind: String,
        map: String,
        fuel: String,
        build: String,
        gear: String,
        rungs: String,
        at_rung: String,
        reason: String,
        forecast: String,
        written_by: String,
        written_at: NaiveDateTime,
        archived_at: Option<NaiveDateTime>,
    }
    /// A timing slip.
    SlipRow of slip {
        vehicle_id: i64,
        on_date: NaiveDate,
        at_time: Option<NaiveTime>,
        place: String,
        map: String,
        fuel: String,
        t18_s: Option<f64>,
        t201_s: Option<f64>,
        v201_kmh: Option<f64>,
        t402_s: Option<f64>,
        v402_kmh: Option<f64>,
        rollout_m: f64,
        launch_rpm: Option<f64>,
        temperature_c: Option<f64>,
        pressure_hpa: Option<f64>,
        note: String,
        written_by: String,
        created_at: NaiveDateTime,
        archived_at: Option<NaiveDateTime>,
    }
    /// What was tried of a map before it went home.
    SignOffRow of sign_off {
        vehicle_id: i64,
        map_id: i64,
        fuel_id: i64,
        on_date: NaiveDate,
        #[serde(with = "json_text")]
        answers: String,
        written_by: String,
        written_at: NaiveDateTime,
        signed_by: Option<String>,
        signed_at: Option<NaiveDateTime>,
        #[serde(default)]
        file_sha: Option<String>,
    }
    /// Whose a vehicle is.
    ContactRow of contact {
        vehicle_id: i64,
        name: String,
        reached: String,
        note: String,
    }
    /// Work at a distance on a vehicle.
    ThreadRow of thread {
        uid: String,
        vehicle_id: i64,
        title: String,
        opened_by: String,
        opened_at: NaiveDateTime,
        closed_at: Option<NaiveDateTime>,
    }
    /// A step of it.
    StepRow of thread_step {
        uid: String,
        thread_id: i64,
        kind: String,
        written_by: String,
        written_at: NaiveDateTime,
        words: String,
        map_id: Option<i64>,
        files: String,
        channel: Option<String>,
        at_s: Option<f64>,
    }
    /// A sheet that left the shop, with its own copy of the figures, as it was issued.
    ReportRow of report {
        number: String,
        vehicle_id: i64,
        title: String,
        asked: String,
        #[serde(with = "packed_text")]
        sheet: Vec<u8>,
        sheet_sha: String,
        #[serde(with = "packed_text")]
        figures: Vec<u8>,
        figures_sha: String,
        supersedes: Option<String>,
        why: String,
        issued_by: String,
        issued_at: NaiveDateTime,
    }
    /// A picture, print or paper beside something.
    AttachmentRow of attachment {
        kind: String,
        thing: i64,
        file_id: i64,
        name: String,
        media: String,
        written_by: String,
        created_at: NaiveDateTime,
        archived_at: Option<NaiveDateTime>,
    }
    /// A cell.
    CellRow of cell {
        #[serde(default)]
        uid: Option<String>,
        name: String,
        dyno: String,
        folder: String,
        calibrated_on: Option<NaiveDate>,
        #[serde(default)]
        earlier_calibrations: String,
        note: String,
    }
    /// A day in a cell.
    DayRow of cell_day {
        #[serde(default)]
        uid: Option<String>,
        vehicle_id: i64,
        on_date: NaiveDate,
        place: String,
        zone: String,
        temperature_c: Option<f64>,
        humidity: Option<f64>,
        pressure_hpa: Option<f64>,
        note: String,
        created_at: NaiveDateTime,
        #[serde(with = "json_text")]
        checklist: String,
        #[serde(default, skip_serializing_if = "String::is_empty")]
        plan: String,
        archived_at: Option<NaiveDateTime>,
    }
    /// A note on a day.
    NoteRow of day_note {
        day_id: i64,
        at_time: Option<NaiveTime>,
        tag: String,
        text: String,
        written_by: String,
        created_at: NaiveDateTime,
        pull_id: Option<i64>,
        rpm_from: Option<f64>,
        rpm_to: Option<f64>,
        load_from: Option<f64>,
        load_to: Option<f64>,
    }
    /// A reading of the air.
    AirRow of day_air { day_id: i64, at_time: NaiveTime, temperature_c: f64, humidity: f64, pressure_hpa: f64, }
    /// Something that was changed on the vehicle.
    InterventionRow of intervention {
        day_id: i64,
        at_time: Option<NaiveTime>,
        what: String,
        from_state: String,
        to_state: String,
        written_by: String,
        archived_at: Option<NaiveDateTime>,
    }
    /// Fuel on hand.
    OnHandRow of day_fuel { day_id: i64, fuel_id: i64, litres: f64, note: String, }
    /// A set.
    SetRow of pull_set {
        #[serde(default)]
        uid: Option<String>,
        day_id: i64,
        build_id: i64,
        map_id: i64,
        fuel_id: i64,
        position: i32,
        boost: String,
        gear: String,
        #[serde(with = "json_text")]
        extras: String,
        note: String,
        created_at: NaiveDateTime,
        invalid_reason: Option<String>,
        invalid_by: Option<String>,
        archived_at: Option<NaiveDateTime>,
    }
    /// A pull with the files it stands on and how their columns were read.
    PullRow of pull {
        #[serde(default)]
        uid: Option<String>,
        set_id: i64,
        position: i32,
        dyno_file_id: i64,
        ecu_file_id: Option<i64>,
        #[serde(with = "json_text")]
        dyno_mapping: String,
        #[serde(with = "json_text_if_any")]
        ecu_mapping: Option<String>,
        number_in_file: Option<i32>,
        lag_s: Option<f64>,
        excluded_reason: Option<String>,
        excluded_by: Option<String>,
        note: String,
        created_at: NaiveDateTime,
        started_at: Option<NaiveTime>,
        temperature_c: Option<f64>,
        humidity: Option<f64>,
        pressure_hpa: Option<f64>,
        archived_at: Option<NaiveDateTime>,
        #[serde(with = "json_text_if_any")]
        finished: Option<String>,
    }
    /// What was put right: old and new value, who, when and why.
    TrailRow of audit {
        kind: String,
        thing: i64,
        field: String,
        old_value: String,
        new_value: String,
        who: String,
        why: String,
        at: NaiveDateTime,
    }
    /// A line-up kept under a name: the query of its address.
    LineUpRow of line_up { vehicle_id: i64, name: String, query: String, kept_by: String, kept_at: NaiveDateTime, }
    /// A set that is planned.
    PlanRow of plan_item { vehicle_id: i64, factors: Value, pulls: i32, why: String, planned_at: NaiveDateTime, }
    /// A dropped file that waits on a day.
    WaitingRow of inbox {
        day_id: i64,
        file_id: i64,
        name: String,
        role: String,
        source: String,
        #[serde(with = "json_text")]
        report: String,
    }
}

/// A map that serves a vehicle beside the one it was made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Queryable, Selectable, Insertable, Serialize, Deserialize)]
#[diesel(table_name = map_use)]
#[allow(missing_docs)]
pub struct MapUseRow {
    pub map_id: i64,
    pub vehicle_id: i64,
}

/// Bytes stand in an archive in hexadecimal.
mod in_hex {
    use serde::{Deserialize, Deserializer, Serializer, de::Error as _};

    pub(super) fn serialize<S: Serializer>(bytes: &[u8], s: S) -> Result<S::Ok, S::Error> {
        s.serialize_str(&hex::encode(bytes))
    }

    pub(super) fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<Vec<u8>, D::Error> {
        hex::decode(String::deserialize(d)?).map_err(D::Error::custom)
    }
}

/// A report as PDF.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, Insertable, Serialize, Deserialize)]
#[diesel(table_name = report_print)]
#[allow(missing_docs)]
pub struct PrintRow {
    pub report_id: i64,
    pub paper: String,
    #[serde(with = "in_hex")]
    pub data: Vec<u8>,
    pub sha: String,
}

/// A vehicle a report speaks of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Queryable, Selectable, Insertable, Serialize, Deserialize)]
#[diesel(table_name = report_about)]
#[allow(missing_docs)]
pub struct AboutRow {
    pub report_id: i64,
    pub vehicle_id: i64,
}

/// The lasting id of something that was made one with another.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, Insertable, Serialize, Deserialize)]
#[diesel(table_name = merged_id)]
#[allow(missing_docs)]
pub struct MergedRow {
    pub uid: String,
    pub kind: String,
    pub into_id: i64,
}

/// How the files of a source are read.
#[derive(Debug, Clone, PartialEq, Queryable, Selectable, Insertable, Serialize, Deserialize)]
#[diesel(table_name = source_mapping)]
#[allow(missing_docs)]
pub struct SourceRow {
    pub source: String,
    #[serde(with = "json_text")]
    pub mapping: String,
}

/// Something the shop has chosen for everybody.
#[derive(Debug, Clone, PartialEq, Queryable, Selectable, Insertable, Serialize, Deserialize)]
#[diesel(table_name = shop_setting)]
#[allow(missing_docs)]
pub struct SettingRow {
    pub name: String,
    pub value: String,
}

/// A file in custody; its bytes stand beside the rows under its hash.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct FileRow {
    pub id: i64,
    pub sha256: String,
    pub name: String,
    pub bytes: i64,
}

/// Everything of some vehicles but files and samples.
#[derive(Debug, Clone, Default, PartialEq, Serialize, Deserialize)]
#[allow(missing_docs)]
pub struct Shop {
    pub vehicles: Vec<VehicleRow>,
    pub limits: Vec<LimitRow>,
    pub builds: Vec<BuildRow>,
    pub maps: Vec<MapRow>,
    pub fuels: Vec<FuelRow>,
    pub days: Vec<DayRow>,
    pub notes: Vec<NoteRow>,
    pub air: Vec<AirRow>,
    #[serde(default)]
    pub interventions: Vec<InterventionRow>,
    pub fuel_on_hand: Vec<OnHandRow>,
    pub sets: Vec<SetRow>,
    pub pulls: Vec<PullRow>,
    pub put_right: Vec<TrailRow>,
    pub line_ups: Vec<LineUpRow>,
    pub plans: Vec<PlanRow>,
    pub waiting: Vec<WaitingRow>,
    #[serde(default)]
    pub map_uses: Vec<MapUseRow>,
    #[serde(default)]
    pub cells: Vec<CellRow>,
    #[serde(default)]
    pub attachments: Vec<AttachmentRow>,
    #[serde(default)]
    pub batches: Vec<BatchRow>,
    #[serde(default)]
    pub poured: Vec<PourRow>,
    #[serde(default)]
    pub flashes: Vec<FlashRow>,
    #[serde(default)]
    pub ladder_words: Vec<LadderRow>,
    #[serde(default)]
    pub slips: Vec<SlipRow>,
    #[serde(default)]
    pub sign_offs: Vec<SignOffRow>,
    #[serde(default)]
    pub contacts: Vec<ContactRow>,
    #[serde(default)]
    pub threads: Vec<ThreadRow>,
    #[serde(default)]
    pub thread_steps: Vec<StepRow>,
    #[serde(default)]
    pub reports: Vec<ReportRow>,
    #[serde(default)]
    pub reports_about: Vec<AboutRow>,
    #[serde(default)]
    pub report_prints: Vec<PrintRow>,
    /// Old ids of what was made one with something: lasting id, kind, and the row it is now.
    #[serde(default)]
    pub merged: Vec<MergedRow>,
    pub sources: Vec<SourceRow>,
    /// Only of a whole shop.
    #[serde(default)]
    pub settings: Vec<SettingRow>,
    pub files: Vec<FileRow>,
}
