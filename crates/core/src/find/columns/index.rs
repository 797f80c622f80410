//! Every pull in memory, column by column: a million take about 100 MB and are looked through in
//! milliseconds.
//!
//! Rows of a day stand together. A changed day is written over where it stood when its number of pulls is the
//! same; otherwise its old rows are dead and new ones are appended, and when a quarter is dead everything is
//! written anew.

use super::bits::Bits;
use super::facet::Facet;
use super::groups::{Groups, OwnValues, SetValues};
use super::names::{ENDED, FUEL, GEAR, LIMIT, MAP, NAMED, Names, VEHICLE};
use super::own::OwnColumns;
use super::record::{Note, Record, Scope};
use super::table::{Columns, FAMILIES, FIRST_YEAR, YEARS};
use super::zones::Zones;
use crate::correction::Correction;
use crate::find::asked::Field;
use chrono::Datelike;
use std::collections::HashMap;
use std::sync::OnceLock;

/// Rows of a day and the notes on it.
#[derive(Debug, Clone, Default)]
struct Day {
    start: usize,
    len: usize,
}

/// Lower-cased text, tag and person of a note.
#[derive(Debug, Clone)]
pub(in crate::find) struct Kept {
    pub(in crate::find) scope: Scope,
    pub(in crate::find) fields: [(Field, String); 3],
}

/// The index.
#[derive(Debug, Clone, Default)]
pub struct Index {
    pub(in crate::find) c: Columns,
    pub(in crate::find) names: [Names; NAMED],
    pub(in crate::find) flag_kinds: Names,
    days: HashMap<i64, Day>,
    notes: HashMap<i64, Vec<Kept>>,
    dead: usize,
    /// Facets of every pull, counted when first asked for.
    pub(in crate::find) of_all: OnceLock<Vec<Facet>>,
    pub(in crate::find) sets: Groups<SetValues>,
    pub(in crate::find) own: Groups<OwnValues>,
    /// Found when first asked for.
    pub(in crate::find) zones: OnceLock<Zones>,
    /// Gains in every family, counted when first asked for.
    gained: [OnceLock<Vec<f32>>; FAMILIES],
    /// What computed channels reached.
    pub(in crate::find) computed: OwnColumns,
    /// Descriptions of vehicles by name, lower case.
    pub(in crate::find) described: HashMap<String, String>,
    /// How many rows are archived.
    pub(in crate::find) put_away: usize,
}

/// The first number in words such as `140 kPa`; NaN when there is none.
fn first_number(s: &str) -> f32 {
    let from = s.find(|c: char| c.is_ascii_digit()).unwrap_or(s.len());
    let len = s[from..].find(|c: char| !(c.is_ascii_digit() || c == '.')).unwrap_or(s.len() - from);
    let value: f32 = s[from..from + len].parse().unwrap_or(f32::NAN);
    if s.contains("bar") { value * 100.0 } else { value }
}

impl Index {
    /// How many pulls it holds, archived ones aside.
    pub fn len(&self) -> usize {
        self.c.alive.len() - self.dead - self.put_away
    }

    /// Whether it holds none.
    pub fn is_empty(&self) -> bool {
        self.len() == 0
    }

    /// Puts a day in place of what was known of it; without records the day is forgotten. Records come in any
    /// order.
    pub fn put_day(&mut self, day: i64, records: &[Record], notes: &[Note]) {
        self.of_all = OnceLock::new();
        self.zones = OnceLock::new();
        self.gained = Default::default();
        let old = self.days.get(&day).cloned().unwrap_or_default();
        let old_archived = self.c.archived[old.start..old.start + old.len].iter().filter(|a| **a).count();
        let start = if old.len == records.len() { old.start } else { self.c.alive.len() };
        if old.len != records.len() {
            self.c.alive[old.start..old.start + old.len].fill(false);
            self.dead += old.len;
        }
        for (i, r) in records.iter().enumerate() {
            self.write(start + i, r);
        }
        self.put_bases(start, records);
        if records.is_empty() {
            self.days.remove(&day);
        } else {
            self.days.insert(day, Day { start, len: records.len() });
        }
        let kept: Vec<Kept> = notes
            .iter()
            .map(|n| {
                let fields = [(Field::Note, &n.text), (Field::Tag, &n.tag), (Field::By, &n.by)]
                    .map(|(f, s)| (f, s.to_lowercase()));
                Kept { scope: n.scope, fields }
            })
            .collect();
        if kept.is_empty() {
            self.notes.remove(&day);
        } else {
            self.notes.insert(day, kept);
        }
        self.put_away = self.put_away + records.iter().filter(|r| r.archived).count() - old_archived;
        if self.dead > 1024 && self.dead * 4 > self.c.alive.len() {
            self.compact();
        }
    }

