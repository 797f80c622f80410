//! Whether two sets may be compared at all.

use crate::analysis::set::SetResult;
use crate::printed::Place;
use crate::pull::span::PullKind;

/// Why two sets cannot be compared.
#[derive(Debug, Clone, PartialEq)]
#[allow(missing_docs)]
pub enum NotComparable {
    /// A set has no pull with a power curve that counts.
    NoPull { set: String },
    /// They were pulled in different gears; `None` is a gear nobody stated.
    Gears([Option<String>; 2]),
    /// A set holds several kinds of pull.
    Mixed { set: String, kinds: Vec<PullKind> },
    /// They hold different kinds of pull.
    Kinds([Vec<PullKind>; 2]),
    /// One is an estimated flywheel figure, the other is measured at the wheel.
    Estimated,
    /// Their power was measured at different places; `None` is where the dyno measures.
    Places([Option<Place>; 2]),
    /// One stands against road speed.
    Axes,
    /// One carries an unknown correction, which can move it by this share.
    UnknownCorrection { set: String, spread: Option<f64> },
    /// They share no engine speed.
    NoSharedSpeed,
}

/// Why two sets cannot be compared; `None` when they can.
pub(super) fn not_comparable(a: &SetResult, b: &SetResult, across_gears: bool) -> Option<NotComparable> {
    if let Some(empty) = [a, b].into_iter().find(|s| s.n() == 0) {
        return Some(NotComparable::NoPull { set: empty.id.clone() });
    }
    if gears_differ(a, b) && !across_gears {
        return Some(NotComparable::Gears(gears(a, b)));
    }
    if let Some(mixed) = [a, b].into_iter().find(|s| s.kinds.len() > 1) {
        return Some(NotComparable::Mixed { set: mixed.id.clone(), kinds: mixed.kinds.clone() });
    }
    if a.kinds != b.kinds {
        return Some(NotComparable::Kinds([a.kinds.clone(), b.kinds.clone()]));
    }
    if a.estimated != b.estimated {
        return Some(NotComparable::Estimated);
    }
    if a.places != b.places {
        return Some(NotComparable::Places([a, b].map(|s| s.places.first().copied().flatten())));
    }
    if a.road_axis != b.road_axis {
        return Some(NotComparable::Axes);
    }
    // Two unknown ones of one cell and day carry the same, whatever it is.
    if (a.unknown || b.unknown) && !same_unknown(a, b) {
        let unknown = if a.unknown { a } else { b };
        let spread = unknown.spread.or(a.spread).or(b.spread);
        return Some(NotComparable::UnknownCorrection { set: unknown.id.clone(), spread });
    }
    if a.kinds == [PullKind::PeaksOnly] {
        return None;
    }
    let shared = match (a.mean_curve.span_rpm(), b.mean_curve.span_rpm()) {
        (Some(x), Some(y)) => x[0].max(y[0]) <= x[1].min(y[1]),
        _ => false,
    };
    (!shared).then_some(NotComparable::NoSharedSpeed)
}

/// Whether both carry an unknown correction that is the same one: of one cell and day.
pub(super) fn same_unknown(a: &SetResult, b: &SetResult) -> bool {
    a.unknown && b.unknown && a.day == b.day && !a.day.is_empty()
}

/// Whether two sets were pulled in different gears.
pub(super) fn gears_differ(a: &SetResult, b: &SetResult) -> bool {
    a.factors.get("gear") != b.factors.get("gear")
}

/// Their gears, as stated.
pub(super) fn gears(a: &SetResult, b: &SetResult) -> [Option<String>; 2] {
    [a, b].map(|s| s.factors.get("gear").cloned())
}
