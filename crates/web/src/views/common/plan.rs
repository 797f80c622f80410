//! What is planned for a vehicle, and kept line-ups.

use crate::written::Written;
use jamjar_core::factors::{Factors, USUAL, says};
use jamjar_store::{KeptLineUp, PlanItem};

pub(crate) struct PlanRow {
    pub(crate) id: i64,
    pub(crate) words: String,
    pub(crate) pulls: i32,
    pub(crate) why: String,
    pub(crate) done: bool,
}

pub(crate) struct KeptRow {
    pub(crate) id: i64,
    pub(crate) name: String,
    pub(crate) href: String,
    pub(crate) when: String,
}

/// A configuration in words, the usual factors first.
fn words(f: &Factors) -> String {
    let named = |k: &str, v: &str| {
        if ["map", "fuel", "boost"].contains(&k) {
            v.to_owned()
        } else {
            format!("{} {v}", k.replace('_', " "))
        }
    };
    let first = USUAL.iter().filter_map(|k| f.get(*k).map(|v| named(k, v)));
    let rest = f.iter().filter(|(k, _)| !USUAL.contains(&k.as_str())).map(|(k, v)| named(k, v));
    first.chain(rest).filter(|w| !w.is_empty()).collect::<Vec<_>>().join(", ")
}

/// `run` are the configurations pulled so far.
pub(crate) fn plan_rows(items: &[PlanItem], run: &[Factors]) -> Vec<PlanRow> {
    let row = |p: &PlanItem| PlanRow {
        id: p.id,
        words: words(&p.factors),
        pulls: p.pulls,
        why: p.why.clone(),
        done: run.iter().any(|r| says(r, &p.factors)),
    };
    items.iter().map(row).collect()
}

pub(crate) fn kept_rows(kept: &[KeptLineUp], written: &Written) -> Vec<KeptRow> {
    let row = |k: &KeptLineUp| KeptRow {
        id: k.id,
        name: k.name.clone(),
        href: format!("/line-up?{}", k.query),
        when: written.date(k.kept_at.date()),
    };
    kept.iter().map(row).collect()
}