    fn write(&mut self, at: usize, r: &Record) {
        let c = &mut self.c;
        let all = r.names.iter().chain(&r.states);
        let numbers: Vec<u16> = all.zip(&mut self.names).map(|(name, names)| names.number(name)).collect();
        let flags = r
            .flags
            .iter()
            .map(|f| self.flag_kinds.number(f))
            .filter(|n| *n < 64)
            .fold(0u64, |m, n| m | 1 << n);
        let small = |v: Option<f64>| v.map_or(f32::NAN, |v| v as f32);
        put(&mut c.place, at, r.place);
        put(&mut c.position, at, r.position);
        put(&mut c.date, at, r.date.num_days_from_ce());
        let year = (r.date.year() - FIRST_YEAR).clamp(0, YEARS as i32 - 1) as u16;
        let n = |k: usize| numbers[k];
        put(&mut c.set_values, at, self.sets.number([n(VEHICLE), n(MAP), n(FUEL), n(GEAR), year]));
        put(
            &mut c.own_values,
            at,
            self.own.number(OwnValues { worst_limit: n(LIMIT), ended_by: n(ENDED), flags }),
        );
        c.named.iter_mut().zip(numbers).for_each(|(col, n)| put(col, at, n));
        put(&mut c.ethanol, at, small(r.ethanol.map(|e| 100.0 * e)));
        put(&mut c.power, at, small(r.power.map(|p| p.0)));
        put(&mut c.peak_rpm, at, small(r.power.map(|p| p.1)));
        put(&mut c.torque, at, small(r.torque_nm));
        put(&mut c.air, at, small(r.air.map(|a| a.temperature_c)));
        put(&mut c.boost, at, first_number(r.names[4]));
        put(&mut c.used, at, small(r.used.map(|u| 100.0 * u)));
        for (col, family) in c.factor.iter_mut().zip(Correction::ALL) {
            put(col, at, r.air.and_then(|a| family.air_factor(&a)).unwrap_or(1.0) as f32);
        }
        put(&mut c.flags, at, flags);
        put(&mut c.left_out, at, r.left_out);
        put(&mut c.archived, at, r.archived);
        c.reached.iter_mut().zip(r.reached).for_each(|(col, v)| put(col, at, v));
        self.computed.put(at, &r.own);
        put(&mut c.base, at, 0);
        put(&mut c.alive, at, true);
    }

