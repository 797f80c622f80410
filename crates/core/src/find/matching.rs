//! Answers a query from the index.

use super::bits::Bits;
use super::index::{FIRST_YEAR, Index, Place, YEARS};
use super::quantity::Quantity;
use super::query::{Clause, Field, Order, Query, STATES, State, What};
use crate::correction::Correction;
use chrono::{Datelike, NaiveDate};
use std::cmp::Ordering;

/// Columns of names, in the order of the index.
const VEHICLE: usize = 0;
const BUILD: usize = 1;
const MAP: usize = 2;
const FUEL: usize = 3;
const BOOST: usize = 4;
const GEAR: usize = 5;
const LIMIT: usize = 6;
const ENDED: usize = 7;
const ALIGNED: usize = 8;

/// A pull found. Power and torque stand in the family asked for.
#[derive(Debug, Clone, PartialEq)]
pub struct Hit {
    /// Where it belongs.
    pub place: Place,
    /// Position in its set, from 1.
    pub position: u16,
    /// The day's date.
    pub date: NaiveDate,
    /// Vehicle, build state, map, fuel, boost target and gear.
    pub names: [String; 6],
    /// Highest power, kW, and where, rpm.
    pub power: Option<(f64, f64)>,
    /// Highest torque, N·m.
    pub torque_nm: Option<f64>,
    /// Stored words for the worst limit verdict, what ended it, and its clocks.
    pub states: [String; 3],
    /// Kinds of its flags.
    pub flags: Vec<String>,
    /// Whether it is left out of figures.
    pub left_out: bool,
}

/// What a facet counts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FacetKind {
    /// Vehicles.
    Vehicle,
    /// Maps by name.
    Map,
    /// Fuels.
    Fuel,
    /// Gears.
    Gear,
    /// Calendar years.
    Year,
    /// Worst limit verdict.
    Limit,
    /// What ended the pull.
    Ended,
    /// Flags.
    Flag,
}

/// How many of the pulls found have each value; the condition that asks for it comes along.
#[derive(Debug, Clone, PartialEq)]
pub struct Facet {
    /// What is counted.
    pub kind: FacetKind,
    /// Condition and number of pulls, most first.
    pub values: Vec<(Clause, usize)>,
}

/// An answer.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    /// How many pulls match.
    pub total: usize,
    /// One page of them.
    pub hits: Vec<Hit>,
    /// What they have in common.
    pub facets: Vec<Facet>,
    /// When nothing matches several conditions: how many would without the condition of that number, where any would.
    pub without: Vec<(usize, usize)>,
}

impl Index {
    /// Answers a query: `limit` pulls from the `skip`-th on, in its order, with counts over all that match.
    pub fn find(&self, q: &Query, family: Correction, skip: usize, limit: usize) -> Found {
        let f = Correction::ALL.iter().position(|c| *c == family).unwrap_or(0);
        let each: Vec<Bits> = q.clauses.iter().map(|c| self.rows_with(&c.what, f)).collect();
        let all_but = |leave: Option<usize>| {
            let mut rows = self.living();
            for (_, (clause, holds)) in q.clauses.iter().zip(&each).enumerate().filter(|(i, _)| Some(*i) != leave) {
                if clause.not { rows.and_not(holds) } else { rows.and(holds) }
            }
            rows
        };
        let rows = all_but(None);
        let total = rows.count();
        let mut without = Vec::new();
        if total == 0 && each.len() > 1 {
            without.extend((0..each.len()).map(|i| (i, all_but(Some(i)).count())).filter(|w| w.1 > 0));
        }
        // Counts over everything are the slowest question and the most frequent one.
        let facets = if q.clauses.is_empty() { self.of_all.get_or_init(|| self.facets(&rows)).clone() } else { self.facets(&rows) };
        let order = self.first(&rows, q, f, skip + limit);
        Found { total, hits: order.into_iter().skip(skip).map(|i| self.hit(i, f)).collect(), facets, without }
    }

