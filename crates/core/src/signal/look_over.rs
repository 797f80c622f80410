//! What stands out in a recording's sensors.

use super::savgol::median_step;
use super::stuck::{Still, Watched};
use crate::channel::Rest;
use crate::findings::Finding;
use crate::log::{Recording, Samples};

/// What stands out in a recording's sensors: gaps, and in the pull ends of range and sensors that stood
/// still. Nothing is changed; limits judge the same samples on their own. `pull` is its start and end on the
/// recording's clock.
pub fn look_over(log: &Recording, pull: Option<[f64; 2]>) -> Vec<Finding> {
    let speed = log.samples("engine_speed").or_else(|| log.samples("roller_speed"));
    let mut out = Vec::new();
    if let Some(step) = median_step(&log.t)
        && let Some(w) = log
            .t
            .windows(2)
            .filter(|w| w[1] - w[0] > (8.0 * step).max(0.5))
            .max_by(|a, b| (a[1] - a[0]).total_cmp(&(b[1] - b[0])))
    {
        out.push(Finding::Gap { log: log.name.clone(), lasts_s: w[1] - w[0], from_s: w[0] });
    }
    for channel in log.channels.keys() {
        let Some(kind) = channel.kind().filter(|k| k.saturates || k.rest != Rest::Natural) else { continue };
        let Some(s) = log.samples(channel.as_str()) else { continue };
        let watched = Watched { s: s.view(), kind, speed: speed.as_ref().map(Samples::view), pull };
        let lasts = |x: &Still| s.t[x.to - 1] - s.t[x.from];
        if let Some((x, top)) =
            watched.at_end().into_iter().max_by(|a, b| lasts(&a.0).total_cmp(&lasts(&b.0)))
        {
            out.push(Finding::Saturated {
                channel: channel.clone(),
                top,
                value: x.value,
                lasts_s: lasts(&x),
            });
        } else if let Some(x) = watched.frozen().into_iter().max_by(|a, b| lasts(a).total_cmp(&lasts(b))) {
            out.push(Finding::Frozen { channel: channel.clone(), value: x.value, lasts_s: lasts(&x) });
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::channel::Channel;

    #[test]
    fn a_look_over_names_gap_end_of_range_and_frozen_sensor() {
        let mut log = Recording {
            name: "e.csv".into(),
            t: (0..200).map(|i| f64::from(i) * 0.05 + if i > 150 { 2.0 } else { 0.0 }).collect(),
            ..Recording::default()
        };
        let lively = |i: i32| 0.85 + 0.001 * f64::from(i % 7);
        let column = |f: &dyn Fn(i32) -> f64| (0..200).map(f).collect::<Vec<f64>>();
        log.channels.insert(Channel::new("engine_speed").unwrap(), column(&|i| 2000.0 + 20.0 * f64::from(i)));
        log.channels.insert(
            Channel::new("lambda_1").unwrap(),
            column(&|i| if (60..80).contains(&i) { 1.02 } else { lively(i) }),
        );
        log.channels.insert(
            Channel::new("lambda_2").unwrap(),
            column(&|i| if (60..100).contains(&i) { 0.852 } else { lively(i) }),
        );
        let found = look_over(&log, None);
        assert_eq!(found.iter().map(Finding::kind).collect::<Vec<_>>(), ["gap", "saturated", "frozen"]);
        log.channels.retain(|c, _| c.as_str() == "engine_speed");
        log.t = (0..200).map(|i| f64::from(i) * 0.05).collect();
        assert!(look_over(&log, None).is_empty());
    }
}
