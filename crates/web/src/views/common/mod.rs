//! What pages share: marks of sets, switches, a day's plan, figures, addresses, small wordings.

mod address;
mod air;
mod attached;
mod columns;
mod cylinder;
mod encode;
mod figure;
mod heat;
mod here;
mod lanes;
mod limit_row;
mod matrix;
mod observed;
mod plan;
mod price;
mod switches;
mod words;

pub(crate) use address::{listed_query, query_of};
pub(crate) use air::air_words;
pub(crate) use attached::{AttachedRow, attached_rows, size_words};
pub(crate) use columns::{ColumnTable, channels, column_rows, units};
pub(crate) use cylinder::cylinder_words;
pub(crate) use encode::{Encoding, SetTag, jar_of};
pub(crate) use figure::{FigureAsked, around, in_quantity, in_unit, quantity_unit, unit_of};
pub(crate) use heat::heat;
pub(crate) use here::{here_of, on_lineup};
pub(crate) use lanes::{LANES, LaneDef, lane_ids, limit_line, named_with_unit};
pub(crate) use limit_row::{LimitRow, limit_rows};
pub(crate) use matrix::{Column, Matrix, MatrixRow, matrix};
pub(crate) use observed::{KINDS as OBSERVED_KINDS, ObservedRow, observed_rows, place_words};
pub(crate) use plan::{KeptRow, PlanRow, kept_rows, plan_rows};
pub(crate) use price::costs_words;
pub(crate) use switches::{AxisLink, Choice, Setting, choices, same_within, settings, unit_settings};
pub(crate) use words::{
    against_quoted_words, assignments, count, dyno_kinds, engine_speed, id_of, number_words, signed, stretch,
};
