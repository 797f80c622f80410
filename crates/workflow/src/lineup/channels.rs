//! Channels of the sets of a line-up, by engine speed: read from the samples of every pull.

use super::LineUp;
use crate::error::{WorkflowError, blocking};
use crate::samples::each_pull;
use jamjar_core::analysis::{Beside, ChannelOnGrid, Measured, Sensor, SetChannel};
use jamjar_core::channel::Channel;
use jamjar_core::computed::{Formula, with_computed_owned};
use jamjar_core::log::{Recording, Series};
use jamjar_store::Store;
use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

/// Channels of each set of a line-up; channels that no pull of a set logged are left out there.
#[derive(Debug, Clone, Default)]
pub struct Channels {
    /// One map for each set, in the order of the line-up.
    pub sets: Vec<BTreeMap<Channel, SetChannel>>,
    /// The pulls of each set behind it, in their order; blank for one that has no samples.
    pub pulls: Vec<Vec<BTreeMap<Channel, ChannelOnGrid>>>,
    /// Sensors the channels of each set came from, each once, as far as recordings say.
    pub sensors: Vec<BTreeMap<Channel, Vec<Sensor>>>,
}

impl Channels {
    /// Every channel of any set.
    pub fn names(&self) -> BTreeSet<&Channel> {
        self.sets.iter().flat_map(BTreeMap::keys).collect()
    }

    /// Bytes they take in memory, about.
    pub fn weight(&self) -> usize {
        let each = |c: &SetChannel| 32 * c.rpm.len() + 200;
        let pull = |c: &ChannelOnGrid| 32 * c.rpm.len() + 200;
        self.sets.iter().flat_map(BTreeMap::values).map(each).sum::<usize>()
            + self.pulls.iter().flatten().flat_map(BTreeMap::values).map(pull).sum::<usize>()
    }
}

/// Speed of the engine over that of the dyno's shaft, as a channel among the others.
pub const RATIO: &str = "ratio";

/// Reads the channels of every set, from the pulls that count in its figures; from all of them where none
/// does.
///
/// # Errors
/// [`WorkflowError`] when the store refuses.
pub async fn channels(store: &Store, l: &LineUp) -> Result<Channels, WorkflowError> {
    let n = l.sets.len();
    let mut out =
        Channels { sets: Vec::new(), pulls: vec![Vec::new(); n], sensors: vec![BTreeMap::new(); n] };
    let mut asked = Vec::new();
    let formulas = Arc::new(l.vehicle.vehicle.formulas());
    for (k, ((s, measured), r)) in l.sets.iter().zip(&l.measured).zip(&l.results).enumerate() {
        let none = r.included.iter().all(|i| !i);
        for (i, (p, _)) in s.pulls.iter().enumerate().filter(|(i, _)| none || r.included[*i]) {
            // A finished curve has no samples behind it.
            if measured[i].printed.is_none() {
                let (m, formulas) = (measured[i].clone(), formulas.clone());
                let read = move |dyno: Recording, ecu| of_pull(dyno, ecu, &m, &formulas);
                asked.push(((k, out.pulls[k].len()), p.id, read));
            }
            out.pulls[k].push(BTreeMap::new());
        }
    }
    let per_rev = l.vehicle.vehicle.engine.injections_per_rev();
    for ((k, at), (read, sensors)) in each_pull(store, per_rev, asked).await? {
        out.pulls[k][at] = read;
        for (c, sensor) in sensors {
            let known: &mut Vec<Sensor> = out.sensors[k].entry(c).or_default();
            if !known.contains(&sensor) {
                known.push(sensor);
            }
        }
    }
    blocking(move || {
        for pulls in &out.pulls {
            let recorded: Vec<&BTreeMap<Channel, ChannelOnGrid>> =
                pulls.iter().filter(|p| !p.is_empty()).collect();
            out.sets.push(together(&recorded));
        }
        out
    })
    .await
}

/// The channels of a pull on its engine speeds, and where they come from.
type OfPull = (BTreeMap<Channel, ChannelOnGrid>, Vec<(Channel, Sensor)>);

fn of_pull(dyno: Recording, ecu: Option<Recording>, m: &Measured, formulas: &[Formula]) -> OfPull {
    let lag = m.lag();
    let (dyno, ecu) = with_computed_owned(formulas, dyno, ecu.map(Arc::new), lag);
    let beside = Beside { dyno: &dyno, ecu: ecu.as_deref().zip(lag) };
    let names: BTreeSet<&Channel> =
        dyno.channels.keys().chain(beside.ecu.iter().flat_map(|e| e.0.channels.keys())).collect();
    let read = |s: &Series| ChannelOnGrid::read(s, &m.grid);
    let logged = names.into_iter().filter(|c| c.as_str() != "time");
    let mut out: BTreeMap<Channel, ChannelOnGrid> =
        logged.filter_map(|c| Some((c.clone(), read(&beside.series(c.as_str())?)))).collect();
    if let Some((name, ratio)) = Channel::new(RATIO).ok().zip(ratio(&beside)) {
        out.insert(name, read(&ratio));
    }
    let sensors = out.keys().filter_map(|c| Some((c.clone(), beside.sensor(c)?))).collect();
    (out, sensors)
}

/// Engine speed over shaft speed where both were recorded.
fn ratio(beside: &Beside<'_>) -> Option<Series> {
    let (engine, shaft) = (beside.series("engine_speed")?, beside.dyno.series("roller_speed")?);
    let mut at = shaft.reader();
    let each = engine.t.iter().zip(&engine.v).filter_map(|(t, n)| {
        let shaft = at.at(*t).filter(|s| *s > 1.0)?;
        Some((*t, n / shaft))
    });
    let (t, v): (Vec<f64>, Vec<f64>) = each.unzip();
    (!t.is_empty()).then_some(Series { t, v })
}

fn together(pulls: &[&BTreeMap<Channel, ChannelOnGrid>]) -> BTreeMap<Channel, SetChannel> {
    let names: BTreeSet<&Channel> = pulls.iter().flat_map(|p| p.keys()).collect();
    let one = |c: &Channel| {
        let each: Vec<Option<ChannelOnGrid>> = pulls.iter().map(|p| p.get(c).cloned()).collect();
        let set = SetChannel::of(&each);
        (set.logged > 0).then(|| (c.clone(), set))
    };
    names.into_iter().filter_map(one).collect()
}
