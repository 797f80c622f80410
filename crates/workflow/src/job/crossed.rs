//! Interventions of a job: software, parts and sensors that changed between sets are factors of every
//! comparison that crosses them.

use super::input::{Intervention, Job, JobSet};
use chrono::{NaiveDate, NaiveDateTime, NaiveTime};
use jamjar_core::factors::Factors;
use jamjar_core::factors::crossed::{Crossing, Moment, Unsure, crossed};
use jamjar_core::findings::Finding;

/// A moment as a job says it: a date, or a date with a time.
pub(super) fn moment(text: &str) -> Option<Moment> {
    let text = text.trim().trim_end_matches('Z');
    if let Ok(d) = text.parse::<NaiveDate>() {
        return Some((d, None));
    }
    ["%Y-%m-%dT%H:%M:%S%.f", "%Y-%m-%dT%H:%M", "%Y-%m-%d %H:%M:%S%.f", "%Y-%m-%d %H:%M"]
        .iter()
        .find_map(|f| NaiveDateTime::parse_from_str(text, f).ok())
        .map(|t| (t.date(), Some(t.time())))
}

/// When a set was pulled: the moment of its first pull that has one, else its day with its clock time.
fn when(s: &JobSet) -> Option<Moment> {
    let stated = s.pulls.iter().filter_map(|p| p.at.as_deref()).find_map(moment);
    stated.or_else(|| {
        let day = s.day.parse().ok()?;
        let seconds = s.at_h.map(|h| (h * 3600.0).round() as u32);
        Some((day, seconds.and_then(|x| NaiveTime::from_num_seconds_from_midnight_opt(x, 0))))
    })
}

/// What the interventions make of a set: each `what` with its state at the time of the set, and what is to be
/// said of those that are ordered by day alone.
pub(super) fn states(job: &Job, set: &JobSet) -> (Factors, Vec<Finding>) {
    let Some(at) = when(set) else { return (Factors::new(), Vec::new()) };
    let crossing = |i: &Intervention| {
        Some(Crossing { at: moment(&i.at)?, what: i.what.clone(), from: i.from.clone(), to: i.to.clone() })
    };
    let all: Vec<Crossing> = job.interventions.iter().filter_map(crossing).collect();
    let (states, unsure) = crossed(&all, at);
    let said = |u: Unsure| Finding::InterventionTime { what: u.what, same_day: u.same_day };
    (states, unsure.into_iter().map(said).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_are_dates_with_or_without_a_time() {
        assert_eq!(moment("2026-03-02").unwrap().1, None);
        assert_eq!(moment("2026-03-02T11:40").unwrap().1, NaiveTime::from_hms_opt(11, 40, 0));
        assert_eq!(moment("2026-03-02T11:40:30Z").unwrap().1, NaiveTime::from_hms_opt(11, 40, 30));
        assert_eq!(moment("yesterday"), None);
    }
}
