//! What going from one set to the next costs, and what is left cannot cost less than.

use super::model::{Day, Wanted};

/// Minutes, then litres, both in hundredths: added and compared without rounding.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct Cost {
    pub(super) minutes: u64,
    pub(super) litres: u64,
}

impl Cost {
    pub(super) fn of(minutes: f64, litres: f64) -> Self {
        Self { minutes: (minutes * 100.0).round() as u64, litres: (litres * 100.0).round() as u64 }
    }

    pub(super) fn plus(self, other: Self) -> Self {
        Self { minutes: self.minutes + other.minutes, litres: self.litres + other.litres }
    }

    pub(super) fn times(self, n: usize) -> Self {
        Self { minutes: self.minutes * n as u64, litres: self.litres * n as u64 }
    }
}

/// What is in the unit and the tank.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub(super) struct Loaded {
    pub(super) map: Option<usize>,
    pub(super) fuel: Option<usize>,
}

impl Day {
    pub(super) fn base(&self) -> Loaded {
        Loaded { map: Some(self.baseline.map), fuel: Some(self.baseline.fuel) }
    }

    /// Pulls of one baseline.
    pub(super) fn baseline_work(&self) -> Cost {
        let b = &self.baseline;
        Cost::of(f64::from(b.pulls) * self.pace.of_pull(b.heat_kj), f64::from(b.pulls) * b.litres)
    }

    pub(super) fn work(&self, w: &Wanted) -> Cost {
        Cost::of(f64::from(w.pulls) * self.pace.of_pull(w.heat_kj), f64::from(w.pulls) * w.litres)
    }

    pub(super) fn flash(&self) -> Cost {
        Cost::of(self.pace.flash_min, 0.0)
    }

    pub(super) fn refuel(&self, fuel: usize) -> Cost {
        Cost::of(self.fuels[fuel].change_min, self.fuels[fuel].rinse_l)
    }

    /// Flash and change of fuel between two sets.
    pub(super) fn between(&self, from: Loaded, to: Loaded) -> Cost {
        let flash = if from.map == to.map { Cost::default() } else { self.flash() };
        match to.fuel.filter(|f| from.fuel != Some(*f)) {
            Some(f) => flash.plus(self.refuel(f)),
            None => flash,
        }
    }

    /// Whether a tank that holds so much behind a set, L, has to be filled before it.
    pub(super) fn is_short(&self, behind_l: f64) -> bool {
        behind_l < self.reserve_l - 1e-9
    }

    /// Sets that go between two baselines at most.
    pub(super) fn room(&self) -> usize {
        if self.baseline.every == 0 { usize::MAX } else { self.baseline.every }
    }
}

/// What is left to do.
#[derive(Debug, Clone, Copy)]
pub(super) struct Left<'a> {
    pub(super) wanted: &'a [Wanted],
    /// The sets.
    pub(super) sets: &'a [usize],
    pub(super) loaded: Loaded,
    /// Sets since the baseline.
    pub(super) since: usize,
}

/// Least that what is left can cost beside the work of its sets.
///
/// # Formula
/// `h = v·b + Σ_{entered} c_x + r·c_0` for flashes and for changes of fuel alike
///
/// where
/// - `v = ⌈(s + n)/k⌉`: baselines still due, `s` sets since the last, `n` left, `k` between two; `b`: work of one;
/// - `c_x`: cost of entering a map or fuel: each other than the baseline's and the one that is in is entered at least once,
///   and one of them at least in every stretch between two baselines that holds any;
/// - `r`: stretches that hold any, from each of which the baseline's own is entered again, at `c_0`.
///
/// Each term counts what every order does; so no order costs less (our own bound).
pub(super) fn least(left: &Left<'_>, day: &Day) -> Cost {
    let (n, room) = (left.sets.len(), day.room());
    if n + left.since == 0 {
        return Cost::default();
    }
    let visits = if room == usize::MAX { 1 } else { (left.since + n).div_ceil(room) };
    let stretches = |of: usize, inside: bool| {
        let free = room - left.since.min(room);
        match (of, inside) {
            (0, false) => 0,
            (0, true) => 1,
            // Those that do not go before the next baseline begin another stretch.
            (of, _) if room == usize::MAX || of <= free => 1,
            (of, _) => usize::from(free > 0 || inside) + (of - free).div_ceil(room),
        }
    };
    let mut sum = day.baseline_work().times(visits);
    let base = day.base();
    let maps = Others::of(left.sets.iter().map(|i| left.wanted[*i].map), day.baseline.map, left.loaded.map);
    let inside = left.loaded.map != base.map;
    let r = stretches(maps.sets, inside);
    sum = sum.plus(day.flash().times(maps.each.len().max(r.saturating_sub(usize::from(inside)))));
    sum = sum.plus(day.flash().times(r));
    let fuels =
        Others::of(left.sets.iter().map(|i| left.wanted[*i].fuel), day.baseline.fuel, left.loaded.fuel);
    let inside = left.loaded.fuel != base.fuel;
    let r = stretches(fuels.sets, inside);
    let entered = fuels.each.iter().fold(Cost::default(), |c, f| c.plus(day.refuel(*f)));
    let more = r.saturating_sub(usize::from(inside)).saturating_sub(fuels.each.len());
    let cheapest = fuels.all.iter().map(|f| day.refuel(*f)).min().unwrap_or_default();
    // Litres are not bounded where only the minutes are: the cheapest change by minutes may take more of them.
    let cheapest = Cost { litres: 0, ..cheapest };
    sum.plus(entered).plus(cheapest.times(more)).plus(day.refuel(day.baseline.fuel).times(r))
}

/// Maps or fuels of what is left that are not the baseline's.
struct Others {
    /// Sets that run on one.
    sets: usize,
    /// Each of them beside the one that is in.
    each: Vec<usize>,
    /// All of them.
    all: Vec<usize>,
}

impl Others {
    fn of(used: impl Iterator<Item = usize>, base: usize, loaded: Option<usize>) -> Self {
        let mut all: Vec<usize> = used.filter(|x| *x != base).collect();
        let sets = all.len();
        all.sort_unstable();
        all.dedup();
        let each: Vec<usize> = all.iter().copied().filter(|x| Some(*x) != loaded).collect();
        Self { sets, each, all }
    }
}
