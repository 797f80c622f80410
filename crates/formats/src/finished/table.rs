//! Reading a finished table: its blocks, its runs, its units.

use super::header::{Holds, Named, read, run_key, unit_of};
use crate::columns::{POWERS, Question};
use crate::csv::Cells;
use crate::error::{FormatError, FormatProblem};
use crate::power_like::{GrowsLikePower, curve_grows_like_power};
use crate::recognise::bare;
use jamjar_core::channel::Channel;
use jamjar_core::findings::UnitDoubt;
use jamjar_core::units::{RAD_S_PER_RPM, Unit};
use std::collections::BTreeMap;

/// A column that a person named, with its unit when they said it.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct ColumnSaid {
    /// Header text.
    pub column: String,
    /// Its unit.
    pub unit: Option<Unit>,
}

/// Columns that a person named; the others are recognised.
#[derive(Debug, Clone, Default, PartialEq)]
#[allow(missing_docs)]
pub struct FinishedColumns {
    pub engine_speed: Option<ColumnSaid>,
    pub road_speed: Option<ColumnSaid>,
    pub power: Option<ColumnSaid>,
    pub torque: Option<ColumnSaid>,
}

impl FinishedColumns {
    /// The same, where a column called torque that was said to be in a unit of power is power.
    fn settled(&self) -> Self {
        let mut out = self.clone();
        let power = |c: &ColumnSaid| c.unit.is_some_and(|u| POWERS.contains(&u));
        if out.power.is_none() && out.torque.as_ref().is_some_and(power) {
            out.power = out.torque.take();
        }
        out
    }

    fn said(&self) -> [(Holds, Option<&ColumnSaid>); 4] {
        [
            (Holds::EngineSpeed, self.engine_speed.as_ref()),
            (Holds::RoadSpeed, self.road_speed.as_ref()),
            (Holds::Power, self.power.as_ref()),
            (Holds::Torque, self.torque.as_ref()),
        ]
    }
}

/// One run of a finished table, in canonical units, as printed.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct FinishedRun {
    /// Its name as the table has it; blank when it is the only one.
    pub name: String,
    /// Engine speed, rpm; blank when the axis is road speed.
    pub rpm: Vec<f64>,
    /// Road speed, km/h; blank when the axis is engine speed.
    pub road_kmh: Vec<f64>,
    /// Power, kW; NaN where a cell is blank; blank when there is no such column.
    pub power_kw: Vec<f64>,
    /// Torque, N·m; likewise.
    pub torque_nm: Vec<f64>,
    /// Quantities whose unit nobody said, with the one taken.
    pub guessed: Vec<(&'static str, Unit)>,
    /// A torque that grows as power does.
    pub doubt: Option<Doubted>,
}

/// A column whose values do not look like what its header says.
#[derive(Debug, Clone, PartialEq)]
pub struct Doubted {
    /// Header text.
    pub header: String,
    /// The unit it is read in until somebody answers.
    pub taken: Unit,
    /// Why.
    pub doubt: UnitDoubt,
}

/// A column of a table, with what it was taken for.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct FinishedColumn {
    /// Header text.
    pub header: String,
    /// `engine_speed`, `road_speed`, `power` or `torque`; `None` when it is none of them.
    pub holds: Option<&'static str>,
    /// Its unit; `None` when nobody said.
    pub unit: Option<Unit>,
    /// A person named it.
    pub by_hand: bool,
    /// First values, as they stand there.
    pub first: Vec<String>,
    /// Lowest and highest value as they stand there.
    pub range: Option<[f64; 2]>,
}

/// All runs of a table, in the order they stand.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct FinishedTable {
    /// The runs.
    pub runs: Vec<FinishedRun>,
    /// Columns below the first header, in the order they stand.
    pub columns: Vec<FinishedColumn>,
    /// What only a person can decide.
    pub questions: Vec<Question>,
}

