//! Sample blocks: all channels of a pull, own time bases, columnar, compressed, versioned and checksummed.
//!
//! Layout: magic `JJSB`, version u16, eight bytes of the SHA-256 of what follows, then zstd of the body. A
//! body is two recordings (dyno, then engine computer or nothing); a column is its f64 bits transposed byte
//! plane by byte plane, which lets zstd see the repeating high bytes. Bits come back exactly.

use jamjar_core::channel::Channel;
use jamjar_core::log::Recording;
use sha2::{Digest, Sha256};
use thiserror::Error;

/// Version written.
pub const BLOCK_VERSION: u16 = 1;
const MAGIC: &[u8; 4] = b"JJSB";
const LEVEL: i32 = 6;
/// Larger bodies are refused on reading: nothing we write comes near.
const MAX_BODY: usize = 1 << 31;

/// A block that cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
#[allow(missing_docs)]
pub enum BlockError {
    #[error("not a sample block")]
    Magic,
    #[error("written by version {version}, this program reads {BLOCK_VERSION}")]
    Version { version: u16 },
    #[error("the checksum does not match: the block is damaged")]
    Checksum,
    #[error("the block ends early or holds nonsense")]
    Body,
}

/// Packs the recordings of one pull.
pub fn encode_block(dyno: &Recording, ecu: Option<&Recording>) -> Vec<u8> {
    let mut body = Vec::new();
    put(&mut body, dyno);
    body.push(u8::from(ecu.is_some()));
    if let Some(e) = ecu {
        put(&mut body, e);
    }
    let origins = [Some(dyno), ecu].map(|r| r.map(|r| &r.origins));
    put_text(&mut body, &serde_json::to_string(&origins).expect("names and units are plain"));
    sealed(&body)
}

/// A body packed under its version and hash.
fn sealed(body: &[u8]) -> Vec<u8> {
    let packed = zstd::encode_all(body, LEVEL).expect("memory to memory");
    let mut out = Vec::with_capacity(packed.len() + 14);
    out.extend_from_slice(MAGIC);
    out.extend_from_slice(&BLOCK_VERSION.to_le_bytes());
    out.extend_from_slice(&Sha256::digest(&packed)[..8]);
    out.extend_from_slice(&packed);
    out
}

fn put_text(out: &mut Vec<u8>, s: &str) {
    out.extend_from_slice(&(s.len() as u32).to_le_bytes());
    out.extend_from_slice(s.as_bytes());
}

fn put_column(out: &mut Vec<u8>, v: &[f64]) {
    for plane in 0..8 {
        out.extend(v.iter().map(|x| x.to_le_bytes()[plane]));
    }
}

fn put(out: &mut Vec<u8>, r: &Recording) {
    put_text(out, &r.name);
    put_text(out, &serde_json::to_string(&r.flags).expect("flags are plain"));
    out.extend_from_slice(&r.clock_of_day_s.unwrap_or(f64::NAN).to_le_bytes());
    out.extend_from_slice(&(r.t.len() as u32).to_le_bytes());
    put_column(out, &r.t);
    out.extend_from_slice(&(r.channels.len() as u32).to_le_bytes());
    for (c, v) in &r.channels {
        put_text(out, c.as_str());
        put_column(out, v);
    }
}

/// Unpacks the recordings of one pull.
///
/// # Errors
/// [`BlockError`] for a foreign, newer or damaged block.
pub fn decode_block(bytes: &[u8]) -> Result<(Recording, Option<Recording>), BlockError> {
    if bytes.len() < 14 || &bytes[..4] != MAGIC {
        return Err(BlockError::Magic);
    }
    let version = u16::from_le_bytes([bytes[4], bytes[5]]);
    if version != BLOCK_VERSION {
        return Err(BlockError::Version { version });
    }
    if bytes[6..14] != Sha256::digest(&bytes[14..])[..8] {
        return Err(BlockError::Checksum);
    }
    let body = zstd::decode_all(&bytes[14..]).map_err(|_| BlockError::Body)?;
    let mut r = Reader { body: &body };
    let mut dyno = r.recording().ok_or(BlockError::Body)?;
    let more = r.take(1).ok_or(BlockError::Body)?[0] == 1;
    let mut ecu = if more { Some(r.recording().ok_or(BlockError::Body)?) } else { None };
    // Blocks of earlier versions end here: nobody wrote down what their columns were called.
    if !r.body.is_empty() {
        let origins = r.text().and_then(|t| serde_json::from_str::<[Option<_>; 2]>(&t).ok());
        let [of_dyno, of_ecu] = origins.ok_or(BlockError::Body)?;
        dyno.origins = of_dyno.unwrap_or_default();
        if let (Some(e), Some(origins)) = (&mut ecu, of_ecu) {
            e.origins = origins;
        }
    }
    Ok((dyno, ecu))
}

