//! What was recorded of a pull, laid along an axis: engine speed, road speed, or time from tip-in.

use super::Reading;
use jamjar_core::analysis::{Along, Event};
use jamjar_core::curve::index_of;
use jamjar_core::log::Series;
use jamjar_core::printed::PrintedAxis;
use jamjar_core::pull::held::HeldStep;
use jamjar_core::signal::interp::linear;

/// Lays series of one pull along an axis. Points are (place, value).
pub struct Lines<'a> {
    along: Along,
    reading: &'a Reading,
    road: Option<Series>,
    /// Engine speed of a log that stands alone.
    speed: Option<Series>,
    from: f64,
    to: f64,
}

/// A curve of power or torque.
#[derive(Debug, Clone, PartialEq)]
pub struct CurveLine {
    /// Whether it is the filtered one (the raw one lies behind it), or held steps.
    pub what: CurveKind,
    /// Place and value, corrected, in kW or N·m.
    pub points: Vec<(f64, f64)>,
}

/// How a curve was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CurveKind {
    /// Sample by sample, unfiltered.
    Raw,
    /// Filtered.
    Filtered,
    /// One point for each held speed.
    Held,
    /// As it came, on the grid.
    Printed,
}

impl<'a> Lines<'a> {
    /// Of a pull; on an axis it has not, nothing has a place.
    pub fn new(reading: &'a Reading, along: Along) -> Self {
        let ends = (reading.dyno.t.first().copied(), reading.dyno.t.last().copied());
        let whole = (ends.0.unwrap_or(0.0), ends.1.unwrap_or(0.0));
        let (from, to) = reading.measured.span.map_or(whole, |s| (s.from_s, s.to_s));
        let beside = reading.beside();
        let speed = reading.measured.log_only.then(|| beside.series("engine_speed")).flatten();
        Self { along, road: beside.series("road_speed"), speed, reading, from, to }
    }

    /// Where a moment on the dyno's clock stands on the axis.
    pub fn place(&self, t: f64) -> Option<f64> {
        match self.along {
            Along::Time => Some(t - self.from),
            Along::RoadSpeed => {
                self.road.as_ref().and_then(|s| s.at(t)).filter(|_| t >= self.from && t <= self.to)
            }
            Along::EngineSpeed => match &self.speed {
                Some(own) => own.at(t).filter(|_| t >= self.from && t <= self.to),
                None => self.reading.trace.as_ref().and_then(|p| linear(&p.t, &p.rpm, t)),
            },
            Along::ShaftSpeed => self.reading.trace.as_ref().and_then(|p| linear(&p.t, &p.shaft_rpm, t)),
        }
    }

    /// Where an event stands on the axis.
    pub fn event(&self, e: &Event) -> Option<f64> {
        match self.along {
            Along::EngineSpeed => e.rpm,
            Along::ShaftSpeed => self.place(e.at_s),
            Along::RoadSpeed => self.road.as_ref()?.at(e.at_s),
            Along::Time => Some(e.at_s - self.reading.measured.span.map_or(0.0, |s| s.from_s)),
        }
    }

    /// On the speed axis of a step test each held speed is one point: a line through all samples would go
    /// back and forth.
    fn by_step(&self) -> Option<&[HeldStep]> {
        let steps = &self.reading.measured.steps;
        (self.along == Along::EngineSpeed && !steps.is_empty()).then_some(steps)
    }

    /// A channel along the axis.
    pub fn series(&self, s: &Series) -> Vec<(f64, f64)> {
        if let Some(steps) = self.by_step() {
            let mean = |h: &HeldStep| Some((h.rpm, s.mean_between(h.from_s, h.to_s)?));
            return ascending(steps.iter().filter_map(mean).collect());
        }
        forward(s.t.iter().zip(&s.v).filter_map(|(t, v)| Some((self.place(*t)?, *v))).collect())
    }

    /// Whether a column has anything on this axis: times, values, and what the times are late by, s.
    pub fn holds(&self, (t, v, late): (&[f64], &[f64], f64)) -> bool {
        if let Some(steps) = self.by_step() {
            let within = |i: usize| steps.iter().any(|h| (h.from_s..=h.to_s).contains(&(t[i] - late)));
            return (0..t.len()).any(|i| v[i].is_finite() && within(i));
        }
        // What lies in the pull is asked first: before it an axis of speeds has no place.
        let first = t.partition_point(|t| t - late < self.from);
        let on = |i: usize| v[i].is_finite() && self.place(t[i] - late).is_some();
        (first..t.len()).any(on) || (0..first).any(on)
    }

