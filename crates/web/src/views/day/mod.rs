//! The day sheet and what is dropped on it.

mod cell_day;
mod inbox;
mod page;
mod sheet;
mod tank;

pub(crate) use cell_day::{CellDayPage, VehicleOfDay, cell_day_page, vehicle_of_day};
pub(crate) use inbox::{InboxFragment, TypedForm, applied, inbox_fragment, places};
pub(crate) use page::{DayPage, DayTyped, NewDayPage, day_page, day_seen, other_dyno};
pub(crate) use sheet::{checklist_fragment, picture_of, quoted_words};
pub(crate) use tank::{fill, refuelled, tank_view};
