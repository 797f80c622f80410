//! MariaDB through Diesel: rows, sample blocks and custody of raw files. Rows stay private; domain types
//! cross the border.

mod attachments;
mod cells;
mod changes;
mod claim;
mod configuration;
mod contacts;
mod day_air;
mod day_plan;
mod days;
mod db;
mod decoded;
mod demo;
mod error;
mod files;
mod find;
mod flashes;
mod garage;
mod inbox;
mod interventions;
mod kept;
mod ladder_words;
mod lasting;
mod lent;
mod observed;
mod out;
pub mod private;
mod pulls;
mod reports;
mod right;
mod running;
mod runs;
mod schema;
mod set_rows;
mod sets;
mod shares;
mod sheet;
mod shop;
mod sign_offs;
mod slips;
mod spark;
mod summaries;
mod tank;
mod threads;
mod vehicles;

// What the store does is compiled here, once: a future in a box is whole, and a bare one would be compiled
// again, with all its queries, by every crate that awaits it. Half of the time a build took went there.
use jamjar_boxed::boxed;

pub use attachments::{Attached, Attachment, NewAttachment};
pub use cells::{CellRecord, CellWords, Watched};
pub use changes::{Stamps, Thing};
pub use configuration::Configuration;
pub use contacts::Contact;
pub use day_plan::KeptPlan;
pub use days::{Day, NewDay};
pub use db::Store;
pub use error::StoreError;
pub use files::{FileInfo, FileReader, Received};
pub use find::{FindNames, FoundDay, PullRow};
pub use flashes::{Flash, NewFlash};
pub use garage::{BuildState, HeldFile, MapRecord, NewMap};
pub use inbox::{InboxItem, NewInboxItem, Role};
pub use interventions::{Intervention, NewIntervention};
pub use jamjar_packed::{BLOCK_VERSION, BlockError, decode_block, encode_block};
pub use kept::{KeptLineUp, PlanItem};
pub use ladder_words::LadderWord;
pub use lent::LentMap;
pub use observed::{NewNote, Observation, ObservedAt};
pub use out::{
    AboutRow, AirRow, AttachmentRow, BatchRow, BuildRow, CellRow, ContactRow, DayRow, FileRow, FlashRow,
    FuelRow, InterventionRow, LadderRow, LimitRow, LineUpRow, MapRow, MapUseRow, MergedRow, NoteRow,
    OnHandRow, PlanRow, PourRow, PrintRow, PullRow as PullOut, ReportRow, SetRow, SettingRow, Shop,
    SignOffRow, SlipRow, SourceRow, StepRow, ThreadRow, TrailRow, VehicleRow, WaitingRow,
};
pub use pulls::{NewPull, Pull};
pub use reports::{LeftOut, NewReport, Report};
pub use right::{
    Archived, AuditEntry, BuildWords, By, Change, DayWords, Erased, FileRef, FuelWords, LastImport, MapWords,
    NoteWords, Reread, SampleFiles, Subject, To,
};
pub use running::{Running, RunsNow};
pub use runs::{BEAT_S, Begun, Run, RunState};
pub use set_rows::Set;
pub use sets::{LOOKED_AT_DAYS, NewSet, SetWithPulls};
pub use shares::{ShareLink, Shared};
pub use sheet::{AirOfDay, Checklist, DayNote, DaySheet, FuelOnHand, SheetAir, answer};
pub use shop::Ways;
pub use sign_offs::SignOff;
pub use slips::SlipRecord;
pub use spark::Spark;
pub use summaries::{PackedSummary, Summary};
pub use tank::{FuelBatch, FuelRecord, NewBatch, NewPour, Pour};
pub use threads::{HeldIn, NewStep, Step, StepKind, Thread};
pub use vehicles::{NewVehicle, VehicleRecord};
