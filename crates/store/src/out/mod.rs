//! Taking a shop out and reading it back.

mod put;
mod rows;
mod take;

pub use rows::{
    AirRow, AttachmentRow, BuildRow, CellRow, DayRow, FileRow, FuelRow, InterventionRow, LimitRow, LineUpRow,
    MapRow, MapUseRow, MergedRow, NoteRow, OnHandRow, PlanRow, PullRow, SetRow, SettingRow, Shop, SourceRow,
    TrailRow, VehicleRow, WaitingRow,
};
