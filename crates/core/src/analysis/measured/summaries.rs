//! What every channel did within a pull.

use super::result::ChannelSummary;
use crate::log::Recording;
use crate::pull::align::Alignment;
use crate::pull::span::PullSpan;

/// Every channel of both recordings within a pull; of a channel that both have, the engine computer's.
pub(super) fn summaries(
    dyno: &Recording,
    ecu: Option<&Recording>,
    alignment: &Alignment,
    p: &PullSpan,
) -> Vec<ChannelSummary> {
    let mut out: Vec<ChannelSummary> = Vec::new();
    let lag = alignment.usable_lag();
    for (log, shift) in [ecu.zip(lag), Some((dyno, 0.0))].into_iter().flatten() {
        for channel in log.channels.keys() {
            let Some(all) = log.samples(channel.as_str()) else { continue };
            let s = all.view().between(p.from_s + shift, p.to_s + shift);
            if !s.is_empty() && out.iter().all(|o| o.channel != *channel) {
                let (min, max) =
                    s.v.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (a.min(*v), b.max(*v)));
                out.push(ChannelSummary {
                    channel: channel.clone(),
                    mean: s.v.iter().sum::<f64>() / s.len() as f64,
                    min,
                    max,
                    start: s.v[0],
                });
            }
        }
    }
    out
}
