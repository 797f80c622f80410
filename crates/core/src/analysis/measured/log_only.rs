//! A pull of which only the engine computer kept a recording.

use super::finished;
use super::result::Measured;
use super::summaries::summaries;
use super::window::{own_bounds, part};
use crate::analysis::given::{Ignition, PullInput, Vehicle};
use crate::computed::with_computed;
use crate::findings::Finding;
use crate::limits::{Clock, Extent, Limit, Sources, evaluate};
use crate::pull::align::Alignment;
use crate::pull::detect::pulls_in;
use crate::pull::span::PullKind;
use crate::signal::look_over::look_over;

/// The engine computer's recording alone: its pull, its limits, its channels; no power.
pub(super) fn log_only(input: &PullInput, vehicle: &Vehicle, limits: &[Limit]) -> Measured {
    let Some(log) = input.ecu.as_deref() else { return finished::blank(input, limits) };
    let mut out = finished::blank(input, &[]);
    let found = pulls_in(log);
    let swept = |i: &usize| found[*i].kind != PullKind::HeldSteps;
    let first = (0..found.len()).find(swept).or((!found.is_empty()).then_some(0));
    let chosen = input.pull_index.map_or(first, |i| (i < found.len()).then_some(i));
    let all: Vec<[f64; 2]> = found.iter().map(|f| [f.from_s, f.to_s]).collect();
    let own = chosen.and_then(|i| own_bounds(&all, i));
    let (span, log_part) = (chosen.map(|i| found[i]), part(log, own));
    let alignment = Alignment::single_log();
    let formulas = vehicle.formulas();
    let (log_part, _, lacking) = with_computed(&formulas, log_part, None, None);
    let diesel = vehicle.engine.ignition == Ignition::Compression;
    let sources = Sources::new(&log_part, None, &alignment, span.as_ref())
        .out_of(log, None)
        .on_diesel(diesel)
        .computed(&formulas, &lacking);
    let outcome = |l: &Limit| {
        let mut o = evaluate(l, &sources);
        // There is one clock, and it is the engine computer's.
        o.clock = o.clock.map(|_| Clock::Ecu);
        o
    };
    out.limits = limits.iter().map(outcome).collect();
    out.flags.extend(log.flags.iter().cloned());
    out.flags.extend(look_over(&log_part, sources.extents().dyno.map(Extent::ends)));
    out.flags.push(Finding::LogOnly);
    match &span {
        Some(p) => {
            out.channels = summaries(&log_part, None, &alignment, p);
            out.rate_rpm_s = (p.kind != PullKind::HeldSteps).then_some(p.rate);
        }
        None => out.flags.push(Finding::NoPull { log: log.name.clone() }),
    }
    out.has_road_speed = log.has("road_speed");
    (out.span, out.pulls_in_file, out.own_window, out.log_only) = (span, found.len(), [None, own], true);
    out
}