struct Reader<'a> {
    body: &'a [u8],
}

impl<'a> Reader<'a> {
    fn take(&mut self, n: usize) -> Option<&'a [u8]> {
        let (a, b) = self.body.split_at_checked(n)?;
        self.body = b;
        Some(a)
    }

    fn number(&mut self) -> Option<usize> {
        let n = u32::from_le_bytes(self.take(4)?.try_into().ok()?) as usize;
        (n < MAX_BODY).then_some(n)
    }

    fn text(&mut self) -> Option<String> {
        let n = self.number()?;
        String::from_utf8(self.take(n)?.to_vec()).ok()
    }

    fn column(&mut self, n: usize) -> Option<Vec<f64>> {
        let all = self.take(n.checked_mul(8)?)?;
        let planes: [&[u8]; 8] = std::array::from_fn(|p| &all[p * n..][..n]);
        Some((0..n).map(|i| f64::from_le_bytes(planes.map(|p| p[i]))).collect())
    }

    fn recording(&mut self) -> Option<Recording> {
        let name = self.text()?;
        let flags = serde_json::from_str(&self.text()?).ok()?;
        let clock = f64::from_le_bytes(self.take(8)?.try_into().ok()?);
        let n = self.number()?;
        let mut out = Recording {
            name,
            flags,
            clock_of_day_s: clock.is_finite().then_some(clock),
            t: self.column(n)?,
            ..Recording::default()
        };
        for _ in 0..self.number()? {
            let c = Channel::new(self.text()?).ok()?;
            out.channels.insert(c, self.column(n)?);
        }
        Some(out)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use jamjar_core::log::Origin;
    use jamjar_core::units::Unit;

    fn recording() -> Recording {
        let mut r = Recording {
            name: "p1.csv".into(),
            t: vec![0.0, 0.1, 0.2],
            clock_of_day_s: Some(36_000.0),
            ..Recording::default()
        };
        r.channels.insert(Channel::new("lambda_1").unwrap(), vec![0.9, f64::NAN, 0.1 + 0.2]);
        r
    }

    #[test]
    fn bits_come_back_exactly() {
        let (d, e) = decode_block(&encode_block(&recording(), Some(&Recording::default()))).unwrap();
        assert_eq!((d.name.as_str(), d.clock_of_day_s), ("p1.csv", Some(36_000.0)));
        let bits =
            |r: &Recording| r.column("lambda_1").unwrap().iter().map(|v| v.to_bits()).collect::<Vec<_>>();
        assert_eq!(bits(&d), bits(&recording()));
        assert_eq!(e, Some(Recording::default()));
        assert_eq!(decode_block(&encode_block(&recording(), None)).unwrap().1, None);
    }

    #[test]
    fn what_columns_were_called_comes_back_and_a_block_from_before_that_is_read() {
        let mut ecu = recording();
        let origin = Origin { header: "WB1".into(), unit: Unit::AfrGasoline };
        ecu.origins.insert(Channel::new("lambda_1").unwrap(), origin);
        let (d, e) = decode_block(&encode_block(&recording(), Some(&ecu))).unwrap();
        assert_eq!((d.origins.len(), e.unwrap().origins), (0, ecu.origins.clone()));
        let mut body = Vec::new();
        put(&mut body, &ecu);
        body.push(0);
        let (d, _) = decode_block(&sealed(&body)).unwrap();
        assert_eq!((d.origins.len(), d.name.as_str()), (0, "p1.csv"));
        put_text(&mut body, "[");
        assert_eq!(decode_block(&sealed(&body)).unwrap_err(), BlockError::Body);
    }

    #[test]
    fn damage_is_noticed_before_it_is_used() {
        let good = encode_block(&recording(), None);
        let mut flipped = good.clone();
        let last = flipped.len() - 1;
        flipped[last] ^= 1;
        assert_eq!(decode_block(&flipped).unwrap_err(), BlockError::Checksum);
        let mut newer = good.clone();
        newer[4] = 9;
        assert_eq!(decode_block(&newer).unwrap_err(), BlockError::Version { version: 9 });
        assert_eq!(decode_block(b"hello").unwrap_err(), BlockError::Magic);
        assert_eq!(decode_block(&good[..20]).unwrap_err(), BlockError::Checksum);
    }
}
