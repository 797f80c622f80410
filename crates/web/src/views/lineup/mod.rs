//! The line-up: what was asked, the names of its sets, its chart, its figures, what is concluded, and
//! the page that places them.

mod asked;
mod caveats;
mod chart;
mod figures;
mod held;
mod matrix;
mod names;
mod page;
mod places;
mod power;
mod several;
mod speeds;
mod split;
mod tracks;

pub(crate) use asked::{Fields, LineUpAsked};
pub(crate) use chart::chart_of;
pub(crate) use figures::{FigureCell, FigureRow, figure_row};
pub(crate) use matrix::limit_columns;
pub(crate) use names::{focus_of, name_of};
pub(crate) use page::{Choose, ChooseRow};
pub(crate) use page::{StateRow, by_peak, lineup_page};
pub(crate) use places::place_of;
pub(crate) use several::several_page;
pub(crate) use tracks::{channels_shown, tracks};
