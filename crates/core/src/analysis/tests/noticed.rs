//! What a comparison notices of fuel and hardware beside the difference itself.

use super::{compared, pull, said, set, two};
use crate::analysis::measured::{Measured, Tells};
use crate::analysis::verdict::Comparison;
use crate::analysis::{SetInput, Settings};

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
