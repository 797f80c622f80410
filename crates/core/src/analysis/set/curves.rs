//! The mean of several curves.

use crate::curve::{Curve, index_of};

/// Mean of several curves over the speeds they share.
pub(in crate::analysis) fn mean_curve(curves: &[&Curve]) -> Curve {
    let Some(first) = curves.first() else { return Curve::default() };
    let mut out =
        Curve { cuts: curves.iter().flat_map(|c| c.cuts.iter().copied()).collect(), ..Curve::default() };
    for rpm in first
        .rpm
        .iter()
        .filter(|r| out.cuts.iter().all(|c| **r <= c[0] || **r >= c[1]))
        .copied()
        .collect::<Vec<_>>()
        .iter()
    {
        let at: Option<Vec<usize>> = curves.iter().map(|c| index_of(&c.rpm, *rpm)).collect();
        let Some(at) = at else { continue };
        let n = curves.len() as f64;
        out.rpm.push(*rpm);
        out.power_kw.push(curves.iter().zip(&at).map(|(c, &i)| c.power_kw[i]).sum::<f64>() / n);
        out.torque_nm.push(curves.iter().zip(&at).map(|(c, &i)| c.torque_nm[i]).sum::<f64>() / n);
        out.edge.push(curves.iter().zip(&at).any(|(c, &i)| c.edge[i]));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_mean_curve_keeps_only_shared_speeds() {
        let c = |from: i32, to: i32, p: f64| {
            let rpm: Vec<f64> = (from..=to).map(|k| f64::from(k) * 50.0).collect();
            Curve {
                power_kw: vec![p; rpm.len()],
                torque_nm: vec![p; rpm.len()],
                edge: vec![false; rpm.len()],
                rpm,
                ..Curve::default()
            }
        };
        let m = mean_curve(&[&c(40, 100, 10.0), &c(42, 98, 20.0)]);
        assert_eq!(m.span_rpm(), Some([2100.0, 4900.0]));
        assert!(m.power_kw.iter().all(|p| (*p - 15.0).abs() < 1e-12));
    }
}
