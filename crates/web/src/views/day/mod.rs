//! The day sheet and what is dropped on it.

mod inbox;
mod page;
mod sheet;

pub(crate) use inbox::{InboxFragment, TypedForm, applied, inbox_fragment, places};
pub(crate) use page::{DayPage, NewDayPage, day_page, day_seen, other_dyno};
pub(crate) use sheet::checklist_fragment;