    fn rows_with(&self, what: &What, f: usize) -> Bits {
        let c = &self.c;
        match what {
            What::Range { of, low, high, .. } => {
                let (low, high) = (*low as f32, *high as f32);
                let within = move |v: f32| v >= low && v <= high;
                match self.figure(*of, f) {
                    (v, Some(factor)) => Bits::of_columns(v, factor, |v, k| within(v * k)),
                    (v, None) => Bits::of_column(v, within),
                }
            }
            What::Days { from, to } => {
                let (a, b) = (from.num_days_from_ce(), to.num_days_from_ce());
                Bits::of_column(&c.date, move |d| d >= a && d <= b)
            }
            What::Gear(g) => self.named(GEAR, |n| n == g.to_lowercase()),
            What::Is(state, value) => self.named(column_of(*state), |n| n == *value),
            What::LeftOut => Bits::of_column(&c.left_out, |x| x),
            What::In(field, text) => self.in_field(*field, &text.to_lowercase()),
            What::Text(text) => {
                let text = text.to_lowercase();
                // What is the name of something is that thing: E85 asks for the fuel, not for every note that mentions it.
                let named = [(Field::Vehicle, VEHICLE), (Field::Map, MAP), (Field::Fuel, FUEL), (Field::Boost, BOOST)];
                let own: Vec<Field> = named.into_iter().filter(|n| self.names[n.1].lower.contains(&text)).map(|n| n.0).collect();
                if !own.is_empty() {
                    let mut out = Bits::none(self.rows_in_all());
                    own.into_iter().for_each(|f| out.or(&self.in_field(f, &text)));
                    return out;
                }
                let mut out = self.in_field(Field::Note, &text);
                for field in [Field::Vehicle, Field::Build, Field::Map, Field::Fuel, Field::Boost, Field::Tag] {
                    out.or(&self.in_field(field, &text));
                }
                out.or(&self.named(GEAR, |n| n == text));
                out
            }
        }
    }

    /// Column of a figure, and the factors that correct it where a family does.
    fn figure(&self, of: Quantity, f: usize) -> (&[f32], Option<&[f32]>) {
        let c = &self.c;
        match of {
            Quantity::Power => (&c.power, Some(&c.factor[f])),
            Quantity::Torque => (&c.torque, Some(&c.factor[f])),
            Quantity::PeakSpeed => (&c.peak_rpm, None),
            Quantity::Boost => (&c.boost, None),
            Quantity::Ethanol => (&c.ethanol, None),
            Quantity::Air => (&c.air, None),
            Quantity::Used => (&c.used, None),
        }
    }

    fn in_field(&self, field: Field, text: &str) -> Bits {
        let column = match field {
            Field::Vehicle => VEHICLE,
            Field::Build => BUILD,
            Field::Map => MAP,
            Field::Fuel => FUEL,
            Field::Boost => BOOST,
            Field::Flag => {
                let words = text.replace(' ', "_");
                let mask = self.flag_kinds.lower.iter().take(64).enumerate().filter(|(_, n)| **n == words).fold(0u64, |m, (i, _)| m | 1 << i);
                return Bits::of_column(&self.c.flags, |v| v & mask != 0);
            }
            Field::Note | Field::Tag | Field::By => {
                let mut out = Bits::none(self.rows_in_all());
                self.noted(&mut out, |f, s| f == field && if f == Field::Tag { s == text } else { s.contains(text) });
                return out;
            }
        };
        // A name that is the text wins over names that only contain it: map C1 is not C10.
        let exact = self.names[column].lower.iter().any(|n| n == text);
        self.named(column, |n| if exact { n == text } else { n.contains(text) })
    }

    fn named(&self, column: usize, holds: impl Fn(&str) -> bool) -> Bits {
        let table: Vec<bool> = self.names[column].lower.iter().map(|n| holds(n)).collect();
        match table.iter().filter(|t| **t).count() {
            0 => Bits::none(self.rows_in_all()),
            1 => {
                let one = table.iter().position(|t| *t).unwrap_or(0) as u16;
                Bits::of_column(&self.c.named[column], |v| v == one)
            }
            _ => Bits::of_column(&self.c.named[column], |v| table[usize::from(v)]),
        }
    }

    /// The first `n` rows in the order asked for.
    fn first(&self, rows: &Bits, q: &Query, f: usize, n: usize) -> Vec<usize> {
        let c = &self.c;
        let newest = |a: usize, b: usize| (c.date[b], c.place[b].0).cmp(&(c.date[a], c.place[a].0));
        let power = |i: usize| c.power[i] * c.factor[f][i];
        let by = |a: f32, b: f32| a.is_nan().cmp(&b.is_nan()).then(a.total_cmp(&b));
        match q.order() {
            Order::Newest => top(rows.iter_back(), n, newest),
            Order::Oldest => top(rows.iter(), n, |a, b| (c.date[a], c.place[a].0).cmp(&(c.date[b], c.place[b].0))),
            Order::Strongest => top(rows.iter_back(), n, |a, b| by(-power(a), -power(b)).then_with(|| newest(a, b))),
            Order::Weakest => top(rows.iter_back(), n, |a, b| by(power(a), power(b)).then_with(|| newest(a, b))),
            Order::Closest => {
                let Some((of, value)) = q.about() else { return top(rows.iter_back(), n, newest) };
                let (v, factor) = self.figure(of, f);
                let off = |i: usize| (v[i] * factor.map_or(1.0, |k| k[i]) - value as f32).abs();
                top(rows.iter_back(), n, |a, b| by(off(a), off(b)).then_with(|| newest(a, b)))
            }
        }
    }

