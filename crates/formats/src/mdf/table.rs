//! A file as a table: groups of differing rates on one time, blanks where a group has no sample.

use super::block::{Block, File, Trouble};
use super::channel::{Channel, channels};
use super::data::records;
use crate::binary;
use crate::csv::{Dialect, RawTable};
use crate::error::{FormatError, FormatProblem};
use std::borrow::Cow;

/// How a file begins.
pub(crate) const MAGIC: &[u8] = b"MDF     ";
/// How one begins that its recorder never finished.
pub(crate) const UNFINISHED: &[u8] = b"UnFinMF ";
/// Records read at a time: they stay in the processor's own memory (our choice).
const AT_ONCE: usize = 512;

/// A channel group and where its records are.
struct Group<'a> {
    channels: Vec<Channel>,
    /// Records of its data group, and how they are told from those of others in it.
    data: u64,
    id_bytes: usize,
    id: u64,
    cycles: usize,
    /// Bytes of data and of the list of what is invalid.
    bytes: [usize; 2],
    /// Other groups in the same data: id and bytes of a record, `None` for records that say their own length.
    beside: Vec<(u64, Option<usize>)>,
    file: File<'a>,
}

fn groups(bytes: &[u8]) -> Result<Vec<Group<'_>>, Trouble> {
    let file = File { bytes };
    let version = bytes.get(8..16).map(|v| String::from_utf8_lossy(v).trim_matches([' ', '\0']).to_owned());
    let version = version.unwrap_or_default();
    if bytes.starts_with(UNFINISHED) {
        return Err(FormatProblem::MdfUnfinished);
    }
    if !version.starts_with('4') {
        return Err(FormatProblem::MdfVersion { version });
    }
    let head = file.of(64, *b"##HD")?;
    let mut out = Vec::new();
    for dg in file.chain(head.link(0), *b"##DG")? {
        let all = file.chain(dg.link(1), *b"##CG")?;
        let size = |cg: &Block<'_>| {
            let own_length = cg.u16(16) & 1 == 1;
            (!own_length).then_some(cg.u32(24) as usize + cg.u32(28) as usize)
        };
        let beside: Vec<(u64, Option<usize>)> = all.iter().map(|cg| (cg.u64(0), size(cg))).collect();
        for cg in &all {
            let own = channels(file, cg.link(1), 0)?;
            let bytes = [cg.u32(24) as usize, cg.u32(28) as usize];
            if size(cg).is_none() || own.iter().any(|c| c.reach() > bytes[0]) {
                continue;
            }
            out.push(Group {
                channels: own,
                data: dg.link(2),
                id_bytes: usize::from(dg.u8(0)),
                id: cg.u64(0),
                cycles: usize::try_from(cg.u64(8)).unwrap_or(usize::MAX),
                bytes,
                beside: beside.clone(),
                file,
            });
        }
    }
    Ok(out)
}

impl<'a> Group<'a> {
    /// Its own records, one after the other.
    fn records(&self) -> Result<Cow<'a, [u8]>, Trouble> {
        let all = records(self.file, self.data)?;
        let size = self.bytes[0] + self.bytes[1];
        let whole = |n: usize| self.cycles.checked_mul(size).filter(|wanted| *wanted <= n);
        if self.id_bytes == 0 {
            let wanted = whole(all.len()).ok_or(FormatProblem::Damaged)?;
            return Ok(match all {
                Cow::Borrowed(b) => Cow::Borrowed(&b[..wanted]),
                Cow::Owned(mut b) => {
                    b.truncate(wanted);
                    Cow::Owned(b)
                }
            });
        }
        let (mut own, mut rest) = (Vec::new(), &all[..]);
        while rest.len() >= self.id_bytes {
            let id = rest[..self.id_bytes].iter().rev().fold(0, |id, b| id << 8 | u64::from(*b));
            rest = &rest[self.id_bytes..];
            let kind = self.beside.iter().find(|k| k.0 == id).ok_or(FormatProblem::Damaged)?;
            let length = match kind.1 {
                Some(n) => n,
                None => {
                    let n = rest.get(..4).and_then(|n| n.try_into().ok()).ok_or(FormatProblem::Damaged)?;
                    (u32::from_le_bytes(n) as usize).saturating_add(4)
                }
            };
            let record = rest.get(..length).ok_or(FormatProblem::Damaged)?;
            if id == self.id {
                own.extend_from_slice(record);
            }
            rest = &rest[length..];
        }
        let wanted = whole(own.len()).ok_or(FormatProblem::Damaged)?;
        own.truncate(wanted);
        Ok(Cow::Owned(own))
    }

    /// Values of some of its channels.
    fn read(&self, wanted: &[usize]) -> Result<Vec<Vec<f64>>, Trouble> {
        let (records, size) = (self.records()?, self.bytes[0] + self.bytes[1]);
        // A group without bytes is all places: nothing anybody recorded.
        let n = records.len().checked_div(size).unwrap_or(0);
        let mut out: Vec<Vec<f64>> = wanted.iter().map(|_| Vec::with_capacity(n)).collect();
        if n == 0 {
            return Ok(out);
        }
        for (k, part) in records.chunks(size * AT_ONCE).enumerate() {
            for (c, values) in wanted.iter().zip(&mut out) {
                self.channels[*c].read(part, (size, self.bytes[0]), k * AT_ONCE, values);
            }
        }
        Ok(out)
    }

    fn time(&self) -> Option<usize> {
        self.channels.iter().position(|c| c.time)
    }
}

