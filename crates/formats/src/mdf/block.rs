//! Blocks: a four-letter id, a length, links to other blocks, and data.

use crate::error::FormatProblem;

/// Most blocks followed along one chain: a circle of links is no file (our choice).
pub(super) const MOST_LINKS: usize = 1_000_000;
const HEAD: usize = 24;

/// A whole file in memory.
#[derive(Debug, Clone, Copy)]
pub(super) struct File<'a> {
    pub(super) bytes: &'a [u8],
}

/// A block of it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Block<'a> {
    pub(super) id: [u8; 4],
    links: &'a [u8],
    pub(super) data: &'a [u8],
}

/// What is wrong where.
pub(super) type Trouble = FormatProblem;

fn cut(at: u64) -> Trouble {
    FormatProblem::MdfCut { at }
}

fn word(bytes: &[u8], at: usize) -> Option<u64> {
    Some(u64::from_le_bytes(bytes.get(at..at.checked_add(8)?)?.try_into().ok()?))
}

impl<'a> File<'a> {
    /// The block at an address; its length may not reach beyond the file.
    pub(super) fn block(self, at: u64) -> Result<Block<'a>, Trouble> {
        let start = usize::try_from(at).map_err(|_| cut(at))?;
        let rest = self.bytes.get(start..).filter(|r| r.len() >= HEAD).ok_or_else(|| cut(at))?;
        let id: [u8; 4] = rest[..4].try_into().map_err(|_| cut(at))?;
        if &id[..2] != b"##" {
            return Err(FormatProblem::MdfNoBlock { at });
        }
        let length = word(rest, 8).and_then(|n| usize::try_from(n).ok()).ok_or_else(|| cut(at))?;
        let links = word(rest, 16).and_then(|n| usize::try_from(n).ok()).ok_or_else(|| cut(at))?;
        let body = rest.get(HEAD..length).ok_or_else(|| cut(at))?;
        let split = links.checked_mul(8).filter(|n| *n <= body.len()).ok_or_else(|| cut(at))?;
        Ok(Block { id, links: &body[..split], data: &body[split..] })
    }

    /// The block at an address, of a kind.
    pub(super) fn of(self, at: u64, id: [u8; 4]) -> Result<Block<'a>, Trouble> {
        self.block(at).and_then(|b| if b.id == id { Ok(b) } else { Err(FormatProblem::MdfNoBlock { at }) })
    }

    /// Blocks of a kind, each linked by the first link of the one before.
    pub(super) fn chain(self, first: u64, id: [u8; 4]) -> Result<Vec<Block<'a>>, Trouble> {
        let (mut out, mut at) = (Vec::new(), first);
        while at != 0 {
            let b = self.of(at, id)?;
            if out.len() == MOST_LINKS || b.link(0) == first {
                return Err(FormatProblem::MdfNoBlock { at });
            }
            at = b.link(0);
            out.push(b);
        }
        Ok(out)
    }

    /// Text of a text block, or of a comment in XML without its tags; blank where there is none.
    pub(super) fn text(self, at: u64) -> String {
        if at == 0 {
            return String::new();
        }
        let Ok(b) = self.block(at) else { return String::new() };
        let end = b.data.iter().position(|c| *c == 0).unwrap_or(b.data.len());
        let text = String::from_utf8_lossy(&b.data[..end]).trim().to_owned();
        if b.id == *b"##MD" { tag(&text, "TX").unwrap_or(text) } else { text }
    }
}

/// What stands between the tags of a name.
fn tag(xml: &str, name: &str) -> Option<String> {
    let (_, rest) = xml.split_once(&format!("<{name}>"))?;
    Some(rest.split_once(&format!("</{name}>"))?.0.trim().to_owned())
}

impl Block<'_> {
    /// A link; 0, which is none, where the block has fewer.
    pub(super) fn link(&self, k: usize) -> u64 {
        word(self.links, 8 * k).unwrap_or(0)
    }

    pub(super) fn links(&self) -> usize {
        self.links.len() / 8
    }

    pub(super) fn u8(&self, at: usize) -> u8 {
        self.data.get(at).copied().unwrap_or(0)
    }

    pub(super) fn u16(&self, at: usize) -> u16 {
        u16::from(self.u8(at)) | u16::from(self.u8(at + 1)) << 8
    }

    pub(super) fn u32(&self, at: usize) -> u32 {
        u32::from(self.u16(at)) | u32::from(self.u16(at + 2)) << 16
    }

    pub(super) fn u64(&self, at: usize) -> u64 {
        word(self.data, at).unwrap_or(0)
    }

    pub(super) fn f64(&self, at: usize) -> f64 {
        f64::from_bits(self.u64(at))
    }
}
