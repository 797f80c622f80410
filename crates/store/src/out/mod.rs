//! Taking a shop out and reading it back.

mod put;
mod rows;
mod take;

pub use rows::{
    AboutRow, AirRow, AttachmentRow, BatchRow, BuildRow, CellRow, ContactRow, DayRow, FileRow, FlashRow,
    FuelRow, InterventionRow, LadderRow, LimitRow, LineUpRow, MapRow, MapUseRow, MergedRow, NoteRow,
    OnHandRow, PlanRow, PourRow, PrintRow, PullRow, ReportRow, SetRow, SettingRow, Shop, SignOffRow, SlipRow,
    SourceRow, StepRow, ThreadRow, TrailRow, VehicleRow, WaitingRow,
};
