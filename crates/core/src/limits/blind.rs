//! Blind spots: limits nobody measured, and which sensor would close them.

use super::model::{Limit, LimitOutcome, Severity, Verdict};
use super::why::Why;
use crate::channel::Channel;

/// A sensor that is missing.
#[derive(Debug, Clone, PartialEq)]
pub struct Blind {
    /// What was not logged.
    pub channel: Channel,
    /// Ids of the limits that wait for it.
    pub limits: Vec<String>,
    /// Sets, by number, in which it is missing.
    pub sets: Vec<usize>,
    /// Of those the sets in which nothing else keeps a stop limit from being judged: it alone decides there.
    pub decides: usize,
    /// Whether a stop limit waits for it.
    pub stop: bool,
}

/// Sensors to fit, the one that decides most first: sets it alone decides, then stop limits, then sets.
///
/// `sets` holds the verdicts of each set.
pub fn blind_spots(sets: &[&[LimitOutcome]], limits: &[Limit]) -> Vec<Blind> {
    let mut out: Vec<Blind> = Vec::new();
    for (k, verdicts) in sets.iter().enumerate() {
        let missing: Vec<(&Limit, &Channel)> = verdicts
            .iter()
            .filter(|o| o.verdict == Verdict::NotMeasured)
            .filter_map(|o| {
                let limit = limits.iter().find(|l| l.id == o.limit)?;
                match &o.why {
                    Some(Why::NotLogged { channel, .. }) => Some((limit, channel)),
                    _ => None,
                }
            })
            .collect();
        let unjudged = verdicts.iter().filter(|o| {
            let stop = limits.iter().any(|l| l.id == o.limit && l.severity == Severity::Stop);
            stop && matches!(o.verdict, Verdict::NotMeasured | Verdict::CantTell)
        });
        let unjudged: Vec<&str> = unjudged.map(|o| o.limit.as_str()).collect();
        for (limit, channel) in &missing {
            let at = out.iter().position(|b| b.channel == **channel).unwrap_or_else(|| {
                let channel = (*channel).clone();
                out.push(Blind { channel, limits: Vec::new(), sets: Vec::new(), decides: 0, stop: false });
                out.len() - 1
            });
            let b = &mut out[at];
            if !b.limits.contains(&limit.id) {
                b.limits.push(limit.id.clone());
            }
            b.stop |= limit.severity == Severity::Stop;
            if b.sets.last() != Some(&k) {
                b.sets.push(k);
                let own = |id: &&str| missing.iter().any(|m| m.0.id == *id && m.1 == *channel);
                b.decides += usize::from(!unjudged.is_empty() && unjudged.iter().all(own));
            }
        }
    }
    out.sort_by(|a, b| {
        let key = |x: &Blind| (x.decides, x.stop, x.sets.len(), x.limits.len());
        key(b).cmp(&key(a)).then_with(|| a.channel.cmp(&b.channel))
    });
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::limits::Wanted;

    fn limit(id: &str, channel: &str, stop: bool) -> Limit {
        let severity = if stop { "stop" } else { "caution" };
        serde_json::from_value(serde_json::json!({
            "id": id, "channel": channel, "direction": "above", "threshold": 1.0, "severity": severity
        }))
        .unwrap()
    }

    #[test]
    fn the_sensor_that_alone_decides_comes_first() {
        let limits = [
            limit("lean", "lambda_1", true),
            limit("egt", "exhaust_temp_1", true),
            limit("oil", "oil_temp", false),
            limit("egt-2", "exhaust_temp_1", true),
        ];
        let clear = |id: &str| {
            LimitOutcome {
                verdict: Verdict::Clear,
                why: None,
                ..LimitOutcome::unjudged(&limits[0], Verdict::Clear, Why::NeverGated)
            }
            .called(id)
        };
        let not = |l: &Limit| {
            let why = Why::NotLogged { channel: l.channel.clone(), wanted: Wanted::ItIsJudged };
            LimitOutcome::unjudged(l, Verdict::NotMeasured, why)
        };
        let first = [clear("lean"), not(&limits[1]), not(&limits[2]), not(&limits[3])];
        let second = [not(&limits[0]), not(&limits[1]), clear("oil"), not(&limits[3])];
        let spots = blind_spots(&[&first, &second], &limits);
        let told: Vec<(&str, usize, usize, bool)> =
            spots.iter().map(|b| (b.channel.as_str(), b.decides, b.sets.len(), b.stop)).collect();
        assert_eq!(
            told,
            [("exhaust_temp_1", 1, 2, true), ("lambda_1", 0, 1, true), ("oil_temp", 0, 1, false)]
        );
        assert_eq!(spots[0].limits, ["egt", "egt-2"]);
        assert!(blind_spots(&[&[clear("lean")]], &limits).is_empty());
    }

    impl LimitOutcome {
        fn called(mut self, id: &str) -> Self {
            self.limit = id.to_owned();
            self
        }
    }
}
