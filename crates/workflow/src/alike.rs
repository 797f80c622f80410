//! Two maps pulled with the same of everything else on one day: where their difference is the map's.

use jamjar_core::factors::differing;
use jamjar_store::SetWithPulls;

/// The newest such pair of a day: of a set that fits `a`, and one that fits `b`, which differ in the map alone. Sets
/// marked invalid are none.
pub(crate) fn alike(
    day: &[SetWithPulls],
    a: impl Fn(&SetWithPulls) -> bool,
    b: impl Fn(&SetWithPulls) -> bool,
) -> Option<[usize; 2]> {
    let counts = |i: &usize| day[*i].set.invalid.is_none() && !day[*i].pulls.is_empty();
    let sets = |fits: &dyn Fn(&SetWithPulls) -> bool| -> Vec<usize> {
        (0..day.len()).rev().filter(counts).filter(|i| fits(&day[*i])).collect()
    };
    let (first, second) = (sets(&a), sets(&b));
    second.into_iter().find_map(|j| {
        let f = day[j].set.config.factors();
        let i = first.iter().find(|i| differing(&day[**i].set.config.factors(), &f) == ["map"])?;
        Some([*i, j])
    })
}