impl FinishedTable {
    /// The run of that name; without a name the only one.
    ///
    /// # Errors
    /// [`FormatProblem::NoSuchRun`] and [`FormatProblem::WhichRun`] naming those that are there.
    pub fn run(&self, file: &str, name: Option<&str>) -> Result<&FinishedRun, FormatError> {
        let among = || {
            let shown = |(i, r): (usize, &FinishedRun)| {
                if r.name.is_empty() { (i + 1).to_string() } else { r.name.clone() }
            };
            self.runs.iter().enumerate().map(shown).collect::<Vec<_>>().join(", ")
        };
        match name {
            None if self.runs.len() == 1 => Ok(&self.runs[0]),
            None => Err(FormatError::whole(file, FormatProblem::WhichRun { among: among() })),
            Some(name) => {
                let key = run_key(name);
                let found = self.runs.iter().enumerate().find(|(i, r)| {
                    run_key(&r.name) == key || (r.name.is_empty() && (i + 1).to_string() == key)
                });
                found.map(|f| f.1).ok_or_else(|| {
                    FormatError::whole(
                        file,
                        FormatProblem::NoSuchRun { run: name.to_owned(), among: among() },
                    )
                })
            }
        }
    }
}

/// A column of the block that is being read.
#[derive(Debug, Clone)]
struct Column {
    at: usize,
    named: Named,
}

/// A block below one header.
#[derive(Debug, Default)]
struct Block {
    name: String,
    header_row: usize,
    columns: Vec<Column>,
    rows: Vec<usize>,
}

/// Reads the runs of a finished table: blocks under a line that names the run, columns that name it, or one
/// run alone.
///
/// # Errors
/// [`FormatError`] with line and field for a table without an axis or without power and torque, text between
/// numbers, a named column that is not there, a speed that stands twice, and units that do not belong.
pub fn read_finished(
    cells: &Cells,
    file: &str,
    said: &FinishedColumns,
) -> Result<FinishedTable, FormatError> {
    let said = &said.settled();
    let mut runs: Vec<FinishedRun> = Vec::new();
    let blocks = blocks(cells, file, said)?;
    for block in &blocks {
        runs.extend(runs_of(cells, file, block)?);
    }
    if runs.is_empty() {
        return Err(FormatError::whole(file, FormatProblem::NoRows));
    }
    for (i, r) in runs.iter().enumerate() {
        if let Some(j) =
            runs[..i].iter().position(|o| !r.name.is_empty() && run_key(&o.name) == run_key(&r.name))
        {
            return Err(FormatError::whole(file, FormatProblem::RunTwice { run: runs[j].name.clone() }));
        }
    }
    if said.torque.as_ref().is_some_and(|c| c.unit.is_some()) {
        // A person vouches for it.
        runs.iter_mut().for_each(|r| r.doubt = None);
    }
    let columns = blocks.first().map_or_else(Vec::new, |b| columns_of(cells, b, said));
    let questions = questions(&runs, &columns);
    Ok(FinishedTable { runs, columns, questions })
}

/// One question a column, whichever of its runs raised it first.
fn questions(runs: &[FinishedRun], columns: &[FinishedColumn]) -> Vec<Question> {
    let mut out: Vec<Question> = Vec::new();
    for Doubted { header: column, doubt, .. } in runs.iter().filter_map(|r| r.doubt.clone()) {
        let Ok(channel) = Channel::new(Holds::Torque.word()) else { continue };
        if out.iter().all(|q| q.column != column) {
            let stated = columns.iter().find(|c| c.header == column).and_then(|c| c.unit);
            let torques = stated.map_or_else(|| vec![Unit::NewtonMetre, Unit::PoundFoot], |u| vec![u]);
            let options = torques.into_iter().chain(POWERS).collect();
            out.push(Question { column, channel, doubt, options });
        }
    }
    out
}

/// First values shown of a column.
const SHOWN: usize = 3;

fn columns_of(cells: &Cells, block: &Block, said: &FinishedColumns) -> Vec<FinishedColumn> {
    let header = &cells.rows[block.header_row];
    let one = |(at, text): (usize, &String)| {
        let named = block.columns.iter().find(|c| c.at == at).map(|c| &c.named);
        let value = |r: &usize| cells.number(*r, at);
        let range = block
            .rows
            .iter()
            .filter_map(value)
            .fold(None, |m: Option<[f64; 2]>, v| Some(m.map_or([v, v], |[a, b]| [a.min(v), b.max(v)])));
        let shown = |r: &usize| cells.rows[*r].get(at).filter(|t| !t.is_empty()).cloned();
        let own = |c: &ColumnSaid| c.column == *text || bare(text) == c.column;
        FinishedColumn {
            header: text.clone(),
            holds: named.map(|n| n.holds.word()),
            unit: named.and_then(|n| n.unit),
            by_hand: said.said().into_iter().any(|(_, c)| c.is_some_and(own)),
            first: block.rows.iter().filter_map(shown).take(SHOWN).collect(),
            range,
        }
    };
    filled(header).into_iter().map(one).collect()
}