    /// Ends of the axis: what the pull covers of it; `None` where it has no such axis. Time runs from tip-in.
    pub fn span(&self) -> Option<[f64; 2]> {
        let ends = |v: &mut dyn Iterator<Item = f64>| {
            let (a, b) = v
                .filter(|v| v.is_finite())
                .fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), v| (f64::min(a, v), f64::max(b, v)));
            (b > a).then_some([a, b])
        };
        if let Some(steps) = self.by_step() {
            return ends(&mut steps.iter().map(|h| h.rpm));
        }
        if self.reading.measured.printed.is_some() {
            return ends(&mut self.reading.corrected.curve.rpm.iter().copied());
        }
        let within = |s: &Series| ends(&mut s.between(self.from, self.to).v.into_iter());
        match (self.along, &self.reading.trace) {
            (Along::Time, _) => Some([0.0, self.to - self.from]),
            (Along::RoadSpeed, _) => self.road.as_ref().and_then(within),
            (Along::EngineSpeed, _) if self.speed.is_some() => self.speed.as_ref().and_then(within),
            (Along::EngineSpeed, Some(p)) => ends(&mut p.rpm.iter().copied()),
            (Along::ShaftSpeed, Some(p)) => ends(&mut p.shaft_rpm.iter().copied()),
            (Along::EngineSpeed | Along::ShaftSpeed, None) => None,
        }
    }

    /// Corrected power, kW, or torque, N·m: raw and filtered, or held.
    pub fn curves(&self, power: bool) -> Vec<CurveLine> {
        let r = self.reading;
        if let Some(steps) = self.by_step() {
            let value = |h: &HeldStep| if power { h.power_kw } else { h.torque_nm };
            let points = steps.iter().map(|h| (h.rpm, value(h) * r.factor_at(h.rpm))).collect();
            return vec![CurveLine { what: CurveKind::Held, points: ascending(points) }];
        }
        if let Some(p) = &r.measured.printed {
            let road = p.axis == PrintedAxis::RoadSpeed;
            let own = if road { Along::RoadSpeed } else { Along::EngineSpeed };
            let c = &r.corrected.curve;
            let values = if power { &c.power_kw } else { &c.torque_nm };
            let points = c.rpm.iter().copied().zip(values.iter().copied()).filter(|v| v.1.is_finite());
            let points = if self.along == own { points.collect() } else { Vec::new() };
            return vec![CurveLine { what: CurveKind::Printed, points }];
        }
        let mut out = Vec::new();
        for (trace, what) in [(&r.raw, CurveKind::Raw), (&r.trace, CurveKind::Filtered)] {
            let Some(p) = trace else { continue };
            let values = if power { &p.power_kw } else { &p.torque_nm };
            let point = |i: usize| Some((self.place(p.t[i])?, values[i] * r.factor_between(p.rpm[i])));
            let points = (0..p.t.len()).filter_map(point).filter(|v| v.1.is_finite()).collect();
            out.push(CurveLine { what, points: forward(points) });
        }
        out
    }

    /// Engine ÷ shaft along the axis: what it is measured against, and what was measured.
    pub fn ratio(&self) -> Option<[Vec<(f64, f64)>; 2]> {
        let c = self.reading.coupling.as_ref()?;
        let grid = &self.reading.measured.grid;
        let at = |rpm: f64| match self.along {
            Along::EngineSpeed => Some(rpm),
            _ => self.place(grid.time_s[grid.rpm.iter().position(|g| (g - rpm).abs() < 1.0)?]),
        };
        let line = |of: &dyn Fn(usize) -> f64| -> Vec<(f64, f64)> {
            (0..c.rpm.len()).filter_map(|i| Some((at(c.rpm[i])?, of(i)))).collect()
        };
        Some([line(&|_| c.reference), line(&|i| c.ratio[i])])
    }
}

/// A falling speed is drawn from its low end too.
fn forward(mut points: Vec<(f64, f64)>) -> Vec<(f64, f64)> {
    if let (Some(a), Some(b)) = (points.first(), points.last())
        && a.0 > b.0
    {
        points.reverse();
    }
    points
}

fn ascending(mut points: Vec<(f64, f64)>) -> Vec<(f64, f64)> {
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    points
}

impl Reading {
    /// The correction at a held speed: of the grid speed next to it where it varies along the curve.
    pub fn factor_at(&self, rpm: f64) -> f64 {
        let g = &self.measured.grid;
        let off = |i: usize| (g.rpm[i] - rpm).abs();
        let near = (0..g.rpm.len()).min_by(|&a, &b| off(a).total_cmp(&off(b)));
        near.filter(|&i| g.power_kw[i].abs() > 1e-9)
            .map_or(self.corrected.factor, |i| self.corrected.curve.power_kw[i] / g.power_kw[i])
    }

    /// The correction at an engine speed, read along both curves.
    fn factor_between(&self, rpm: f64) -> f64 {
        let (plain, own) = (&self.measured.grid, &self.corrected.curve);
        match (linear(&plain.rpm, &plain.power_kw, rpm), linear(&own.rpm, &own.power_kw, rpm)) {
            (Some(p), Some(c)) if p.abs() > 1e-9 => c / p,
            _ => self.corrected.factor,
        }
    }

    /// A channel where power peaks, in its own unit.
    pub fn at_peak(&self, channel: &str) -> Option<f64> {
        let rpm = self.figures.peak_power?.rpm;
        let grid = &self.measured.grid;
        self.beside().series(channel)?.at(grid.time_s[index_of(&grid.rpm, rpm)?])
    }
}
