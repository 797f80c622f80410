//! A sensor that never moves in one pull and does in the job's others: alone it could not be told from one
//! that is regulated.

use super::result::{ChannelSummary, Measured};
use crate::analysis::given::Vehicle;
use crate::channel::{Channel, Rest};
use crate::findings::Finding;
use crate::limits::{Limit, Verdict, Why};
use std::collections::BTreeSet;

/// Other pulls move by this many times what a value of the last digit's size could (our choice, as shares of
/// the value).
const MOVES: f64 = 0.004;
/// Other pulls that must have moved.
const ENOUGH: usize = 2;

/// Calls a limit's channel frozen where it kept one value through a whole pull and moved in every other pull
/// that has it: its verdict is "can't tell" then, unless it was over.
///
/// A limit on what is computed rests on each of its parts.
pub(super) fn flag_frozen(measured: &mut [Vec<Measured>], limits: &[Limit], vehicle: &Vehicle) {
    let formulas = vehicle.formulas();
    let logged: BTreeSet<Channel> =
        measured.iter().flatten().flat_map(|m| &m.channels).map(|c| c.channel.clone()).collect();
    let parts = |l: &Limit| {
        let of = formulas.iter().find(|f| f.name == l.channel);
        of.map_or_else(|| vec![l.channel.clone()], |f| f.channels(logged.iter()))
    };
    for (limit, channel) in limits.iter().flat_map(|l| parts(l).into_iter().map(move |c| (l, c))) {
        if channel.kind().is_none_or(|k| k.rest == Rest::Natural) {
            continue;
        }
        let moved = |c: &ChannelSummary| c.max - c.min > MOVES * c.max.abs().max(c.min.abs()).max(1e-9);
        let all: Vec<&ChannelSummary> = measured.iter().flatten().filter_map(|m| of(m, &channel)).collect();
        let still = all.iter().filter(|c| rests(c)).count();
        if still == 0 || all.iter().filter(|c| moved(c)).count() < ENOUGH.max(all.len() - still) {
            continue;
        }
        for m in measured.iter_mut().flatten() {
            let Some(value) = of(m, &channel).filter(|c| rests(c)).map(|c| c.mean) else { continue };
            let why = Why::StoodStillHere { channel: channel.clone(), value };
            for o in m
                .limits
                .iter_mut()
                .filter(|o| o.limit == limit.id && matches!(o.verdict, Verdict::Close | Verdict::Clear))
            {
                (o.verdict, o.why) = (Verdict::CantTell, Some(why.clone()));
            }
            let found = Finding::FrozenHere { channel: channel.clone(), value };
            if !m.flags.contains(&found) {
                m.flags.push(found);
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

#[cfg(test)]
mod tests {
    use super::*;
    use crate::analysis::tests::pull;
    use crate::limits::{Direction, LimitOutcome, Severity, Threshold};

    #[test]
    fn a_sensor_that_moves_in_every_other_pull_is_frozen_in_the_one_where_it_does_not() {
        let channel = Channel::new("exhaust_temp_1").unwrap();
        let limit = Limit {
            id: "egt".into(),
            channel: channel.clone(),
            direction: Direction::Above,
            threshold: Threshold::Constant(900.0),
            gate: Vec::new(),
            sustain_s: 0.5,
            caution: 25.0,
            severity: Severity::Stop,
            span: None,
            source: None,
            by: None,
            starting_point: false,
            applies_to: Default::default(),
        };
        let clear = LimitOutcome {
            limit: "egt".into(),
            verdict: Verdict::Clear,
            worst: Some(640.0),
            threshold: Some(900.0),
            margin: Some(260.0),
            share_used: None,
            from_s: None,
            to_s: None,
            rpm: None,
            clock: None,
            why: None,
        };
        let mut day = vec![[110.0, 110.3, 109.9].map(|peak| pull("p", peak, 0.0, 0.0)).to_vec()];
        for (m, range) in day[0].iter_mut().zip([[600.0, 810.0], [640.0, 640.0], [610.0, 820.0]]) {
            m.channels.push(ChannelSummary {
                channel: channel.clone(),
                mean: range[0],
                min: range[0],
                max: range[1],
                start: range[0],
            });
            m.limits.push(clear.clone());
        }
        flag_frozen(&mut day, &[limit], &crate::analysis::tests::vehicle());
        let verdicts: Vec<Verdict> = day[0].iter().map(|m| m.limits[0].verdict).collect();
        assert_eq!(verdicts, [Verdict::Clear, Verdict::CantTell, Verdict::Clear]);
    }
}
