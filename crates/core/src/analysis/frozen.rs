//! A sensor that never moves in one pull and does in the job's others: alone it could not be told from one that is regulated.

use super::measure::{ChannelSummary, Measured};
use crate::channel::{Channel, Rest};
use crate::limits::{Limit, Verdict};
use crate::log::Flag;

/// Other pulls move by this many times what a value of the last digit's size could (our choice, as shares of the value).
const MOVES: f64 = 0.004;
/// Other pulls that must have moved.
const ENOUGH: usize = 2;

/// Calls a limit's channel frozen where it kept one value through a whole pull and moved in every other pull that has it: its verdict is
/// "can't tell" then, unless it was over.
pub(super) fn flag_frozen(measured: &mut [Vec<Measured>], limits: &[Limit]) {
    for limit in limits {
        if limit.channel.kind().is_none_or(|k| k.rest == Rest::Natural) {
            continue;
        }
        let moved = |c: &ChannelSummary| c.max - c.min > MOVES * c.max.abs().max(c.min.abs()).max(1e-9);
        let all: Vec<&ChannelSummary> = measured.iter().flatten().filter_map(|m| of(m, &limit.channel)).collect();
        let still = all.iter().filter(|c| rests(c)).count();
        if still == 0 || all.iter().filter(|c| moved(c)).count() < ENOUGH.max(all.len() - still) {
            continue;
        }
        for m in measured.iter_mut().flatten() {
            let Some(value) = of(m, &limit.channel).filter(|c| rests(c)).map(|c| c.mean) else { continue };
            let text = format!("{} stood still at {value} through this pull and moved in the others: frozen sensor?", limit.channel.label());
            for o in m.limits.iter_mut().filter(|o| o.limit == limit.id && matches!(o.verdict, Verdict::Close | Verdict::Clear)) {
                (o.verdict, o.reason) = (Verdict::CantTell, Some(text.clone()));
            }
            if m.flags.iter().all(|f| f.text != text) {
                m.flags.push(Flag::new("frozen", text));
            }
        }
    }
}

fn of<'a>(m: &'a Measured, channel: &Channel) -> Option<&'a ChannelSummary> {
    m.channels.iter().find(|c| c.channel == *channel)
}

/// One value to the last digit.
#[allow(clippy::float_cmp)]
fn rests(c: &ChannelSummary) -> bool {
    c.min == c.max
}
