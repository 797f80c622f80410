//! Linear scales with round ticks.

/// A linear scale from data to pixels.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Scale {
    d0: f64,
    d1: f64,
    p0: f64,
    p1: f64,
}

impl Scale {
    pub(crate) fn new(data: (f64, f64), pixels: (f64, f64)) -> Self {
        let (d0, d1) = if data.1 > data.0 { data } else { (data.0 - 0.5, data.0 + 0.5) };
        Self { d0, d1, p0: pixels.0, p1: pixels.1 }
    }

    pub(crate) fn at(&self, v: f64) -> f64 {
        self.p0 + (v - self.d0) / (self.d1 - self.d0) * (self.p1 - self.p0)
    }

    /// The value at a place.
    pub(crate) fn value(&self, p: f64) -> f64 {
        self.d0 + (p - self.p0) / (self.p1 - self.p0) * (self.d1 - self.d0)
    }

    /// Round values inside the data range, about `wanted` of them.
    pub(crate) fn ticks(&self, wanted: usize) -> Vec<f64> {
        let step = round_step((self.d1 - self.d0) / wanted.max(1) as f64);
        let first = (self.d0 / step - 1e-9).ceil() as i64;
        let last = (self.d1 / step + 1e-9).floor() as i64;
        // Written out they are as short as the step.
        let whole = 10f64.powi((-step.log10().floor()).max(0.0) as i32);
        (first..=last).map(|k| (k as f64 * step * whole).round() / whole).collect()
    }
}

/// The next of 1, 2, 5 times a power of ten.
pub(crate) fn round_step(raw: f64) -> f64 {
    if !(raw.is_finite() && raw > 0.0) {
        return 1.0;
    }
    let power = 10f64.powf(raw.log10().floor());
    let lead = raw / power;
    power
        * if lead <= 1.0 {
            1.0
        } else if lead <= 2.0 {
            2.0
        } else if lead <= 5.0 {
            5.0
        } else {
            10.0
        }
}

/// Places labels at least `gap` apart, as near to where they belong as can be, within the bounds.
pub(crate) fn spread(wanted: &[f64], gap: f64, low: f64, high: f64) -> Vec<f64> {
    let mut order: Vec<usize> = (0..wanted.len()).collect();
    order.sort_by(|&a, &b| wanted[a].total_cmp(&wanted[b]));
    let n = wanted.len();
    let gap = if n > 1 { gap.min((high - low) / (n - 1) as f64) } else { gap };
    let mut y: Vec<f64> = order.iter().map(|&i| wanted[i].clamp(low, high)).collect();
    for _ in 0..200 {
        let mut moved = false;
        for k in 1..n {
            let lack = gap - (y[k] - y[k - 1]);
            if lack > 1e-6 {
                y[k - 1] -= lack / 2.0;
                y[k] += lack / 2.0;
                moved = true;
            }
        }
        if n > 0 {
            let up = (low - y[0]).max(0.0);
            let down = (y[n - 1] - high).max(0.0);
            y[0] += up;
            y[n - 1] -= down;
        }
        if !moved {
            break;
        }
    }
    for k in 1..n {
        y[k] = y[k].max(y[k - 1] + gap);
    }
    if n > 0 && y[n - 1] > high {
        y[n - 1] = high;
        for k in (0..n - 1).rev() {
            y[k] = y[k].min(y[k + 1] - gap);
        }
    }
    let mut out = vec![0.0; n];
    for (k, &i) in order.iter().enumerate() {
        out[i] = y[k];
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ticks_are_round_and_inside() {
        let s = Scale::new((0.0, 148.0), (300.0, 0.0));
        assert_eq!(s.ticks(7), vec![0.0, 50.0, 100.0]);
        assert_eq!(Scale::new((0.0, 10.0), (0.0, 1.0)).ticks(5), vec![0.0, 2.0, 4.0, 6.0, 8.0, 10.0]);
        assert!((s.at(74.0) - 150.0).abs() < 1e-9);
        let written: Vec<String> =
            Scale::new((15.55, 16.45), (0.0, 1.0)).ticks(6).iter().map(f64::to_string).collect();
        assert_eq!(written, ["15.6", "15.8", "16", "16.2", "16.4"]);
    }

    #[test]
    fn labels_never_collide_and_stay_inside() {
        for n in [1, 2, 7, 16] {
            let wanted: Vec<f64> = (0..n).map(|i| 100.0 + f64::from(i % 3)).collect();
            let mut y = spread(&wanted, 15.0, 10.0, 290.0);
            y.sort_by(f64::total_cmp);
            assert!(y.windows(2).all(|w| w[1] - w[0] >= 14.9), "{y:?}");
            assert!(y[0] >= 9.9 && y[y.len() - 1] <= 290.1, "{y:?}");
        }
    }

    #[test]
    fn too_many_labels_share_the_room() {
        let y = spread(&[50.0; 40], 15.0, 0.0, 300.0);
        assert!(y.iter().all(|v| (-0.1..=300.1).contains(v)));
    }
}
