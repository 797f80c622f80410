//! What a comparison notices of fuel and hardware beside the difference itself.

use super::{compared, pull, said, set, two};
use crate::analysis::measured::{Measured, Tells};
use crate::analysis::verdict::Comparison;
use crate::analysis::{ChannelSummary, SetInput, Settings, note_pulls};
use crate::findings::Finding;

fn retarded(pulls: &mut [Measured], deg: Option<f64>) {
    for p in pulls {
        p.tells = Some(Tells { retard_deg: deg, ..Tells::default() });
    }
}

fn notes(c: &Comparison, kind: &str) -> Vec<String> {
    c.notes.iter().filter(|n| n.kind() == kind).map(said).collect()
}

/// The same pulls on two fuels.
fn on(fuels: [&str; 2], more_kw: f64, retard: [Option<f64>; 2]) -> Vec<String> {
    let (_, mut measured) = two(more_kw, 0.0);
    retarded(&mut measured[0], retard[0]);
    retarded(&mut measured[1], retard[1]);
    let sets: Vec<SetInput> = ["a", "b"]
        .iter()
        .zip(fuels)
        .map(|(id, fuel)| set(id, &[("map", "c1"), ("gear", "4"), ("fuel", fuel)]))
        .collect();
    notes(&compared(&sets, &measured, &Settings::default()).1[0], "octane")
}

#[test]
fn a_step_to_more_octane_is_judged_only_on_one_scale_and_with_a_control_that_listened() {
    let pump = ["RON 95 E5", "RON 98 E5"];
    let was = on(pump, 6.0, [Some(3.0), Some(0.0)]);
    assert!(was[0].starts_with("From 95 to 98 RON: Octane was what limited it"), "{was:?}");
    let not = on(pump, 0.05, [Some(0.0), Some(0.0)]);
    assert!(not[0].contains("not octane-limited"), "{not:?}");
    let deaf = on(pump, 0.05, [None, Some(0.0)]);
    assert!(deaf[0].contains("Can't tell what limits"), "{deaf:?}");
    assert!(on(["RON 98 E5", "RON 95 E5"], 6.0, [Some(0.0); 2]).is_empty(), "a step down is none");
    assert!(on(["RON 95 E5", "AKI 93"], 6.0, [Some(0.0); 2]).is_empty(), "two scales");
    assert!(on(["RON 95 E5", "E85"], 6.0, [Some(0.0); 2]).is_empty(), "no number");
}

/// The same map with an injection off and on, with the mean λ of each pull.
fn injected(states: [&str; 2], lambda: [&[f64]; 2], target: [f64; 2], at_an_end: bool) -> Vec<String> {
    let (_, mut measured) = two(3.0, 0.0);
    for (k, pulls) in measured.iter_mut().enumerate() {
        for (m, l) in pulls.iter_mut().zip(lambda[k].iter().cycle()) {
            let of = |name: &str, mean: f64| ChannelSummary {
                channel: name.parse().unwrap(),
                mean,
                min: mean,
                max: mean,
                start: mean,
            };
            m.channels = vec![of("lambda_target", target[k])];
            m.channels.extend((!l.is_nan()).then(|| of("lambda_1", *l)));
            if at_an_end && k == 1 {
                let channel = "lambda_1".parse().unwrap();
                m.flags.push(Finding::Saturated { channel, top: false, value: 0.68, lasts_s: 1.0 });
            }
        }
    }
    let with = |state: &str| set(state, &[("map", "c1"), ("gear", "4"), ("water injection", state)]);
    let sets = states.map(with);
    let (results, mut c) = compared(&sets, &measured, &Settings::default());
    note_pulls(&mut c, &results, &measured);
    notes(&c[0], "injection")
}

#[test]
fn an_injection_that_over_fuels_shows_in_the_mixture_and_never_by_a_sensor_at_its_end_alone() {
    let same = [0.82, 0.82];
    let rich = injected(["off", "on"], [&[0.84, 0.85, 0.83], &[0.77, 0.76, 0.78]], same, false);
    assert!(rich[0].starts_with("With the injection λ is 0.77 where it is 0.84 without"), "{rich:?}");
    assert!(rich[0].ends_with("9 % in all."), "{rich:?}");
    let back = injected(["on", "off"], [&[0.77, 0.76, 0.78], &[0.84, 0.85, 0.83]], same, false);
    assert_eq!(back, rich, "whichever is the baseline");
    let end = injected(["off", "on"], [&[0.84, 0.85, 0.83], &[0.69, 0.68, 0.68]], same, true);
    assert!(end[0].contains("at least: λ sat at the rich end"), "{end:?}");
    let lean = injected(["off", "on"], [&[0.80, 0.81, 0.80], &[0.86, 0.87, 0.86]], same, false);
    assert!(lean[0].contains("Should it fail, the map alone is leaner still"), "{lean:?}");
    for (lambda, target, says) in [
        ([&[0.84, 0.85, 0.83], &[0.84, 0.83, 0.85]], same, "the mixture is the same"),
        ([&[0.84, 0.85, 0.83], &[f64::NAN; 3]], same, "was not measured"),
        ([&[0.84, 0.85, 0.83], &[0.77, 0.76, 0.78]], [0.82, 0.76], "asks for another λ"),
        ([&[0.80, 0.90, 0.78], &[0.70, 0.86, 0.81]], same, "no more than it scatters"),
    ] {
        let said = injected(["off", "on"], lambda.map(|l: &[f64; 3]| &l[..]), target, false);
        assert!(said[0].contains(says), "{said:?}");
    }
    assert!(injected(["60 kPa", "90 kPa"], [&[0.84], &[0.77]], same, false).is_empty(), "on in both");
}

#[test]
fn a_loss_without_a_cause_names_what_nobody_logged_and_a_changed_map_is_no_suspect() {
    let same = [("map", "c1"), ("gear", "4")];
    let wobble = [-0.3, 0.0, 0.3];
    let pulls = |kw: f64| wobble.iter().map(|w| pull("p", kw + w, 0.0, 0.0)).collect::<Vec<_>>();
    let measured = vec![pulls(110.0), pulls(104.0)];
    let (_, c) = compared(&[set("a", &same), set("b", &same)], &measured, &Settings::default());
    let said = notes(&c[0], "suspected");
    assert_eq!(said.len(), 1);
    assert!(said[0].contains("no channel that was logged tells why: can't tell apart: heat"), "{said:?}");
    assert!(
        said[0].contains("dirty air filter") && !said[0].contains("boost leak"),
        "no turbo here: {said:?}"
    );
    let other = [("map", "c2"), ("gear", "4")];
    let (_, c) = compared(&[set("a", &same), set("b", &other)], &measured, &Settings::default());
    assert!(notes(&c[0], "suspected").is_empty(), "the map is what was changed");
}
