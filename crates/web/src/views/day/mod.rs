//! The day sheet and what is dropped on it.

mod inbox;
mod page;
mod sheet;

pub(crate) use inbox::{InboxFragment, TypedForm, applied, inbox_fragment, places};
pub(crate) use page::{DayPage, DayTyped, NewDayPage, day_page, day_seen, other_dyno};
pub(crate) use sheet::checklist_fragment;