fn filled(row: &[String]) -> Vec<(usize, &String)> {
    row.iter().enumerate().filter(|(_, c)| !c.is_empty()).collect()
}

/// The columns a row names, when it is a header: an axis, and power or torque.
fn header(row: &[String], said: &FinishedColumns) -> Option<Vec<Column>> {
    let mut out: Vec<Column> = Vec::new();
    for (at, text) in filled(row) {
        let by_hand = said.said().into_iter().find_map(|(holds, c)| {
            let c = c.filter(|c| c.column == *text || bare(text) == c.column)?;
            let run = read(text).and_then(|n| n.run);
            Some(Named { holds, unit: c.unit.or_else(|| read(text)?.unit), run })
        });
        if let Some(named) = by_hand.or_else(|| read(text)) {
            out.push(Column { at, named });
        }
    }
    // A quantity somebody named is that column and no other.
    for (holds, c) in said.said() {
        if let Some(c) = c {
            out.retain(|o| o.named.holds != holds || row[o.at] == c.column || bare(&row[o.at]) == c.column);
        }
    }
    let has = |w: &[Holds]| out.iter().any(|c| w.contains(&c.named.holds));
    (has(&[Holds::EngineSpeed, Holds::RoadSpeed]) && has(&[Holds::Power, Holds::Torque])).then_some(out)
}

fn blocks(cells: &Cells, file: &str, said: &FinishedColumns) -> Result<Vec<Block>, FormatError> {
    let mut out: Vec<Block> = Vec::new();
    let mut pending = String::new();
    let mut missing: Option<(usize, FormatProblem)> = None;
    for (r, row) in cells.rows.iter().enumerate() {
        let there = filled(row);
        if there.is_empty() {
            continue;
        }
        let numbers = there.iter().filter(|(c, _)| cells.number(r, *c).is_some()).count();
        let units = |b: &Block| {
            let own = |c: usize| b.columns.iter().any(|k| k.at == c);
            numbers == 0 && b.rows.is_empty() && there.iter().all(|(c, t)| !own(*c) || unit_of(t).is_some())
        };
        if let Some(block) = out.last_mut().filter(|b| units(b)) {
            // A row of units below the header.
            for c in &mut block.columns {
                let unit = row.get(c.at).and_then(|t| unit_of(t)).filter(|u| c.named.holds.takes(*u));
                c.named.unit = c.named.unit.or(unit);
            }
            continue;
        }
        if let Some(columns) = header(row, said) {
            out.push(Block { name: std::mem::take(&mut pending), header_row: r, columns, rows: Vec::new() });
            continue;
        }
        let Some(block) = out.last_mut() else {
            if there.len() >= 2 && numbers == 0 && missing.is_none() {
                missing = Some((r, lacking(row)));
            }
            if there.len() == 1 || (there.len() == 2 && numbers <= 1) {
                pending = there.iter().map(|(_, t)| t.as_str()).collect::<Vec<_>>().join(" ");
            }
            continue;
        };
        let own = |c: usize| block.columns.iter().any(|k| k.at == c);
        let axis = |k: &&Column| matches!(k.named.holds, Holds::EngineSpeed | Holds::RoadSpeed);
        let on_axis = block.columns.iter().filter(axis).any(|k| cells.number(r, k.at).is_some());
        let text = there.iter().find(|(c, _)| own(*c) && cells.is_text(r, *c));
        match text {
            None if there.iter().any(|(c, _)| own(*c)) => block.rows.push(r),
            None => {}
            Some(_) if there.len() <= 2 && !on_axis => {
                pending = there.iter().map(|(_, t)| t.as_str()).collect::<Vec<_>>().join(" ");
            }
            Some((c, t)) => {
                let problem = FormatProblem::NotANumber {
                    text: (*t).clone(),
                    column: cells.rows[block.header_row].get(*c).cloned().unwrap_or_default(),
                };
                return Err(FormatError::at(file, r as u64 + 1, *c as u64 + 1, problem));
            }
        }
    }
    for (holds, c) in said.said() {
        if let Some(c) = c.filter(|_| !out.is_empty())
            && !out.iter().any(|b| b.columns.iter().any(|k| k.named.holds == holds))
        {
            let among = cells.rows[out[0].header_row].join(", ");
            let problem = FormatProblem::NoSuchColumn { column: c.column.clone(), among };
            return Err(FormatError::at(file, out[0].header_row as u64 + 1, 1, problem));
        }
    }
    match missing.filter(|_| out.is_empty()) {
        Some((r, problem)) => Err(FormatError::at(file, r as u64 + 1, 1, problem)),
        None if out.is_empty() => Err(FormatError::whole(file, FormatProblem::NoHeader)),
        None => Ok(out),
    }
}

