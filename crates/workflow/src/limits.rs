//! Starting points for limits per engine kind: to be edited, never promises.

use jamjar_core::analysis::{Engine, Ignition};
use jamjar_core::limits::Limit;
use serde_json::json;

/// Limits a new vehicle starts with. Every number is our choice and says so.
pub fn starting_points(engine: &Engine) -> Vec<Limit> {
    let source = "starting point, our choice: edit it for this engine";
    let load = json!([{"channel": "throttle", "above": 90}]);
    let list = match engine.ignition {
        Ignition::Spark => json!([
            {"id": "lean", "channel": "lambda_1", "direction": "above", "threshold": if engine.is_boosted() { 0.90 } else { 0.95 }, "gate": load, "sustain_s": 0.2, "caution": 0.03, "source": source},
            {"id": "knock", "channel": "knock_retard_1", "direction": "above", "threshold": 4.0, "gate": load, "sustain_s": 0.2, "caution": 1.0, "source": source},
            {"id": "egt", "channel": "exhaust_temp_1", "direction": "above", "threshold": 950, "sustain_s": 0.5, "caution": 25, "span": 120, "source": source},
            {"id": "duty", "channel": "injector_duty", "direction": "above", "threshold": 85, "gate": load, "sustain_s": 0.2, "caution": 3, "span": 30, "source": source}
        ]),
        Ignition::Compression => json!([
            {"id": "egt", "channel": "exhaust_temp_1", "direction": "above", "threshold": 750, "sustain_s": 0.5, "caution": 25, "span": 120, "source": source},
            {"id": "smoke", "channel": "lambda_1", "direction": "below", "threshold": 1.15, "gate": load, "sustain_s": 0.3, "caution": 0.05, "source": source},
            {"id": "rail", "channel": "rail_pressure", "direction": "above", "threshold": 180, "sustain_s": 0.2, "caution": 5, "source": source}
        ]),
    };
    serde_json::from_value(list).expect("written here")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_starting_point_is_a_valid_limit() {
        for ignition in [Ignition::Spark, Ignition::Compression] {
            let limits = starting_points(&Engine { ignition, ..Engine::default() });
            assert!(limits.len() >= 3);
            for l in limits {
                l.validate().unwrap();
                assert!(l.source.is_some() && l.span_units().is_some());
            }
        }
    }
}