    fn hit(&self, i: usize, f: usize) -> Hit {
        let c = &self.c;
        let name = |k: usize| self.names[k].all[usize::from(c.named[k][i])].clone();
        let factor = f64::from(c.factor[f][i]);
        let number = |v: f32| (!v.is_nan()).then_some(f64::from(v));
        let (pull, set, day) = c.place[i];
        Hit {
            place: Place { pull, set, day },
            position: c.position[i],
            date: NaiveDate::from_num_days_from_ce_opt(c.date[i]).unwrap_or_default(),
            names: [VEHICLE, BUILD, MAP, FUEL, BOOST, GEAR].map(name),
            power: number(c.power[i]).map(|p| (p * factor, f64::from(c.peak_rpm[i]))),
            torque_nm: number(c.torque[i]).map(|t| t * factor),
            states: [LIMIT, ENDED, ALIGNED].map(name),
            flags: self.flag_kinds.all.iter().take(64).enumerate().filter(|(k, _)| c.flags[i] >> k & 1 == 1).map(|(_, n)| n.clone()).collect(),
            left_out: c.left_out[i],
        }
    }

    fn facets(&self, rows: &Bits) -> Vec<Facet> {
        let c = &self.c;
        let columns = [
            (FacetKind::Vehicle, VEHICLE),
            (FacetKind::Map, MAP),
            (FacetKind::Fuel, FUEL),
            (FacetKind::Gear, GEAR),
            (FacetKind::Limit, LIMIT),
            (FacetKind::Ended, ENDED),
        ];
        // Neighbours often have the same value, and a counter cannot be raised again before it has been: four of each take turns.
        let widest = columns.iter().map(|(_, k)| self.names[*k].all.len()).max().unwrap_or(0).max(YEARS);
        let mut turns = vec![vec![0u32; widest]; 4 * (columns.len() + 1)];
        let mut flags = [0u32; 64];
        rows.each_word(|some| {
            for (place, column) in columns.iter().map(|(_, k)| &c.named[*k]).chain([&c.year]).enumerate() {
                let [one, two, three, four] = &mut turns[4 * place..4 * place + 4] else { continue };
                let (fours, rest) = some.as_chunks::<4>();
                for &[a, b, c, d] in fours {
                    one[usize::from(column[a])] += 1;
                    two[usize::from(column[b])] += 1;
                    three[usize::from(column[c])] += 1;
                    four[usize::from(column[d])] += 1;
                }
                rest.iter().for_each(|i| one[usize::from(column[*i])] += 1);
            }
            for &i in some {
                let mut left = c.flags[i];
                while left != 0 {
                    flags[left.trailing_zeros() as usize] += 1;
                    left &= left - 1;
                }
            }
        });
        let counted = |place: usize, n: usize| turns[4 * place..4 * place + 4].iter().map(|t| t[n] as usize).sum::<usize>();
        let mut out: Vec<Facet> = columns
            .iter()
            .enumerate()
            .map(|(place, &(kind, k))| {
                let values = self.names[k].all.iter().enumerate().filter_map(|(n, name)| {
                    let (what, count) = (self.asks(kind, name)?, counted(place, n));
                    (count > 0).then_some((Clause { what, not: false }, count))
                });
                Facet { kind, values: values.collect() }
            })
            .collect();
        let year = |i: usize| {
            let (y, n) = (FIRST_YEAR + i as i32, counted(columns.len(), i));
            let (from, to) = (NaiveDate::from_ymd_opt(y, 1, 1)?, NaiveDate::from_ymd_opt(y, 12, 31)?);
            (n > 0).then_some((Clause { what: What::Days { from, to }, not: false }, n))
        };
        out.push(Facet { kind: FacetKind::Year, values: (0..YEARS).filter_map(year).collect() });
        let flag = |(i, n): (usize, &u32)| {
            (*n > 0).then(|| (Clause { what: What::In(Field::Flag, self.flag_kinds.all[i].replace('_', " ")), not: false }, *n as usize))
        };
        out.push(Facet { kind: FacetKind::Flag, values: flags.iter().enumerate().filter_map(flag).collect() });
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

fn column_of(state: State) -> usize {
    match state {
        State::Limit => LIMIT,
        State::Ended => ENDED,
        State::Aligned => ALIGNED,
    }
}

/// The first `n` of the rows in an order, without sorting the rest.
fn top(rows: impl Iterator<Item = usize>, n: usize, order: impl Fn(usize, usize) -> Ordering) -> Vec<usize> {
    let mut best: Vec<usize> = Vec::with_capacity(2 * n + 1);
    let mut worst: Option<usize> = None;
    for i in rows {
        if worst.is_some_and(|w| order(i, w) != Ordering::Less) {
            continue;
        }
        best.push(i);
        if best.len() > 2 * n {
            best.select_nth_unstable_by(n, |a, b| order(*a, *b));
            best.truncate(n);
            worst = best.iter().copied().max_by(|a, b| order(*a, *b));
        }
    }
    best.sort_unstable_by(|a, b| order(*a, *b));
    best.truncate(n);
    best
}