/// The times of a group, and the columns asked of it by their number.
type OfGroup = (Vec<f64>, Vec<(usize, Vec<f64>)>);

/// Columns offered: the time first, then every channel of every group that has one.
fn columns(groups: &[Group<'_>]) -> Vec<(usize, usize)> {
    let of = |(g, group): (usize, &Group<'_>)| {
        let time = group.time();
        let own: Vec<usize> =
            (0..group.channels.len()).filter(|c| time.is_some() && Some(*c) != time).collect();
        own.into_iter().map(move |c| (g, c)).collect::<Vec<_>>()
    };
    groups.iter().enumerate().flat_map(of).collect()
}

fn dialect(groups: &[Group<'_>]) -> Dialect {
    let offered = columns(groups);
    let channel = |(g, c): &(usize, usize)| &groups[*g].channels[*c];
    let timed = groups.iter().any(|g| g.time().is_some());
    let time = timed.then(|| ("time".to_owned(), "s".to_owned()));
    let named = offered.iter().map(|o| (channel(o).name.clone(), channel(o).unit.clone()));
    binary::dialect(time.into_iter().chain(named))
}

/// The names of the columns, without their values.
///
/// # Errors
/// [`FormatError`] for a damaged file, one of another version, and one its recorder never finished.
pub(crate) fn headers(bytes: &[u8], file: &str) -> Result<Dialect, FormatError> {
    groups(bytes).map(|g| dialect(&g)).map_err(|p| FormatError::whole(file, p))
}

/// Reads the columns that `keep` asks for, as a table of text is read: one time, ascending, with blanks where a group
/// has no sample at it.
///
/// # Errors
/// As [`headers`]; also for data that is cut short, packed in another way than deflated, or of another kind, and what
/// `keep` refuses.
pub(crate) fn table(
    bytes: &[u8],
    file: &str,
    keep: impl FnOnce(&Dialect) -> Result<Vec<(usize, bool)>, FormatError>,
) -> Result<RawTable, FormatError> {
    let whole = |p| FormatError::whole(file, p);
    let groups = groups(bytes).map_err(whole)?;
    let (dialect, offered) = (dialect(&groups), columns(&groups));
    let wanted = keep(&dialect)?;
    // What every group that is needed gives: its time, then what was asked of it.
    let mut read: Vec<OfGroup> = Vec::new();
    for (g, group) in groups.iter().enumerate() {
        let asked: Vec<usize> =
            wanted.iter().map(|w| w.0).filter(|k| *k > 0 && offered[*k - 1].0 == g).collect();
        let (Some(time), false) = (group.time(), asked.is_empty()) else { continue };
        let own: Vec<usize> = std::iter::once(time).chain(asked.iter().map(|k| offered[*k - 1].1)).collect();
        let mut values = group.read(&own).map_err(whole)?.into_iter();
        let t = values.next().unwrap_or_default();
        read.push((t, asked.into_iter().zip(values).collect()));
    }
    if read.iter().all(|r| r.0.is_empty()) {
        return Err(whole(FormatProblem::NoRows));
    }
    let t = together(read.iter().map(|r| r.0.as_slice()));
    let mut out: Vec<(usize, Vec<f64>)> = Vec::with_capacity(wanted.len());
    for (k, _) in &wanted {
        let own = read.iter_mut().find_map(|(own_t, all)| {
            let i = all.iter().position(|a| a.0 == *k)?;
            Some((own_t.as_slice(), std::mem::take(&mut all[i].1)))
        });
        let values = match own {
            _ if *k == 0 => t.clone(),
            Some((own_t, v)) if own_t == t => v,
            Some((own_t, v)) => spread(&t, own_t, &v),
            None => vec![f64::NAN; t.len()],
        };
        out.push((*k, values));
    }
    Ok(binary::table(dialect, out, t.len()))
}

/// All times there are, each once; the one group's own where there is one, as it stands.
fn together<'t>(times: impl Iterator<Item = &'t [f64]>) -> Vec<f64> {
    let all: Vec<&[f64]> = times.collect();
    if let Some(first) = all.first()
        && all.iter().all(|t| t == first)
    {
        return first.to_vec();
    }
    let mut out: Vec<f64> = all.into_iter().flatten().copied().filter(|t| t.is_finite()).collect();
    out.sort_by(f64::total_cmp);
    out.dedup();
    out
}

/// Values at their own times, blank at the others; of two at one time the first counts.
fn spread(t: &[f64], own_t: &[f64], v: &[f64]) -> Vec<f64> {
    let mut out = vec![f64::NAN; t.len()];
    for (at, value) in own_t.iter().zip(v) {
        if let Ok(i) = t.binary_search_by(|x| x.total_cmp(at))
            && out[i].is_nan()
        {
            out[i] = *value;
        }
    }
    out
}
