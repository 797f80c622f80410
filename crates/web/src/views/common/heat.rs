//! Grounds of the cells of a heat table.

/// The class of a cell's ground: how far a change lies over each of three steps, up or down.
pub(crate) fn heat(change: f64, steps: [f64; 3]) -> &'static str {
    let over = steps.iter().filter(|s| change.abs() > **s).count();
    let (up, down) = (["same", "more1", "more2", "more3"], ["same", "less1", "less2", "less3"]);
    if change > 0.0 { up[over] } else { down[over] }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_change_takes_the_ground_of_the_last_step_it_passes() {
        let of = |v| heat(v, [0.01, 0.03, 0.06]);
        assert_eq!([0.0, 0.01, 0.02, 0.05, 0.2].map(of), ["same", "same", "more1", "more2", "more3"]);
        assert_eq!([-0.02, -0.05, -0.2].map(of), ["less1", "less2", "less3"]);
    }
}