    /// Counts the gains of a day's pulls from its baseline: the first set of the stock map in the same gear and
    /// vehicle, else the first set there is; pulls that are left out lend it nothing.
    fn put_bases(&mut self, start: usize, records: &[Record<'_>]) {
        let c = &mut self.c;
        if c.bases.is_empty() {
            c.bases.push([f32::NAN; FAMILIES]);
        }
        let mut done: Vec<((&str, &str), u32)> = Vec::new();
        for (i, r) in records.iter().enumerate() {
            if let Some((_, at)) = done.iter().find(|d| d.0 == group(r)) {
                c.base[start + i] = *at;
                continue;
            }
            let counts =
                |o: &&Record| group(o) == group(r) && !o.left_out && !o.archived && o.power.is_some();
            let first = records.iter().filter(counts).min_by_key(|o| (!o.stock, o.place.set));
            let at = first.map_or(0, |first| {
                let own =
                    records.iter().enumerate().filter(|(_, o)| counts(o) && o.place.set == first.place.set);
                let rows: Vec<usize> = own.map(|(k, _)| start + k).collect();
                let mean = |f: usize| {
                    rows.iter().map(|&k| c.power[k] * c.factor[f][k]).sum::<f32>() / rows.len() as f32
                };
                c.bases.push(std::array::from_fn(mean));
                (c.bases.len() - 1) as u32
            });
            c.base[start + i] = at;
            done.push((group(r), at));
        }
    }

    /// Power over the day's baseline in a family, kW; NaN without one.
    pub(in crate::find) fn gains(&self, f: usize) -> &[f32] {
        self.gained[f].get_or_init(|| {
            let c = &self.c;
            let one = |i: usize| c.power[i] * c.factor[f][i] - c.bases[c.base[i] as usize][f];
            (0..c.power.len()).map(one).collect()
        })
    }

    /// Writes the living rows anew, in their order.
    fn compact(&mut self) {
        let keep: Vec<usize> = (0..self.c.alive.len()).filter(|&i| self.c.alive[i]).collect();
        fn thin<T: Copy>(v: &mut Vec<T>, keep: &[usize]) {
            *v = keep.iter().map(|&i| v[i]).collect();
        }
        let c = &mut self.c;
        thin(&mut c.place, &keep);
        thin(&mut c.position, &keep);
        thin(&mut c.date, &keep);
        c.named.iter_mut().for_each(|v| thin(v, &keep));
        let floats = [
            &mut c.ethanol,
            &mut c.power,
            &mut c.peak_rpm,
            &mut c.torque,
            &mut c.air,
            &mut c.boost,
            &mut c.used,
        ];
        floats.into_iter().chain(&mut c.factor).chain(&mut c.reached).for_each(|v| thin(v, &keep));
        thin(&mut c.flags, &keep);
        thin(&mut c.set_values, &keep);
        thin(&mut c.own_values, &keep);
        thin(&mut c.left_out, &keep);
        thin(&mut c.archived, &keep);
        thin(&mut c.base, &keep);
        thin(&mut c.alive, &keep);
        self.computed.thin(&keep);
        self.dead = 0;
        self.days.clear();
        for (i, p) in self.c.place.iter().enumerate() {
            self.days.entry(p.day).or_insert(Day { start: i, len: 0 }).len += 1;
        }
    }

    /// The day's rows.
    fn rows(&self, day: i64) -> std::ops::Range<usize> {
        self.days.get(&day).map_or(0..0, |d| d.start..d.start + d.len)
    }

    /// Adds the rows with a note that `holds`.
    pub(in crate::find) fn noted(&self, out: &mut Bits, holds: impl Fn(Field, &str) -> bool) {
        for (day, notes) in &self.notes {
            for n in notes.iter().filter(|n| n.fields.iter().any(|(f, s)| holds(*f, s))) {
                for i in self.rows(*day) {
                    let at = self.c.place[i];
                    let own = match n.scope {
                        Scope::Day => true,
                        Scope::Set(s) => s == at.set,
                        Scope::Pull(p) => p == at.pull,
                    };
                    if own {
                        out.insert(i);
                    }
                }
            }
        }
    }

    /// Rows that are alive, and archived or not.
    pub(in crate::find) fn living(&self, archived: bool) -> Bits {
        let (c, n) = (&self.c, self.c.alive.len());
        let mut out = if self.dead == 0 { Bits::all(n) } else { Bits::of_column(&c.alive, |a| a) };
        match (archived, self.put_away > 0) {
            (true, _) => out.and(&Bits::of_column(&c.archived, |a| a)),
            (false, true) => out.and_not(&Bits::of_column(&c.archived, |a| a)),
            (false, false) => {}
        }
        out
    }

    /// What is known of vehicles beside their names, in lower case.
    pub fn describe(&mut self, vehicles: impl IntoIterator<Item = (String, String)>) {
        self.described = vehicles.into_iter().map(|(name, words)| (name, words.to_lowercase())).collect();
    }

    /// How many rows there are, dead ones too.
    pub(in crate::find) fn rows_in_all(&self) -> usize {
        self.c.alive.len()
    }
}

/// What pulls must share to have one baseline: their vehicle and their gear.
fn group<'a>(r: &Record<'a>) -> (&'a str, &'a str) {
    (r.names[0], r.names[5])
}

fn put<T>(column: &mut Vec<T>, at: usize, value: T) {
    if at < column.len() {
        column[at] = value;
    } else {
        column.push(value);
    }
}
