//! Channels: where in a record they stand, and how they are read from it.

use super::block::{Block, File};
use super::conversion::{Conversion, conversion};

/// How a number is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Number {
    Unsigned,
    Signed,
    Float,
    /// No number stands in the record: it is the record's own place, counted from 0.
    Place,
}

/// One channel of a group.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Channel {
    pub(super) name: String,
    pub(super) unit: String,
    /// The time of the group, s.
    pub(super) time: bool,
    number: Number,
    big_endian: bool,
    byte: usize,
    bit: u32,
    bits: u32,
    /// Bit of the record's own list of what is invalid.
    invalid: Option<usize>,
    conversion: Conversion,
}

/// Channels of a block's chain, those of structures among them; what is no number is left out.
pub(super) fn channels(
    file: File<'_>,
    first: u64,
    depth: usize,
) -> Result<Vec<Channel>, super::block::Trouble> {
    let mut out = Vec::new();
    for cn in file.chain(first, *b"##CN")? {
        let parts = cn.link(1);
        if parts != 0 && depth < 4 && file.block(parts)?.id == *b"##CN" {
            out.extend(channels(file, parts, depth + 1)?);
        } else if parts == 0 {
            out.extend(channel(file, &cn));
        }
    }
    Ok(out)
}

fn channel(file: File<'_>, cn: &Block<'_>) -> Option<Channel> {
    let (kind, sync, data, bit) = (cn.u8(0), cn.u8(1), cn.u8(2), cn.u8(3));
    let (byte, bits, flags) = (cn.u32(4), cn.u32(8), cn.u32(12));
    let (number, big_endian) = match (kind, data) {
        (3 | 6, _) => (Number::Place, false),
        (0 | 2, 0 | 1) => (Number::Unsigned, data == 1),
        (0 | 2, 2 | 3) => (Number::Signed, data == 3),
        (0 | 2, 4 | 5) => (Number::Float, data == 5),
        _ => return None,
    };
    let fits = match number {
        Number::Float => matches!(bits, 16 | 32 | 64) && bit == 0,
        Number::Place => true,
        _ => (1..=64).contains(&bits) && bit < 8,
    };
    let (conversion, of_conversion) = conversion(file, cn.link(4)).filter(|_| fits)?;
    let unit = file.text(cn.link(6));
    Some(Channel {
        name: file.text(cn.link(2)),
        unit: if unit.is_empty() { of_conversion } else { unit },
        time: matches!(kind, 2 | 3) && sync == 1,
        number,
        big_endian,
        byte: byte as usize,
        bit: u32::from(bit),
        bits,
        invalid: (flags & 3 != 0).then_some(if flags & 1 == 1 { usize::MAX } else { cn.u32(16) as usize }),
        conversion,
    })
}

impl Channel {
    /// Bytes of a record up to the end of this channel.
    pub(super) fn reach(&self) -> usize {
        if self.number == Number::Place { 0 } else { self.byte + self.bytes() }
    }

    fn bytes(&self) -> usize {
        ((self.bit + self.bits) as usize).div_ceil(8)
    }

    /// Reads it from whole records of `size` bytes, of which the first has that place in the group; `data` of them are
    /// data, the rest says what is invalid.
    pub(super) fn read(
        &self,
        records: &[u8],
        (size, data): (usize, usize),
        first: usize,
        out: &mut Vec<f64>,
    ) {
        let plain = self.bits == 64 && self.number == Number::Float && !self.big_endian;
        let all = records.chunks_exact(size);
        if plain && self.invalid.is_none() {
            let at = self.byte;
            let raw = |r: &[u8]| f64::from_le_bytes(r[at..at + 8].try_into().unwrap_or_default());
            match &self.conversion {
                Conversion::Same => out.extend(all.map(raw)),
                c => out.extend(all.map(|r| c.of(raw(r)))),
            }
            return;
        }
        out.extend(all.enumerate().map(|(k, r)| {
            if self.is_invalid(&r[data..]) { f64::NAN } else { self.conversion.of(self.raw(r, first + k)) }
        }));
    }

    fn is_invalid(&self, list: &[u8]) -> bool {
        match self.invalid {
            None => false,
            Some(usize::MAX) => true,
            Some(bit) => list.get(bit / 8).is_some_and(|b| b >> (bit % 8) & 1 == 1),
        }
    }

    fn raw(&self, record: &[u8], place: usize) -> f64 {
        if self.number == Number::Place {
            return place as f64;
        }
        let own = &record[self.byte..self.byte + self.bytes()];
        let mut word = 0u128;
        for (k, b) in own.iter().enumerate() {
            let shift = if self.big_endian { own.len() - 1 - k } else { k };
            word |= u128::from(*b) << (8 * shift);
        }
        let word = (word >> self.bit) as u64 & (u64::MAX >> (64 - self.bits));
        match (self.number, self.bits) {
            (Number::Float, 64) => f64::from_bits(word),
            (Number::Float, 32) => f64::from(f32::from_bits(word as u32)),
            (Number::Float, _) => half(word as u16),
            (Number::Signed, bits) => {
                let shift = 64 - bits;
                (((word << shift) as i64) >> shift) as f64
            }
            _ => word as f64,
        }
    }
}

/// A number of sixteen bits (IEEE 754 binary16).
fn half(word: u16) -> f64 {
    let (sign, exponent, fraction) = (word >> 15, i32::from(word >> 10 & 31), f64::from(word & 1023));
    let size = match exponent {
        0 => fraction * 2f64.powi(-24),
        31 if fraction == 0.0 => f64::INFINITY,
        31 => f64::NAN,
        e => (1.0 + fraction / 1024.0) * 2f64.powi(e - 15),
    };
    if sign == 1 { -size } else { size }
}

#[cfg(test)]
mod tests {
    use super::half;

    #[test]
    fn sixteen_bits_are_read_as_the_standard_has_them() {
        let known = [
            (0x3c00, 1.0),
            (0xc000, -2.0),
            (0x7bff, 65504.0),
            (0x0001, 2f64.powi(-24)),
            (0x3555, 0.333_251_953_125),
        ];
        for (word, value) in known {
            assert_eq!(half(word), value, "{word:#x}");
        }
        assert!(half(0x7c00).is_infinite() && half(0x7e00).is_nan());
    }
}
