//! The sets of a line-up as columns of limits.

use super::names::{detail_of, name_of};
use crate::views::common::{Column, Encoding};
use jamjar_workflow::lineup::LineUp;
use std::sync::Arc;

/// Columns in the order given.
pub(crate) fn limit_columns<'a>(l: &'a LineUp, e: &Encoding, order: &[usize]) -> Vec<Column<'a>> {
    let of = |&i: &usize| {
        let s = &l.sets[i];
        Column {
            name: name_of(l, i),
            map: s.set.config.map.clone(),
            detail: detail_of(l, i),
            tone: e.tone(&s.set).name(),
            factors: l.results[i].factors.clone(),
            verdicts: &l.verdicts[i],
            pulls: s.pulls.iter().map(|p| p.0.id).zip(l.measured[i].iter().map(Arc::as_ref)).collect(),
        }
    };
    order.iter().map(of).collect()
}