/// What a row of names lacks to be the header of a finished table.
fn lacking(row: &[String]) -> FormatProblem {
    let among = row.iter().filter(|c| !c.is_empty()).cloned().collect::<Vec<_>>().join(", ");
    let axis =
        row.iter().filter_map(|t| read(t)).any(|n| matches!(n.holds, Holds::EngineSpeed | Holds::RoadSpeed));
    if axis { FormatProblem::NoPowerOrTorque { among } } else { FormatProblem::NoAxis { among } }
}

fn runs_of(cells: &Cells, file: &str, block: &Block) -> Result<Vec<FinishedRun>, FormatError> {
    let mut names: Vec<Option<String>> = Vec::new();
    for c in block.columns.iter().filter(|c| matches!(c.named.holds, Holds::Power | Holds::Torque)) {
        if !names.contains(&c.named.run) {
            names.push(c.named.run.clone());
        }
    }
    // Side by side without names: each axis begins a run of its own.
    let axes: Vec<usize> = block
        .columns
        .iter()
        .filter(|c| matches!(c.named.holds, Holds::EngineSpeed | Holds::RoadSpeed) && c.named.run.is_none())
        .map(|c| c.at)
        .collect();
    if names == [None] && axes.len() > 1 && repeated(&block.columns) {
        let ends = axes.iter().skip(1).copied().chain([usize::MAX]);
        return axes
            .iter()
            .zip(ends)
            .enumerate()
            .map(|(i, (from, to))| {
                let own: Vec<&Column> =
                    block.columns.iter().filter(|c| (*from..to).contains(&c.at)).collect();
                run(cells, file, block, (i + 1).to_string(), &own)
            })
            .collect();
    }
    names
        .into_iter()
        .map(|name| {
            let own: Vec<&Column> = block
                .columns
                .iter()
                .filter(|c| {
                    c.named.run == name
                        || (c.named.run.is_none() && !is_given(&block.columns, c.named.holds, &name))
                })
                .collect();
            run(cells, file, block, name.unwrap_or_else(|| block.name.clone()), &own)
        })
        .collect()
}

/// Whether a quantity stands in the block more than once.
fn repeated(columns: &[Column]) -> bool {
    let mut n: BTreeMap<Holds, usize> = BTreeMap::new();
    columns.iter().for_each(|c| *n.entry(c.named.holds).or_default() += 1);
    n.iter().any(|(h, n)| matches!(h, Holds::EngineSpeed | Holds::RoadSpeed) && *n > 1)
        && n.iter().any(|(h, n)| matches!(h, Holds::Power | Holds::Torque) && *n > 1)
}

fn is_given(columns: &[Column], holds: Holds, run: &Option<String>) -> bool {
    run.is_some() && columns.iter().any(|c| c.named.holds == holds && c.named.run == *run)
}

