//! A limit drawn along the rpm axis: the largest share of margin used in each grid cell, raw samples inside
//! the gate, held as long as the verdict asks.
#![cfg_attr(test, allow(clippy::float_cmp))]

use super::traced::Traced;
use super::windows::support;

impl Traced<'_, '_> {
    /// Largest share of margin used around each grid point between two times on the limit's own clock; `None`
    /// where nothing was measured inside the gate.
    ///
    /// The whole lane is `None` when the speed is missing or the limit has no span.
    pub fn lane(&self, grid: &[f64], step: f64, from_s: f64, to_s: f64) -> Option<Vec<Option<f64>>> {
        self.speed()?;
        self.limit.span_units()?;
        let speeds = self.base.speeds(&self.s.t);
        let (first, last) = (*grid.first()?, *grid.last()?);
        // A grid may have holes, as where speeds were held: samples in between belong to no point of it.
        let cell = |rpm: f64| (rpm - first) / step + 0.5;
        let mut out = vec![None; cell(last) as usize + 1];
        let (mut t, mut cells, mut shares) = (Vec::new(), Vec::new(), Vec::new());
        let mut put = |t: &mut Vec<f64>, cells: &mut Vec<f64>, shares: &mut Vec<f64>| {
            for (cell, held) in cells.drain(..).zip(held(t, shares, self.limit.sustain_s)) {
                if cell >= 0.0 && cell < out.len() as f64 {
                    let slot: &mut Option<f64> = &mut out[cell as usize];
                    *slot = Some(slot.map_or(held, |old| old.max(held)));
                }
            }
            t.clear();
            shares.clear();
        };
        let (a, b) = (self.s.t.partition_point(|t| *t < from_s), self.s.t.partition_point(|t| *t <= to_s));
        for (i, rpm) in speeds.iter().enumerate().take(b).skip(a) {
            let share = self
                .thresholds
                .at(i)
                .filter(|_| self.base.gated[i])
                .and_then(|x| self.limit.share_used(self.s.v[i], x));
            match share {
                Some(share) if !rpm.is_nan() => {
                    t.push(self.s.t[i]);
                    cells.push(cell(*rpm));
                    shares.push(share);
                }
                _ => put(&mut t, &mut cells, &mut shares),
            }
        }
        put(&mut t, &mut cells, &mut shares);
        Some(grid.iter().map(|x| out[cell(*x) as usize]).collect())
    }
}

/// The highest level each sample was part of that was held for the sustain time: what the verdict would count
/// there. A stretch shorter than that counts as its lowest.
fn held(t: &[f64], v: &[f64], sustain_s: f64) -> Vec<f64> {
    let lowest = v.iter().copied().fold(f64::INFINITY, f64::min);
    let mut out = vec![lowest; v.len()];
    let mut j = 0;
    for i in 0..t.len() {
        // Windows end later the later they begin.
        let Some(end) = (j.max(i)..t.len()).find(|&j| support(t, i, j) >= sustain_s - 1e-9) else { break };
        j = end;
        let low = v[i..=j].iter().copied().fold(f64::INFINITY, f64::min);
        out[i..=j].iter_mut().for_each(|x| *x = x.max(low));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_blip_shorter_than_the_sustain_time_does_not_stand_in_the_lane() {
        let t: Vec<f64> = (0..10).map(|i| f64::from(i) * 0.1).collect();
        let v = [0.5, 1.4, 0.5, 0.6, 1.2, 1.3, 1.25, 1.2, 0.4, 0.4];
        let h = held(&t, &v, 0.3);
        assert!(h[1] < 1.0, "one sample of 0.1 s: {h:?}");
        assert!(h[4..8].iter().all(|x| *x >= 1.2), "held for 0.4 s: {h:?}");
        assert_eq!(held(&t, &v, 0.0), v, "without a sustain time every sample counts");
        assert_eq!(held(&t[..2], &v[..2], 9.0), [0.5, 0.5]);
    }
}
