//! A set: its corrected pulls, their figures, its mean curve, whether it has settled.

mod along;
mod boost_hold;
mod channel;
mod corrected;
mod curves;
mod figure;
mod result;
mod settled;

pub use along::OtherAxis;
pub use boost_hold::{BoostHold, BoostSeen, HoldCause, boost_hold};
pub use channel::{ChannelFigures, ChannelOnGrid, Level, SetChannel};
pub use corrected::{Corrected, corrected};
pub use figure::Figure;
pub use result::{SetFigures, SetResult, analyse_sets, figures_of, set_verdicts};
pub(super) use settled::SETTLED_SHARE;
pub use settled::Settled;
