//! How many of the pulls found have each value.

use crate::find::asked::{Clause, Field, STATES, State, What};
use crate::find::columns::{
    Bits, ENDED, FIRST_YEAR, FUEL, Facet, FacetKind, GEAR, Index, LIMIT, MAP, VEHICLE, YEARS,
};
use chrono::NaiveDate;

impl Index {
    pub(super) fn facets(&self, rows: &Bits) -> Vec<Facet> {
        let by_set = self.sets.counted(rows, &self.c.set_values);
        let own = self.own.counted(rows, &self.c.own_values);
        let named = |kind, column: usize, counts: Vec<usize>| {
            let values = self.names[column].all.iter().zip(counts).filter(|v| v.1 > 0);
            let values = values
                .filter_map(|(name, count)| {
                    Some((Clause { what: self.asks(kind, name)?, not: false }, count))
                })
                .collect();
            Facet { kind, values }
        };
        let mut out: Vec<Facet> = [
            (FacetKind::Vehicle, VEHICLE),
            (FacetKind::Map, MAP),
            (FacetKind::Fuel, FUEL),
            (FacetKind::Gear, GEAR),
        ]
        .into_iter()
        .enumerate()
        .map(|(k, (kind, column))| {
            named(
                kind,
                column,
                summed(self.names[column].all.len(), by_set.iter().map(|(v, n)| (usize::from(v[k]), *n))),
            )
        })
        .collect();
        let states = |column: usize| self.names[column].all.len();
        out.push(named(
            FacetKind::Limit,
            LIMIT,
            summed(states(LIMIT), own.iter().map(|(v, n)| (usize::from(v.worst_limit), *n))),
        ));
        out.push(named(
            FacetKind::Ended,
            ENDED,
            summed(states(ENDED), own.iter().map(|(v, n)| (usize::from(v.ended_by), *n))),
        ));
        let years = summed(YEARS, by_set.iter().map(|(v, n)| (usize::from(v[4]), *n)));
        let year = |(i, n): (usize, usize)| {
            let y = FIRST_YEAR + i as i32;
            let (from, to) = (NaiveDate::from_ymd_opt(y, 1, 1)?, NaiveDate::from_ymd_opt(y, 12, 31)?);
            (n > 0).then_some((Clause { what: What::Days { from, to }, not: false }, n))
        };
        out.push(Facet {
            kind: FacetKind::Year,
            values: years.into_iter().enumerate().filter_map(year).collect(),
        });
        let flag = |(i, name): (usize, &String)| {
            let n = own.iter().filter(|(v, _)| v.flags >> i & 1 == 1).map(|(_, n)| n).sum();
            (n > 0).then(|| (Clause { what: What::In(Field::Flag, name.replace('_', " ")), not: false }, n))
        };
        out.push(Facet {
            kind: FacetKind::Flag,
            values: self.flag_kinds.all.iter().take(64).enumerate().filter_map(flag).collect(),
        });
        out.retain(|f| !f.values.is_empty());
        for f in &mut out {
            f.values.sort_by_key(|v| std::cmp::Reverse(v.1));
        }
        out
    }

    /// The condition that asks for a value of a facet; names that are empty are not offered.
    fn asks(&self, kind: FacetKind, name: &str) -> Option<What> {
        let state = |s: State| STATES.iter().find(|x| x.0 == s && x.1 == name).map(|x| What::Is(s, x.1));
        match kind {
            _ if name.is_empty() => None,
            FacetKind::Vehicle => Some(What::In(Field::Vehicle, name.into())),
            FacetKind::Map => Some(What::In(Field::Map, name.into())),
            FacetKind::Fuel => Some(What::In(Field::Fuel, name.into())),
            FacetKind::Gear => Some(What::Gear(name.into())),
            FacetKind::Limit => state(State::Limit),
            FacetKind::Ended => state(State::Ended),
            FacetKind::Year | FacetKind::Flag => None,
        }
    }
}

fn summed(len: usize, counts: impl Iterator<Item = (usize, usize)>) -> Vec<usize> {
    let mut out = vec![0; len];
    counts.for_each(|(i, n)| out[i] += n);
    out
}
