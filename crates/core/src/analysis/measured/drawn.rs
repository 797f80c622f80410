//! The part of a measurement that goes by the display filter: power sample by sample, the curve made of it, and what
//! is found of both. Limits are not in it.

use super::carried::carried;
use super::raw_grid::{RawGrid, Read, said_cuts};
use super::result::Measured;
use crate::air::AirState;
use crate::analysis::given::Settings;
use crate::findings::Finding;
use crate::log::{Recording, Series};
use crate::pull::align::Alignment;
use crate::pull::coast::CoastDown;
use crate::pull::dyno::Dyno;
use crate::pull::engine_speed::SpeedFrom;
use crate::pull::held::HeldStep;
use crate::pull::power::{With, derive};
use crate::pull::shaft::PowerError;
use crate::pull::span::{PullKind, PullSpan};
use crate::pull::trace::PowerTrace;

/// What a curve is drawn from.
pub(super) struct Drawing<'a> {
    pub(super) dyno: &'a Recording,
    pub(super) ecu: Option<&'a Recording>,
    pub(super) span: &'a PullSpan,
    pub(super) alignment: &'a Alignment,
    pub(super) on: &'a Dyno,
    pub(super) ratio: f64,
    pub(super) air: Option<AirState>,
    pub(super) coast: Option<&'a CoastDown>,
    pub(super) speed_from: SpeedFrom,
    /// Engine speed on the dyno's clock, where that is not read off the shaft.
    pub(super) engine: Option<&'a Series>,
}

/// What was drawn.
pub(super) struct Drawn {
    trace: PowerTrace,
    flags: Vec<Finding>,
    grid: RawGrid,
    steps: Vec<HeldStep>,
    /// Mean rate of a sweep where engine speed was measured, rpm/s.
    rate_rpm_s: Option<f64>,
    step_share: Option<f64>,
    print: Option<u64>,
}

impl Drawing<'_> {
    /// # Errors
    /// [`PowerError`] when the recording lacks what power is made of.
    pub(super) fn drawn(&self, settings: &Settings) -> Result<Drawn, PowerError> {
        let with = With {
            dyno: self.on,
            ratio: self.ratio,
            coast: self.coast,
            smoothing_s: settings.smoothing_s,
            cuts: &said_cuts(self.dyno, self.ecu, self.alignment),
            engine: self.engine,
        };
        let trace = derive(self.dyno, self.span, &with)?;
        let mut flags = trace.flags.clone();
        if !self.speed_from.is_shaft() {
            flags.extend(departure(&trace, self.ratio));
        }
        match self.span.kind {
            PullKind::HeldSteps => flags.push(Finding::HeldSteps),
            PullKind::LugDown => flags.push(Finding::LugDown),
            PullKind::SweepUp | PullKind::CurveOnly | PullKind::PeaksOnly | PullKind::LogOnly => {}
        }
        let read = Read {
            trace: &trace,
            span: self.span,
            dyno: self.dyno,
            ecu: self.ecu,
            alignment: self.alignment,
            air: self.air,
            speed_from: self.speed_from,
        };
        let (grid, steps) = read.grid(settings.grid_rpm, &mut flags);
        let (step_share, print) = carried(self.dyno, self.span, self.on.kind, settings.smoothing_s);
        let rate_rpm_s = mean_rate(&trace).filter(|_| self.span.kind != PullKind::HeldSteps);
        Ok(Drawn { trace, flags, grid, steps, rate_rpm_s, step_share, print })
    }
}

impl Drawn {
    /// Puts it into a measurement; its flags are the caller's to place.
    pub(super) fn put(self, into: &mut Measured) -> (PowerTrace, Vec<Finding>) {
        if !into.speed_from.is_shaft() {
            into.rate_rpm_s = self.rate_rpm_s;
        }
        into.filter = Some(self.trace.filter);
        (into.grid, into.steps) = (self.grid, self.steps);
        (into.step_share, into.print) = (self.step_share, self.print);
        (self.trace, self.flags)
    }
}

/// Whether a finding is one of those made by drawing.
pub(super) fn is_of_drawing(f: &Finding) -> bool {
    matches!(
        f,
        Finding::Unfiltered { .. }
            | Finding::Spikes { .. }
            | Finding::SpeedFellBack { .. }
            | Finding::PowerCut { .. }
            | Finding::SpeedMeasured { .. }
            | Finding::HeldSteps
            | Finding::LugDown
            | Finding::LoadUnknown
            | Finding::OffGrid { .. }
            | Finding::NotSettled { .. }
    )
}

/// By how much the shaft's speed times the ratio is off the measured one, where it is most.
fn departure(p: &PowerTrace, ratio: f64) -> Option<Finding> {
    let off = |i: &usize| p.shaft_rpm[*i] * ratio / p.rpm[*i] - 1.0;
    let i = (0..p.rpm.len())
        .filter(|i| !p.edge[*i] && p.rpm[*i] > 0.0)
        .max_by(|i, j| off(i).abs().total_cmp(&off(j).abs()))?;
    (off(&i).abs() > 1e-6).then(|| Finding::SpeedMeasured { most: off(&i).abs(), rpm: p.rpm[i] })
}

/// Mean rate of engine speed over a sweep, rpm/s.
fn mean_rate(p: &PowerTrace) -> Option<f64> {
    let ends = |v: &[f64]| Some(v.last()? - v.first()?);
    Some(ends(&p.rpm)? / ends(&p.t).filter(|s| *s > 0.0)?)
}
