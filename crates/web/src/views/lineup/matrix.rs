//! Every limit against every set: word, glyph, share used, worst place, and the way to the samples.

use super::names::{detail_of, name_of};
use crate::prefs::Prefs;
use crate::views::common::{Encoding, LANES, around, query_of};
use jamjar_core::analysis::Measured;
use jamjar_core::limits::{Limit, LimitOutcome, Verdict};
use jamjar_core::words::{limit_place, limit_rule, limit_sentence};
use jamjar_workflow::lineup::LineUp;

/// A set as the head of a column.
pub(crate) struct MatrixHead {
    pub(crate) map: String,
    pub(crate) detail: String,
    pub(crate) tone: &'static str,
}

/// One limit on one set.
pub(crate) struct MatrixCell {
    pub(crate) glyph: &'static str,
    pub(crate) word: &'static str,
    /// Share used and where: "96 % at 5900".
    pub(crate) share: String,
    /// The pull in which it was worst, there.
    pub(crate) href: String,
    pub(crate) warn: bool,
    pub(crate) loud: bool,
    /// The whole sentence, with the reason where nothing can be said.
    pub(crate) sentence: String,
}

/// A limit with what was found of it in each set.
pub(crate) struct MatrixRow {
    pub(crate) label: String,
    pub(crate) rule: String,
    pub(crate) cells: Vec<MatrixCell>,
    /// Reasons, each with its sets, where nothing can be said.
    pub(crate) reasons: Vec<String>,
}

/// Limits with sets.
pub(crate) struct Matrix {
    pub(crate) heads: Vec<MatrixHead>,
    pub(crate) rows: Vec<MatrixRow>,
}

/// The glyph of a verdict: how full its jar is, or that nobody looked.
fn glyph(v: Verdict) -> &'static str {
    match v {
        Verdict::Over => "●",
        Verdict::Close => "◐",
        Verdict::Clear => "○",
        Verdict::CantTell => "?",
        Verdict::NotMeasured => "–",
        Verdict::NotReached => "·",
    }
}

/// The pull whose worst is that of the set, opened at its place with the channel's lane first.
fn worst_pull(l: &LineUp, i: usize, limit: &Limit, o: &LimitOutcome) -> Option<String> {
    let same = |m: &Measured| {
        m.limits.iter().any(|x| x.limit == o.limit && x.verdict == o.verdict && x.worst == o.worst)
    };
    let k = l.measured[i].iter().position(same)?;
    let kind = limit.channel.kind().map_or("", |k| k.name);
    let lane = LANES.iter().find(|d| d.kinds.contains(&kind)).map_or(limit.channel.as_str(), |d| d.id);
    let mut pairs = vec![("axis", "rpm".to_owned()), ("lanes", format!("{lane},power"))];
    pairs.extend(o.rpm.into_iter().flat_map(|rpm| around([rpm; 2])));
    Some(format!("/pulls/{}?{}", l.sets[i].pulls.get(k)?.0.id, query_of(&pairs)))
}

fn cell(l: &LineUp, i: usize, limit: &Limit) -> MatrixCell {
    let Some(o) = l.verdicts[i].iter().find(|o| o.limit == limit.id) else {
        return MatrixCell {
            glyph: "–",
            word: "not judged",
            share: String::new(),
            href: String::new(),
            warn: false,
            loud: true,
            sentence: "not judged".into(),
        };
    };
    let at = limit_place(o, "");
    let judged = o.verdict.is_judged();
    MatrixCell {
        glyph: glyph(o.verdict),
        word: o.verdict.label(),
        share: match (judged, o.share_used) {
            (true, Some(s)) if s > 0.0 => format!("{:.0} %{at}", 100.0 * s),
            (true, Some(_)) => "far".into(),
            (true, None) => at.trim().to_owned(),
            (false, _) => String::new(),
        },
        href: worst_pull(l, i, limit, o).unwrap_or_default(),
        warn: o.verdict == Verdict::Over && !limit.starting_point,
        loud: matches!(o.verdict, Verdict::Over | Verdict::Close | Verdict::CantTell | Verdict::NotMeasured),
        sentence: limit_sentence(limit, o),
    }
}

/// Columns stand in the order given.
pub(super) fn matrix(l: &LineUp, e: &Encoding, prefs: &Prefs, order: &[usize]) -> Matrix {
    let head = |i: &usize| MatrixHead {
        map: l.sets[*i].set.config.map.clone(),
        detail: detail_of(l, *i),
        tone: e.tone(&l.sets[*i].set).name(),
    };
    let row = |limit: &Limit| {
        let cells: Vec<MatrixCell> = order.iter().map(|i| cell(l, *i, limit)).collect();
        let mut reasons: Vec<(String, Vec<String>)> = Vec::new();
        for (c, i) in cells.iter().zip(order).filter(|(c, _)| matches!(c.word, "can't tell" | "not measured"))
        {
            match reasons.iter_mut().find(|r| r.0 == c.sentence) {
                Some(known) => known.1.push(name_of(l, *i)),
                None => reasons.push((c.sentence.clone(), vec![name_of(l, *i)])),
            }
        }
        let all = order.len();
        let said = |(why, who): (String, Vec<String>)| {
            if who.len() == all {
                format!("{why} (every set)")
            } else {
                format!("{why} ({})", who.join(", "))
            }
        };
        MatrixRow {
            label: format!(
                "{}{}",
                limit.channel.label(),
                if limit.starting_point { " (starting point)" } else { "" }
            ),
            rule: limit_rule(limit, prefs.units()),
            cells,
            reasons: reasons.into_iter().map(said).collect(),
        }
    };
    Matrix { heads: order.iter().map(head).collect(), rows: l.vehicle.limits.iter().map(row).collect() }
}
