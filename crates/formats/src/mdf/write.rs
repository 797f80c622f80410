//! Writing MDF 4.10: a data group for each recording, its time as master, every channel as a number of 64 bits.

use flate2::Compression;
use flate2::write::ZlibEncoder;
use std::io::{self, Write};

/// Bytes of records packed at a time: what others unpack at once (our choice, as is usual).
const PART: usize = 4 << 20;
/// Records put together at a time.
const AT_ONCE: usize = 512;

/// A channel to be written.
#[derive(Debug, Clone, Copy)]
pub struct OutChannel<'a> {
    /// Name.
    pub name: &'a str,
    /// Unit; blank for none.
    pub unit: &'a str,
    /// What it was called by whoever recorded it; blank where that is not known.
    pub comment: &'a str,
    /// Values, as many as the group has times; blanks are NaN.
    pub values: &'a [f64],
}

/// What records of a group go by: the kinds of master channel of MDF 4.1 that we write.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Master {
    /// Time, s.
    Time,
    /// Their number: curves that know no clock.
    Index,
}

/// A recording to be written.
#[derive(Debug, Clone)]
pub struct OutGroup<'a> {
    /// What recorded it.
    pub name: &'a str,
    /// What its records go by.
    pub by: Master,
    /// Times, s, or numbers of records, ascending.
    pub t: &'a [f64],
    /// Channels.
    pub channels: Vec<OutChannel<'a>>,
}

/// Blocks put one after the other; every address is known once they are.
struct Blocks {
    bytes: Vec<u8>,
}

impl Blocks {
    /// Appends a block and says its address. Links may be put right later.
    fn put(&mut self, id: [u8; 4], links: &[u64], data: &[u8]) -> u64 {
        self.bytes.resize(self.bytes.len().next_multiple_of(8), 0);
        let at = self.bytes.len() as u64;
        let length = 24 + 8 * links.len() + data.len();
        self.bytes.extend(id);
        self.bytes.extend([0; 4]);
        self.bytes.extend((length as u64).to_le_bytes());
        self.bytes.extend((links.len() as u64).to_le_bytes());
        links.iter().for_each(|l| self.bytes.extend(l.to_le_bytes()));
        self.bytes.extend(data);
        at
    }

    fn text(&mut self, text: &str) -> u64 {
        if text.is_empty() {
            return 0;
        }
        let mut data = text.replace('\0', " ").into_bytes();
        data.push(0);
        data.resize(data.len().next_multiple_of(8), 0);
        self.put(*b"##TX", &[], &data)
    }

    fn comment(&mut self, tag: &str, text: &str) -> u64 {
        let safe = text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
        let mut data = format!("<{tag}><TX>{safe}</TX></{tag}>").into_bytes();
        data.push(0);
        data.resize(data.len().next_multiple_of(8), 0);
        self.put(*b"##MD", &[], &data)
    }

    /// Sets a link of a block.
    fn link(&mut self, block: u64, k: usize, to: u64) {
        let at = block as usize + 24 + 8 * k;
        self.bytes[at..at + 8].copy_from_slice(&to.to_le_bytes());
    }
}

