//! The records of a data group, whole: plain, in a list of parts, or deflated.

use super::block::{Block, File, MOST_LINKS, Trouble};
use crate::error::FormatProblem;
use crate::packed::swells;
use flate2::read::ZlibDecoder;
use std::borrow::Cow;
use std::io::Read;

/// Bytes behind a data group's link.
pub(super) fn records(file: File<'_>, at: u64) -> Result<Cow<'_, [u8]>, Trouble> {
    if at == 0 {
        return Ok(Cow::Borrowed(&[]));
    }
    let b = file.block(at)?;
    match &b.id {
        b"##DT" | b"##SD" => Ok(Cow::Borrowed(b.data)),
        b"##DZ" => unpacked(&b, file).map(Cow::Owned),
        b"##HL" => records(file, b.link(0)),
        b"##DL" => list(file, at),
        id => Err(FormatProblem::MdfUnknown { kind: String::from_utf8_lossy(&id[2..]).into_owned() }),
    }
}

fn list(file: File<'_>, first: u64) -> Result<Cow<'_, [u8]>, Trouble> {
    let (mut out, mut parts) = (Vec::new(), 0);
    for dl in file.chain(first, *b"##DL")? {
        for k in 1..dl.links() {
            parts += 1;
            let at = dl.link(k);
            if at == 0 || parts > MOST_LINKS {
                continue;
            }
            let b = file.block(at)?;
            match &b.id {
                b"##DT" | b"##SD" => out.extend_from_slice(b.data),
                b"##DZ" => out.extend(unpacked(&b, file)?),
                id => {
                    let kind = String::from_utf8_lossy(&id[2..]).into_owned();
                    return Err(FormatProblem::MdfUnknown { kind });
                }
            }
            if swells(out.len() as u64, file.bytes.len() as u64) {
                return Err(FormatProblem::Swells);
            }
        }
    }
    Ok(Cow::Owned(out))
}

/// What was deflated; columns of the records one after the other where that packs better.
fn unpacked(b: &Block<'_>, file: File<'_>) -> Result<Vec<u8>, Trouble> {
    let (kind, width) = (b.u8(2), b.u32(4) as usize);
    let (size, packed) = (b.u64(8), b.u64(16));
    if kind > 1 {
        return Err(FormatProblem::MdfPacking { kind });
    }
    if swells(size, file.bytes.len() as u64) {
        return Err(FormatProblem::Swells);
    }
    let data = usize::try_from(packed).ok().and_then(|n| b.data.get(24..24usize.checked_add(n)?));
    let data = data.ok_or(FormatProblem::Damaged)?;
    let mut out = Vec::new();
    ZlibDecoder::new(data).take(size + 1).read_to_end(&mut out).map_err(|_| FormatProblem::Damaged)?;
    if out.len() as u64 != size {
        return Err(FormatProblem::Damaged);
    }
    if kind == 0 || width == 0 {
        return Ok(out);
    }
    // Byte k of every record stood together; what is left over at the end stands as it is.
    let rows = out.len() / width;
    let mut back = vec![0; out.len()];
    for k in 0..width {
        for r in 0..rows {
            back[r * width + k] = out[k * rows + r];
        }
    }
    back[rows * width..].copy_from_slice(&out[rows * width..]);
    Ok(back)
}
