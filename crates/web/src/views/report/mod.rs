//! Sheets that leave the shop: the sheet itself, the form that issues one, the list of those that were, and the bar above
//! an opened one.

mod facts;
mod pages;
mod print;
mod sheet;

pub(crate) use pages::{IssuePage, ReportBar, ReportsPage, report_rows, with_bar};
pub(crate) use print::print as print_sheet;
pub(crate) use sheet::{Letterhead, Sheet, sheet_part};
