//! The cell's own view: the newest pull, read from two metres.

use crate::prefs::Prefs;
use crate::views::Shell;
use crate::views::common::{PlanRow, count, on_lineup, signed};
use askama::Template;
use jamjar_core::analysis::{Figure, Now};
use jamjar_core::limits::{LimitOutcome, Verdict};
use jamjar_core::words::{now_sentence, now_word, verdict_line};
use jamjar_store::Running;
use jamjar_workflow::moment::Moment;
use jamjar_workflow::watch::FolderNews;

/// A figure large enough to be read from afar.
pub(crate) struct Large {
    pub(crate) value: String,
    pub(crate) label: String,
}

/// The newest pull.
pub(crate) struct NewestPull {
    pub(crate) word: &'static str,
    /// Nothing may go on as it is.
    pub(crate) stop: bool,
    pub(crate) why: String,
    pub(crate) name: String,
    pub(crate) ended: String,
    pub(crate) href: String,
    pub(crate) lineup: String,
    pub(crate) figures: Vec<Large>,
    /// The limit with the least margin, in words.
    pub(crate) limit: String,
    /// No limit was judged.
    pub(crate) blind: bool,
    /// Share of its margin used, pull by pull of the set.
    pub(crate) trend: String,
    pub(crate) unseen: String,
    /// Proposed to be left out.
    pub(crate) leave_out: Option<i64>,
}

#[derive(Template)]
#[template(path = "cell_now.html")]
pub(crate) struct CellNowPage {
    pub(crate) shell: Shell,
    pub(crate) cell_id: i64,
    pub(crate) cell: String,
    pub(crate) day_id: Option<i64>,
    pub(crate) vehicle: String,
    pub(crate) newest: Option<NewestPull>,
    pub(crate) runs: String,
    pub(crate) next: String,
    pub(crate) folder: String,
    pub(crate) news: FolderNews,
}

/// What runs now, in words.
pub(crate) fn runs_words(r: Option<&Running>) -> String {
    let Some(r) = r else { return String::new() };
    let c = &r.config;
    let parts = [c.map.as_str(), c.fuel.as_str(), c.boost.as_str()];
    parts.into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(", ")
}

/// The first of the plan that is not pulled.
pub(crate) fn next_words(plan: &[PlanRow]) -> String {
    let next = plan.iter().find(|p| !p.done);
    next.map_or_else(String::new, |p| format!("{}, {}", p.words, count(p.pulls as usize, "pull")))
}

/// The newest pull as it is shown.
pub(crate) fn newest(m: &Moment, prefs: &Prefs) -> NewestPull {
    let l = &m.lineup;
    let prefs = &on_lineup(prefs, l);
    let (set, r) = (&l.sets[m.set].set, &l.results[m.set]);
    let measured = &l.measured[m.set][m.pull];
    let c = l.comparisons.iter().find(|c| c.candidate == m.set);
    let more =
        c.and_then(|c| l.can_show(c, Figure::PeakPower, prefs.margin_kw.unwrap_or(2.0))).and_then(|s| s.more);
    let unit = prefs.power.label();
    let own = r.pull_figures[m.pull].peak_power.map(|p| p.value);
    let mean = r.figure(Figure::PeakPower).mean;
    let mut figures = Vec::new();
    if let Some(p) = own {
        let at =
            r.pull_figures[m.pull].peak_power.map_or_else(String::new, |p| format!(" at {:.0} rpm", p.rpm));
        figures.push(Large { value: format!("{:.1}", prefs.power.from_kw(p)), label: format!("{unit}{at}") });
    }
    if let (Some(p), Some(mean), true) = (own, mean, r.n() > 1) {
        let value = signed(prefs.power.from_kw(p - mean));
        figures.push(Large { value, label: format!("{unit} against the mean of its set") });
    }
    if let Some(f) = c.and_then(|c| c.figure(Figure::PeakPower)) {
        let value = f.mean_difference.map_or_else(|| "–".to_owned(), |d| signed(prefs.power.from_kw(d)));
        let half = f.ci95.map_or_else(
            || format!("{unit}, no interval yet"),
            |ci| format!("± {:.1} {unit}", prefs.power.from_kw((ci[1] - ci[0]) / 2.0)),
        );
        let label = format!("{half}; its set against the baseline: {}", f.verdict.label());
        figures.push(Large { value, label });
    }
    let (limit, trend) = nearest(m, prefs);
    let unseen = measured
        .limits
        .iter()
        .filter(|o| matches!(o.verdict, Verdict::NotMeasured | Verdict::CantTell))
        .count();
    let ended = measured.span.map_or_else(String::new, |s| format!("ended by {}", s.ended_by.label()));
    let judged = |o: &LimitOutcome| o.verdict.is_judged();
    NewestPull {
        blind: !measured.limits.iter().any(judged),
        word: now_word(&m.now),
        stop: matches!(m.now, Now::Stop(_)),
        why: now_sentence(&m.now, &l.vehicle.limits, prefs.units(), more),
        name: format!("pull {} of {} on {}", m.pull + 1, set.config.map, set.config.fuel),
        ended,
        href: format!("/pulls/{}", m.pull_id),
        lineup: if l.sets.len() > 1 {
            format!("/line-up?sets={},{}&base={}", l.sets[l.base].set.id, set.id, l.sets[l.base].set.id)
        } else {
            String::new()
        },
        figures,
        limit,
        trend,
        unseen: match unseen {
            0 => String::new(),
            1 => "1 limit could not be judged".into(),
            n => format!("{n} limits could not be judged"),
        },
        leave_out: (m.now == Now::LeaveOut).then_some(m.pull_id),
    }
}

/// The limit with the least margin left of this pull, and how it went over the set.
fn nearest(m: &Moment, prefs: &Prefs) -> (String, String) {
    let l = &m.lineup;
    let judged = |o: &&LimitOutcome| o.verdict.is_judged();
    let used = |o: &LimitOutcome| o.share_used.unwrap_or(0.0);
    let all = l.measured[m.set][m.pull].limits.iter().filter(judged);
    let Some(worst) = all.max_by(|a, b| used(a).total_cmp(&used(b))) else {
        return ("No limit was judged: nothing is known of any margin.".into(), String::new());
    };
    let Some(limit) = l.vehicle.limits.iter().find(|k| k.id == worst.limit) else {
        return Default::default();
    };
    let share = |k: usize| {
        let own = l.measured[m.set][k].limits.iter().find(|o| o.limit == worst.limit)?;
        Some(format!("{:.0} %", 100.0 * own.share_used.filter(|s| *s > 0.0)?))
    };
    let trend: Vec<String> = (0..=m.pull).filter_map(share).collect();
    let words = format!("{}: {}", limit.channel.label(), verdict_line(limit, worst, prefs.units()));
    (words, if trend.len() > 1 { format!("margin used: {}", trend.join(" → ")) } else { String::new() })
}
