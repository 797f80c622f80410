//! Answers a query from the index.

use crate::correction::Correction;
use crate::find::asked::{Clause, Field, Order, Quantity, Query, State, What};
use crate::find::columns::{
    ALIGNED, BOOST, BUILD, Bits, ENDED, FUEL, Facet, GEAR, Index, LIMIT, MAP, Place, VEHICLE, Zones, distance,
};
use chrono::{Datelike, NaiveDate};
use rayon::prelude::*;
use std::cmp::Ordering;

/// From so many rows on conditions are looked through side by side.
const MANY: usize = 100_000;

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

/// An answer.
#[derive(Debug, Clone, PartialEq)]
pub struct Found {
    /// How many pulls match.
    pub total: usize,
    /// One page of them.
    pub hits: Vec<Hit>,
    /// What they have in common.
    pub facets: Vec<Facet>,
    /// When nothing matches several conditions: how many would without the condition of that number, where
    /// any would.
    pub without: Vec<(usize, usize)>,
    /// When nothing matches: text that is found nowhere, by the number of its condition, and a name like it.
    pub meant: Vec<(usize, String)>,
    /// Numbers of the conditions that are text and the name of nothing.
    pub texts: Vec<usize>,
}

impl Index {
    /// Answers a query: `limit` pulls from the `skip`-th on, in its order, with counts over all that match.
    pub fn find(&self, q: &Query, family: Correction, skip: usize, limit: usize) -> Found {
        let f = Correction::ALL.iter().position(|c| *c == family).unwrap_or(0);
        let holds = |c: &Clause| self.rows_with(&c.what, f);
        let each: Vec<Bits> = if self.rows_in_all() < MANY {
            q.clauses.iter().map(holds).collect()
        } else {
            q.clauses.par_iter().map(holds).collect()
        };
        let all_but = |leave: Option<usize>| {
            let mut rows = self.living(asks_archived(q));
            for (_, (clause, holds)) in
                q.clauses.iter().zip(&each).enumerate().filter(|(i, _)| Some(*i) != leave)
            {
                if clause.not { rows.and_not(holds) } else { rows.and(holds) }
            }
            rows
        };
        let mut rows = all_but(None);
        if let Some(n) = q.newest {
            rows = self.newest(&rows, n);
        }
        let total = rows.count();
        let mut without = Vec::new();
        if total == 0 && each.len() > 1 {
            without.extend((0..each.len()).map(|i| (i, all_but(Some(i)).count())).filter(|w| w.1 > 0));
        }
        // Counts over everything are the slowest question and the most frequent one.
        let is_text = |c: &Clause| matches!(&c.what, What::Text(t) if !self.in_a_name(&t.to_lowercase()));
        let texts = (0..q.clauses.len()).filter(|i| is_text(&q.clauses[*i])).collect();
        let meant = if total == 0 { self.meant(q, &each) } else { Vec::new() };
        let facets = if q.clauses.is_empty() && q.newest.is_none() {
            self.of_all.get_or_init(|| self.facets(&rows)).clone()
        } else {
            self.facets(&rows)
        };
        let order = self.first(&rows, q, f, skip + limit);
        Found {
            total,
            hits: order.into_iter().skip(skip).map(|i| self.hit(i, f)).collect(),
            facets,
            without,
            meant,
            texts,
        }
    }

    /// Whether a text in lower case stands in the name of something.
    fn in_a_name(&self, text: &str) -> bool {
        [VEHICLE, BUILD, MAP, FUEL, BOOST]
            .into_iter()
            .any(|k| self.names[k].lower.iter().any(|n| n.contains(text)))
    }

    /// What a text in lower case is the whole name of.
    fn named_by(&self, text: &str) -> Vec<Field> {
        let named =
            [(Field::Vehicle, VEHICLE), (Field::Map, MAP), (Field::Fuel, FUEL), (Field::Boost, BOOST)];
        let own = |n: &(Field, usize)| self.names[n.1].lower.iter().any(|l| l == text);
        named.into_iter().filter(own).map(|n| n.0).collect()
    }

    /// The newest so many of some rows.
    fn newest(&self, rows: &Bits, n: usize) -> Bits {
        let mut out = Bits::none(self.rows_in_all());
        let newest = Query { order: Some(Order::Newest), ..Query::default() };
        self.first(rows, &newest, 0, n).into_iter().for_each(|i| out.insert(i));
        out
    }

