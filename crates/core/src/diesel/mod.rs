//! What a common-rail diesel is fuelled by: the quantity map of its injectors, the flow sheet they came with, and when
//! in the turn of the crank they open.

pub mod flow_sheet;
pub mod injection;

pub use flow_sheet::{AtPoint, FlowSaid, FlowSheet, OffSheet, SheetPoint, judge};
pub use injection::{before_tdc, degrees};