/// Writes recordings as MDF 4.10; `began_ns` is when time 0 was, nanoseconds since 1970 in UTC, 0 where nobody knows.
/// `pack` deflates records, which others unpack slower than they read them plain.
///
/// # Errors
/// Whatever writing refuses with; a channel that is not as long as its times ([`io::ErrorKind::InvalidInput`]).
pub fn write_mdf(
    mut out: impl Write,
    groups: &[OutGroup<'_>],
    (about, began_ns): (&str, u64),
    pack: bool,
) -> io::Result<()> {
    let fits = |g: &OutGroup<'_>| g.channels.iter().all(|c| c.values.len() == g.t.len());
    if !groups.iter().all(fits) {
        return Err(io::Error::new(io::ErrorKind::InvalidInput, "a channel is not as long as its times"));
    }
    let mut b = Blocks { bytes: Vec::new() };
    b.bytes.extend(b"MDF     4.10    Jamjar  ");
    b.bytes.extend([0; 4]);
    b.bytes.extend(410u16.to_le_bytes());
    b.bytes.resize(64, 0);
    let mut began = began_ns.to_le_bytes().to_vec();
    began.extend([0; 24]);
    let head = b.put(*b"##HD", &[0; 6], &began);
    let history = b.comment("FHcomment", "written by Jamjar");
    let mut stamp = began_ns.to_le_bytes().to_vec();
    stamp.extend([0; 8]);
    let history = b.put(*b"##FH", &[0, history], &stamp);
    b.link(head, 1, history);
    if !about.is_empty() {
        let about = b.comment("HDcomment", about);
        b.link(head, 5, about);
    }
    let mut dgs: Vec<u64> = Vec::new();
    for g in groups {
        let dg = group(&mut b, g);
        match dgs.last() {
            None => b.link(head, 0, dg),
            Some(before) => b.link(*before, 0, dg),
        }
        dgs.push(dg);
    }
    if pack {
        for (g, dg) in groups.iter().zip(&dgs) {
            let data = packed(&mut b, g)?;
            b.link(*dg, 2, data);
        }
        return out.write_all(&b.bytes);
    }
    // Addresses of the data first, then all of it as it is put together.
    b.bytes.resize(b.bytes.len().next_multiple_of(8), 0);
    let mut at = b.bytes.len() as u64;
    for (g, dg) in groups.iter().zip(&dgs) {
        b.link(*dg, 2, at);
        at += (24 + size(g) * g.t.len()) as u64;
    }
    out.write_all(&b.bytes)?;
    for g in groups {
        out.write_all(b"##DT\0\0\0\0")?;
        out.write_all(&((24 + size(g) * g.t.len()) as u64).to_le_bytes())?;
        out.write_all(&[0; 8])?;
        records(g, |part| out.write_all(part))?;
    }
    Ok(())
}

/// Bytes of a record.
fn size(g: &OutGroup<'_>) -> usize {
    8 * (1 + g.channels.len())
}

/// A data group with its channels; its records are linked later.
fn group(b: &mut Blocks, g: &OutGroup<'_>) -> u64 {
    let name = b.text(g.name);
    let mut cns: Vec<u64> = Vec::new();
    let (name_of, unit, kind) = match g.by {
        Master::Time => ("time", "s", 1u8),
        Master::Index => ("index", "", 4),
    };
    let master = OutChannel { name: name_of, unit, comment: "", values: &[] };
    for (k, c) in std::iter::once(&master).chain(&g.channels).enumerate() {
        let (name, unit) = (b.text(c.name), b.text(c.unit));
        let comment = b.text(c.comment);
        let mut data = if k == 0 { vec![2, kind, 4, 0] } else { vec![0, 0, 4, 0] };
        data.extend((8 * k as u32).to_le_bytes());
        data.extend(64u32.to_le_bytes());
        data.resize(72, 0);
        let cn = b.put(*b"##CN", &[0, 0, name, 0, 0, 0, unit, comment], &data);
        if let Some(before) = cns.last() {
            b.link(*before, 0, cn);
        }
        cns.push(cn);
    }
    let mut data = vec![0; 8];
    data.extend((g.t.len() as u64).to_le_bytes());
    data.extend([0; 8]);
    data.extend((size(g) as u32).to_le_bytes());
    data.extend([0; 4]);
    let cg = b.put(*b"##CG", &[0, cns[0], name, 0, 0, 0], &data);
    b.put(*b"##DG", &[0, cg, 0, 0], &[0; 8])
}

/// Records of a group, some hundred at a time.
fn records(g: &OutGroup<'_>, mut put: impl FnMut(&[u8]) -> io::Result<()>) -> io::Result<()> {
    let size = size(g);
    let mut part = vec![0u8; size * AT_ONCE];
    for from in (0..g.t.len()).step_by(AT_ONCE) {
        let to = (from + AT_ONCE).min(g.t.len());
        let all = std::iter::once(g.t).chain(g.channels.iter().map(|c| c.values));
        for (k, values) in all.enumerate() {
            for (record, v) in part.chunks_exact_mut(size).zip(&values[from..to]) {
                record[8 * k..8 * k + 8].copy_from_slice(&v.to_le_bytes());
            }
        }
        put(&part[..size * (to - from)])?;
    }
    Ok(())
}

/// Deflated records in parts, each with byte k of all its records together, and the list of them.
fn packed(b: &mut Blocks, g: &OutGroup<'_>) -> io::Result<u64> {
    let size = size(g);
    let rows = (PART / size).max(1);
    let mut all = Vec::with_capacity(size * g.t.len());
    records(g, |part| {
        all.extend_from_slice(part);
        Ok(())
    })?;
    let mut parts = Vec::new();
    for part in all.chunks(size * rows) {
        let n = part.len() / size;
        let mut turned = vec![0u8; part.len()];
        for (r, record) in part.chunks_exact(size).enumerate() {
            for (k, byte) in record.iter().enumerate() {
                turned[k * n + r] = *byte;
            }
        }
        let mut deflated = ZlibEncoder::new(Vec::new(), Compression::new(5));
        deflated.write_all(&turned)?;
        let deflated = deflated.finish()?;
        let mut data = b"DT\x01\x00".to_vec();
        data.extend((size as u32).to_le_bytes());
        data.extend((part.len() as u64).to_le_bytes());
        data.extend((deflated.len() as u64).to_le_bytes());
        data.extend(deflated);
        parts.push(b.put(*b"##DZ", &[], &data));
    }
    if parts.is_empty() {
        return Ok(b.put(*b"##DT", &[], &[]));
    }
    let mut links = vec![0];
    links.extend(&parts);
    let mut data = vec![1, 0, 0, 0];
    data.extend((parts.len() as u32).to_le_bytes());
    data.extend(((size * rows) as u64).to_le_bytes());
    let list = b.put(*b"##DL", &links, &data);
    Ok(b.put(*b"##HL", &[list], &[1, 0, 1, 0, 0, 0, 0, 0]))
}
