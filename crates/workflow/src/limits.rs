//! Starting points for limits, as templates per kind of engine: to be edited, never promises.

use jamjar_core::analysis::{Engine, Ignition};
use jamjar_core::limits::Limit;
use serde_json::{Value, json};

/// A list of starting points for a kind of engine.
#[derive(Debug, Clone, PartialEq)]
pub struct Template {
    /// Id in forms.
    pub id: &'static str,
    /// Words shown.
    pub label: &'static str,
    /// Its limits. Every number is our choice and says so.
    pub limits: Vec<Limit>,
}

const SOURCE: &str = "starting point, our choice: edit it for this engine";

fn limit(
    id: &str,
    channel: &str,
    direction: &str,
    threshold: impl Into<Value>,
    gated: bool,
    sustain_s: f64,
    caution: f64,
) -> Value {
    let gate = if gated { json!([{"channel": "throttle", "above": 90}]) } else { json!([]) };
    json!({"id": id, "channel": channel, "direction": direction, "threshold": threshold.into(), "gate": gate, "sustain_s": sustain_s, "caution": caution, "source": SOURCE, "starting_point": true})
}

fn spanned(mut v: Value, span: f64) -> Value {
    v["span"] = json!(span);
    v
}

/// Manifold pressure above which an engine is on boost, kPa absolute: a third above the air at sea level (our
/// choice).
const ON_BOOST_KPA: f64 = 135.0;

/// Mixture and knock of boosted engines are judged on boost, where the pressure was logged: off it a stock engine
/// runs at stoichiometric mixture, as it should.
fn on_boost(list: Vec<Value>) -> Vec<Value> {
    let gated = |mut v: Value| {
        if let Some(gate) = v["gate"].as_array_mut().filter(|g| !g.is_empty()) {
            gate.push(json!({"channel": "manifold_pressure", "above": ON_BOOST_KPA, "if_logged": true}));
        }
        v
    };
    list.into_iter().map(gated).collect()
}

fn caution_only(mut v: Value) -> Value {
    v["severity"] = json!("caution");
    v
}

/// All templates. Thresholds are cautious values common for road engines; none of them is a promise.
pub fn templates() -> Vec<Template> {
    let build = |id, label, list: Vec<Value>| Template {
        id,
        label,
        limits: serde_json::from_value(Value::Array(list)).expect("written here"),
    };
    let spark = |lean: f64, exhaust: f64| {
        vec![
            limit("lean", "lambda_1", "above", lean, true, 0.2, 0.03),
            limit("knock", "knock_retard_1", "above", 4.0, true, 0.2, 1.0),
            spanned(limit("egt", "exhaust_temp_1", "above", exhaust, false, 0.5, 25.0), 120.0),
        ]
    };
    let duty = || spanned(limit("duty", "injector_duty", "above", 85.0, true, 0.2, 3.0), 30.0);
    let oil = |c: f64| caution_only(spanned(limit("oil", "oil_temp", "above", c, false, 1.0, 8.0), 40.0));
    let boost = || limit("boost", "manifold_pressure", "above", 220.0, false, 0.2, 8.0);
    let mut natural = spark(0.95, 900.0);
    natural.extend([duty(), oil(130.0)]);
    let mut boosted = on_boost(spark(0.90, 950.0));
    boosted.extend([
        duty(),
        boost(),
        oil(130.0),
        caution_only(limit("back", "back_pressure", "above", 300.0, false, 0.3, 15.0)),
    ]);
    let mut flex = on_boost(spark(0.90, 950.0));
    flex.extend([
        duty(),
        boost(),
        caution_only(limit("fuel-pressure", "fuel_pressure", "below", 300.0, true, 0.2, 15.0)),
        caution_only(limit("back", "back_pressure", "above", 300.0, false, 0.3, 15.0)),
    ]);
    let pedal = |mut v: Value| {
        v["gate"] = json!([{"channel": "pedal", "above": 90}]);
        v
    };
    let diesel = vec![
        spanned(limit("egt", "exhaust_temp_1", "above", 750.0, false, 0.5, 25.0), 120.0),
        pedal(limit("smoke", "lambda_1", "below", 1.15, true, 0.3, 0.05)),
        limit("rail", "rail_pressure", "above", 180.0, false, 0.2, 5.0),
        limit("boost", "manifold_pressure", "above", 260.0, false, 0.3, 8.0),
        caution_only(limit("filter", "filter_pressure", "above", 25.0, false, 0.5, 5.0)),
    ];
    let twin = vec![
        limit("lean-1", "lambda_1", "above", 0.95, true, 0.2, 0.03),
        limit("lean-2", "lambda_2", "above", 0.95, true, 0.2, 0.03),
        limit("knock", "knock_retard_1", "above", 4.0, true, 0.2, 1.0),
        spanned(limit("egt-1", "exhaust_temp_1", "above", 880.0, false, 0.5, 25.0), 120.0),
        spanned(limit("egt-2", "exhaust_temp_2", "above", 880.0, false, 0.5, 25.0), 120.0),
        spanned(limit("oil", "oil_temp", "above", 125.0, false, 1.0, 8.0), 40.0),
    ];
    vec![
        build("petrol_na", "petrol, naturally aspirated", natural),
        build("petrol_boosted", "petrol, boosted", boosted),
        build("flex", "flex fuel, boosted", flex),
        build("diesel", "diesel", diesel),
        build("air_cooled_twin", "air-cooled twin", twin),
    ]
}

/// Limits a new vehicle starts with.
pub fn starting_points(engine: &Engine) -> Vec<Limit> {
    let id = match (engine.ignition, engine.is_boosted()) {
        (Ignition::Compression, _) => "diesel",
        (Ignition::Spark, true) => "petrol_boosted",
        (Ignition::Spark, false) => "petrol_na",
    };
    templates().into_iter().find(|t| t.id == id).map(|t| t.limits).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_template_is_valid_says_its_source_and_covers_what_kills_its_kind() {
        for t in templates() {
            for l in &t.limits {
                l.validate().unwrap();
                assert!(
                    l.source.as_deref().is_some_and(|s| s.contains("edit it")) && l.span_units().is_some(),
                    "{} {}",
                    t.id,
                    l.id
                );
            }
            let has = |stem: &str| t.limits.iter().any(|l| l.channel.as_str().starts_with(stem));
            assert!(has("lambda") && has("exhaust_temp"), "{}", t.id);
            assert_eq!(has("rail_pressure"), t.id == "diesel");
            assert!(t.id == "diesel" || has("knock_retard"), "{}", t.id);
            let mut ids: Vec<&str> = t.limits.iter().map(|l| l.id.as_str()).collect();
            ids.dedup();
            assert_eq!(ids.len(), t.limits.len(), "ids are unique");
        }
    }

    #[test]
    fn a_new_vehicle_starts_from_its_kind() {
        let ids = |e: Engine| starting_points(&e).into_iter().map(|l| l.id).collect::<Vec<_>>();
        assert!(
            ids(Engine { ignition: Ignition::Compression, ..Engine::default() })
                .contains(&"smoke".to_owned())
        );
        assert!(!ids(Engine::default()).contains(&"boost".to_owned()));
    }
}