fn run(
    cells: &Cells,
    file: &str,
    block: &Block,
    name: String,
    own: &[&Column],
) -> Result<FinishedRun, FormatError> {
    let of = |h: Holds| own.iter().find(|c| c.named.holds == h).copied();
    let axis = of(Holds::EngineSpeed).or_else(|| of(Holds::RoadSpeed));
    let header = &cells.rows[block.header_row];
    let Some(axis) = axis else {
        let problem = FormatProblem::NoAxis { among: header.join(", ") };
        return Err(FormatError::at(file, block.header_row as u64 + 1, 1, problem));
    };
    let (power, torque) = (of(Holds::Power), of(Holds::Torque));
    let mut points: Vec<(f64, f64, f64, usize)> = Vec::new();
    for &r in &block.rows {
        let value = |c: Option<&Column>| c.and_then(|c| cells.number(r, c.at)).unwrap_or(f64::NAN);
        let (p, q) = (value(power), value(torque));
        if let Some(x) = cells.number(r, axis.at).filter(|_| p.is_finite() || q.is_finite()) {
            points.push((x, p, q, r));
        }
    }
    points.sort_by(|a, b| a.0.total_cmp(&b.0));
    if let Some(w) = points.windows(2).find(|w| w[1].0 - w[0].0 <= 0.0) {
        let at = w[0].3.max(w[1].3);
        let problem = FormatProblem::SpeedTwice { speed: w[0].0, run: name };
        return Err(FormatError::at(file, at as u64 + 1, axis.at as u64 + 1, problem));
    }
    let mut out = FinishedRun { name, ..FinishedRun::default() };
    let mut scale = |c: &Column, usual: Unit| {
        let unit = c.named.unit.unwrap_or_else(|| {
            out.guessed.push((c.named.holds.word(), usual));
            usual
        });
        unit.to_si(0.0).0
    };
    let x = points.iter().map(|p| p.0);
    match axis.named.holds {
        Holds::EngineSpeed => {
            // Nobody asks whether rpm are rpm.
            let k = axis.named.unit.map_or(1.0, |u| u.to_si(0.0).0);
            out.rpm = x.map(|v| v * k).collect();
        }
        _ => {
            let k = scale(axis, Unit::KmPerH);
            out.road_kmh = x.map(|v| v * k).collect();
        }
    }
    if axis.named.holds == Holds::EngineSpeed
        && let (Some(c), None) = (torque, power)
    {
        let (rpm, raw): (Vec<f64>, Vec<f64>) = points.iter().map(|p| (p.0, p.2)).unzip();
        out.doubt = curve_grows_like_power(&raw, &rpm).map(|GrowsLikePower { half, top }| Doubted {
            header: header.get(c.at).cloned().unwrap_or_default(),
            taken: c.named.unit.unwrap_or(Unit::NewtonMetre),
            doubt: UnitDoubt::GrowsLikePower { half, top },
        });
    }
    let scales = [power.map(|c| scale(c, Unit::KiloWatt)), torque.map(|c| scale(c, Unit::NewtonMetre))];
    if let Some(k) = scales[0] {
        out.power_kw = points.iter().map(|p| p.1 * k).collect();
    }
    if let Some(k) = scales[1] {
        out.torque_nm = points.iter().map(|p| p.2 * k).collect();
    }
    settle_units(&mut out);
    Ok(out)
}

/// Share by which power and torque may differ and still be said to agree (domain, section 2).
const AGREE: f64 = 0.01;

/// Where both power and torque stand against engine speed, only some pairs of units make them agree: what
/// nobody said is taken from there.
fn settle_units(run: &mut FinishedRun) {
    if run.guessed.is_empty() || run.rpm.is_empty() || run.power_kw.is_empty() || run.torque_nm.is_empty() {
        return;
    }
    let open = |q: &str| run.guessed.iter().any(|g| g.0 == q);
    let powers: &[Unit] = if open("power") {
        &[Unit::KiloWatt, Unit::HorsePower, Unit::MetricHorsePower]
    } else {
        &[Unit::KiloWatt]
    };
    let torques: &[Unit] =
        if open("torque") { &[Unit::NewtonMetre, Unit::PoundFoot] } else { &[Unit::NewtonMetre] };
    let off = |p: Unit, q: Unit| {
        let (kp, kq) = (p.to_si(0.0).0, q.to_si(0.0).0);
        let mut r: Vec<f64> = (0..run.rpm.len())
            .map(|i| {
                run.power_kw[i] * kp * 1000.0 / (run.torque_nm[i] * kq * run.rpm[i] * RAD_S_PER_RPM) - 1.0
            })
            .filter(|v| v.is_finite())
            .collect();
        if r.is_empty() { f64::INFINITY } else { jamjar_core::signal::median::median_in_place(&mut r).abs() }
    };
    let pairs: Vec<(Unit, Unit)> =
        powers.iter().flat_map(|p| torques.iter().map(move |q| (*p, *q))).collect();
    // Horsepower of both kinds differ by 1.4 %: the nearer one is meant.
    let best = pairs.into_iter().min_by(|a, b| off(a.0, a.1).total_cmp(&off(b.0, b.1)));
    if let Some((p, q)) = best.filter(|(p, q)| off(*p, *q) < AGREE) {
        let (kp, kq) = (p.to_si(0.0).0, q.to_si(0.0).0);
        run.power_kw.iter_mut().for_each(|v| *v *= kp);
        run.torque_nm.iter_mut().for_each(|v| *v *= kq);
        run.guessed.retain(|g| !["power", "torque"].contains(&g.0));
    }
}