    fn rows_with(&self, what: &What, f: usize) -> Bits {
        let c = &self.c;
        match what {
            What::Range { of, low, high, .. } => {
                let (low, high) = (at_least(*low), -at_least(-*high));
                let within = move |v: f32| v >= low && v <= high;
                match self.figure(*of, f) {
                    (v, Some(factor)) => Bits::of_columns(v, factor, |v, k| within(v * k)),
                    (v, None) => Bits::of_column(v, within),
                }
            }
            What::Own { of, end, low, high, .. } => {
                let range = at_least(*low)..=-at_least(-*high);
                self.computed.within(of, *end, range, self.rows_in_all())
            }
            What::Days { from, to } => {
                let (a, b) = (from.num_days_from_ce(), to.num_days_from_ce());
                Bits::of_column(&c.date, move |d| d >= a && d <= b)
            }
            What::Gear(g) => self.named(GEAR, |n| n == g.to_lowercase()),
            What::Is(state, value) => self.named(column_of(*state), |n| n == *value),
            What::LeftOut => Bits::of_column(&c.left_out, |x| x),
            What::Archived => Bits::of_column(&c.archived, |x| x),
            What::In(field, text) => self.in_field(*field, &text.to_lowercase()),
            What::Text(text) => {
                let text = text.to_lowercase();
                // What is the name of something is that thing: E85 asks for the fuel, not for every note that
                // mentions it.
                let own = self.named_by(&text);
                if !own.is_empty() {
                    let mut out = Bits::none(self.rows_in_all());
                    own.into_iter().for_each(|f| out.or(&self.in_field(f, &text)));
                    return out;
                }
                let mut out = self.in_field(Field::Note, &text);
                for field in [Field::Vehicle, Field::Build, Field::Map, Field::Fuel, Field::Boost, Field::Tag]
                {
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
            Quantity::Gain => (self.gains(f), None),
            Quantity::PeakSpeed => (&c.peak_rpm, None),
            Quantity::Boost => (&c.boost, None),
            Quantity::Ethanol => (&c.ethanol, None),
            Quantity::Air => (&c.air, None),
            Quantity::Used => (&c.used, None),
            Quantity::Reached(e) => (&c.reached[e as usize], None),
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
                let mask = self
                    .flag_kinds
                    .lower
                    .iter()
                    .take(64)
                    .enumerate()
                    .filter(|(_, n)| **n == words)
                    .fold(0u64, |m, (i, _)| m | 1 << i);
                return Bits::of_column(&self.c.flags, |v| v & mask != 0);
            }
            Field::Note | Field::Tag | Field::By => {
                let mut out = Bits::none(self.rows_in_all());
                self.noted(&mut out, |f, s| {
                    f == field && if f == Field::Tag { s == text } else { s.contains(text) }
                });
                return out;
            }
        };
        // A name that is the text wins over names that only contain it: map C1 is not C10.
        let exact = self.names[column].lower.iter().any(|n| n == text);
        let mut out = self.named(column, |n| if exact { n == text } else { n.contains(text) });
        if field == Field::Vehicle && !exact {
            out.or(&self.described_as(text));
        }
        out
    }

    /// Pulls of vehicles whose description holds a text.
    fn described_as(&self, text: &str) -> Bits {
        let own = |name: &str| self.described.get(name).is_some_and(|d| d.contains(text));
        if text.is_empty() || !self.described.values().any(|d| d.contains(text)) {
            return Bits::none(self.rows_in_all());
        }
        self.named_as(VEHICLE, own)
    }

    fn named(&self, column: usize, holds: impl Fn(&str) -> bool) -> Bits {
        self.rows_of(column, self.names[column].lower.iter().map(|n| holds(n)).collect())
    }

    /// The same by names as they are written.
    fn named_as(&self, column: usize, holds: impl Fn(&str) -> bool) -> Bits {
        self.rows_of(column, self.names[column].all.iter().map(|n| holds(n)).collect())
    }

    fn rows_of(&self, column: usize, table: Vec<bool>) -> Bits {
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
        let zones = self.zones.get_or_init(|| Zones::new(c));
        let newest = |a: usize, b: usize| (c.date[b], c.place[b].pull).cmp(&(c.date[a], c.place[a].pull));
        let oldest = |a: usize, b: usize| (c.date[a], c.place[a].pull).cmp(&(c.date[b], c.place[b].pull));
        let power = |i: usize| c.power[i] * c.factor[f][i];
        let by = |a: f32, b: f32| a.is_nan().cmp(&b.is_nan()).then(a.total_cmp(&b));
        let by_date = || top(rows, n, newest, |word, worst| zones.since(word, c.date[worst]));
        match q.order() {
            Order::Newest => by_date(),
            Order::Oldest => top(rows, n, oldest, |word, worst| zones.until(word, c.date[worst])),
            Order::Strongest => {
                let may =
                    |word, worst: usize| power(worst).is_nan() || *zones.power(word, f).end() >= power(worst);
                top(rows, n, |a, b| by(-power(a), -power(b)).then_with(|| newest(a, b)), may)
            }
            Order::Weakest => {
                let may = |word, worst: usize| {
                    power(worst).is_nan() || *zones.power(word, f).start() <= power(worst)
                };
                top(rows, n, |a, b| by(power(a), power(b)).then_with(|| newest(a, b)), may)
            }
            Order::MostTorque | Order::LeastTorque => {
                let sign = if q.order() == Order::MostTorque { -1.0 } else { 1.0 };
                let torque = |i: usize| sign * c.torque[i] * c.factor[f][i];
                let may = |word, worst: usize| {
                    let range = zones.torque(word, f);
                    let best = if sign < 0.0 { -range.end() } else { *range.start() };
                    torque(worst).is_nan() || best <= torque(worst)
                };
                top(rows, n, |a, b| by(torque(a), torque(b)).then_with(|| newest(a, b)), may)
            }
            Order::Closest => {
                let Some((of, value)) = q.about() else { return by_date() };
                let (v, factor) = self.figure(of, f);
                let off = |i: usize| (v[i] * factor.map_or(1.0, |k| k[i]) - value as f32).abs();
                let may = |word, worst: usize| {
                    let range = match of {
                        Quantity::Power => zones.power(word, f),
                        Quantity::Torque => zones.torque(word, f),
                        _ => return true,
                    };
                    off(worst).is_nan() || distance(&range, value as f32) <= off(worst)
                };
                top(rows, n, |a, b| by(off(a), off(b)).then_with(|| newest(a, b)), may)
            }
        }
    }

    fn hit(&self, i: usize, f: usize) -> Hit {
        let c = &self.c;
        let name = |k: usize| self.names[k].all[usize::from(c.named[k][i])].clone();
        let factor = f64::from(c.factor[f][i]);
        let number = |v: f32| (!v.is_nan()).then_some(f64::from(v));
        Hit {
            place: c.place[i],
            position: c.position[i],
            date: NaiveDate::from_num_days_from_ce_opt(c.date[i]).unwrap_or_default(),
            names: [VEHICLE, BUILD, MAP, FUEL, BOOST, GEAR].map(name),
            power: number(c.power[i]).map(|p| (p * factor, f64::from(c.peak_rpm[i]))),
            torque_nm: number(c.torque[i]).map(|t| t * factor),
            states: [LIMIT, ENDED, ALIGNED].map(name),
            flags: self
                .flag_kinds
                .all
                .iter()
                .take(64)
                .enumerate()
                .filter(|(k, _)| c.flags[i] >> k & 1 == 1)
                .map(|(_, n)| n.clone())
                .collect(),
            left_out: c.left_out[i],
        }
    }
}

/// Archived pulls are looked at only when they are asked for.
fn asks_archived(q: &Query) -> bool {
    q.clauses.iter().any(|c| c.what == What::Archived && !c.not)
}

/// The lowest of the kept numbers that is not below a bound: “over 4” leaves out 4.
fn at_least(bound: f64) -> f32 {
    let near = bound as f32;
    if f64::from(near) < bound { near.next_up() } else { near }
}

fn column_of(state: State) -> usize {
    match state {
        State::Limit => LIMIT,
        State::Ended => ENDED,
        State::Aligned => ALIGNED,
    }
}

/// The first `n` of the rows in an order, without sorting the rest, newest days looked at first. `may` says
/// whether any of 64 rows can come before the worst row kept so far.
fn top(
    rows: &Bits,
    n: usize,
    order: impl Fn(usize, usize) -> Ordering,
    may: impl Fn(usize, usize) -> bool,
) -> Vec<usize> {
    let mut best: Vec<usize> = Vec::with_capacity(2 * n + 64);
    let mut worst: Option<usize> = None;
    rows.each_word_back(|word, some| {
        if worst.is_some_and(|w| !may(word, w)) {
            return;
        }
        best.extend(some.filter(|i| worst.is_none_or(|w| order(*i, w) == Ordering::Less)));
        if best.len() > 2 * n {
            best.select_nth_unstable_by(n, |a, b| order(*a, *b));
            best.truncate(n);
            worst = best.iter().copied().max_by(|a, b| order(*a, *b));
        }
    });
    best.sort_unstable_by(|a, b| order(*a, *b));
    best.truncate(n);
    best
}
