//! Every limit against every set: word, glyph, share used, worst place, and the way to the samples.

use super::{LANES, around, cylinder_words, query_of};
use crate::prefs::Prefs;
use jamjar_chart::spark_svg;
use jamjar_core::analysis::Measured;
use jamjar_core::factors::Factors;
use jamjar_core::limits::{Limit, LimitOutcome, Verdict};
use jamjar_core::words::{limit_place, limit_rule, limit_sentence};
use jamjar_store::VehicleRecord;

/// A set as a column.
pub(crate) struct Column<'a> {
    /// What it is called in reasons.
    pub(crate) name: String,
    pub(crate) map: String,
    pub(crate) detail: String,
    pub(crate) tone: &'static str,
    pub(crate) factors: Factors,
    pub(crate) verdicts: &'a [LimitOutcome],
    /// Its pulls: ids and what was measured.
    pub(crate) pulls: Vec<(i64, &'a Measured)>,
}

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
    used: Option<f64>,
}

/// A limit with what was found of it in each set.
pub(crate) struct MatrixRow {
    pub(crate) id: String,
    pub(crate) label: String,
    pub(crate) rule: String,
    pub(crate) cells: Vec<MatrixCell>,
    /// Share used from column to column; blank with fewer than three.
    pub(crate) trend: String,
    /// Reasons, each with its sets, where nothing can be said.
    pub(crate) reasons: Vec<String>,
}

/// So many limits keep their order; of more the most pressing come first (our choice: one screen).
const AS_THEY_STAND: usize = 24;

impl MatrixRow {
    /// What is over comes first, then what nobody knows, then what is close.
    fn pressing(&self) -> u8 {
        let any = |word: &str| self.cells.iter().any(|c| c.word == word);
        match () {
            () if self.cells.iter().any(|c| c.warn) => 0,
            () if any("can't tell") || any("not measured") => 1,
            () if self.cells.iter().any(|c| c.loud) => 2,
            () => 3,
        }
    }
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
fn worst_pull(c: &Column<'_>, limit: &Limit, o: &LimitOutcome) -> Option<String> {
    let same = |m: &Measured| {
        m.limits.iter().any(|x| x.limit == o.limit && x.verdict == o.verdict && x.worst == o.worst)
    };
    let id = c.pulls.iter().find(|p| same(p.1))?.0;
    let kind = limit.channel.kind().map_or("", |k| k.name);
    let lane = LANES.iter().find(|d| d.kinds.contains(&kind)).map_or(limit.channel.as_str(), |d| d.id);
    let mut pairs = vec![("axis", "rpm".to_owned()), ("lanes", format!("{lane},power"))];
    pairs.extend(o.rpm.into_iter().flat_map(|rpm| around([rpm; 2])));
    Some(format!("/pulls/{id}?{}", query_of(&pairs)))
}

fn cell(c: &Column<'_>, limit: &Limit) -> MatrixCell {
    let Some(o) = c.verdicts.iter().find(|o| o.limit == limit.id) else {
        let (word, loud) =
            if limit.applies(&c.factors) { ("not judged", true) } else { ("not for this", false) };
        return MatrixCell {
            glyph: if loud { "–" } else { "" },
            word,
            share: String::new(),
            href: String::new(),
            warn: false,
            loud,
            sentence: word.into(),
            used: None,
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
        href: worst_pull(c, limit, o).unwrap_or_default(),
        warn: o.verdict == Verdict::Over && !limit.starting_point,
        loud: matches!(o.verdict, Verdict::Over | Verdict::Close | Verdict::CantTell | Verdict::NotMeasured),
        sentence: limit_sentence(limit, o),
        used: o.share_used.filter(|_| judged),
    }
}

/// Limits of a vehicle in their order, columns as given; cylinders go by their names.
pub(crate) fn matrix(vehicle: &VehicleRecord, columns: &[Column<'_>], prefs: &Prefs) -> Matrix {
    let limits = &vehicle.limits;
    let head = |c: &Column<'_>| MatrixHead { map: c.map.clone(), detail: c.detail.clone(), tone: c.tone };
    let row = |limit: &Limit| {
        let cells: Vec<MatrixCell> = columns.iter().map(|c| cell(c, limit)).collect();
        let mut reasons: Vec<(String, Vec<String>)> = Vec::new();
        for (c, column) in
            cells.iter().zip(columns).filter(|(c, _)| matches!(c.word, "can't tell" | "not measured"))
        {
            match reasons.iter_mut().find(|r| r.0 == c.sentence) {
                Some(known) => known.1.push(column.name.clone()),
                None => reasons.push((c.sentence.clone(), vec![column.name.clone()])),
            }
        }
        let all = columns.len();
        let said = |(why, who): (String, Vec<String>)| {
            if who.len() == all {
                format!("{why} (every set)")
            } else {
                format!("{why} ({})", who.join(", "))
            }
        };
        let used: Vec<f64> = cells.iter().filter_map(|c| c.used.map(|u| u.max(0.0))).collect();
        let only: Vec<String> = limit.applies_to.values().map(|v| v.join(" or ")).collect();
        let only = if only.is_empty() { String::new() } else { format!(" · {}", only.join(", ")) };
        MatrixRow {
            id: limit.id.clone(),
            label: format!(
                "{}{only}{}",
                cylinder_words(&limit.channel, &vehicle.sheet.cylinders),
                if limit.starting_point { " (starting point)" } else { "" }
            ),
            rule: limit_rule(limit, prefs.units()),
            trend: if used.len() < 3 { String::new() } else { trend(&used) },
            cells,
            reasons: reasons.into_iter().map(said).collect(),
        }
    };
    let mut rows: Vec<MatrixRow> = limits.iter().map(row).collect();
    if rows.len() > AS_THEY_STAND {
        rows.sort_by_key(MatrixRow::pressing);
    }
    Matrix { heads: columns.iter().map(head).collect(), rows }
}

/// Shares from left to right under the line at which the limit is crossed.
fn trend(used: &[f64]) -> String {
    let points: Vec<(f64, f64)> = used.iter().enumerate().map(|(i, u)| (i as f64, *u)).collect();
    let most = used.iter().copied().fold(1.0, f64::max);
    spark_svg(&points, [0.0, (used.len() - 1) as f64], most)
}
