//! Lines of nothing but short decimals and blanks, which is what logs are made of: found and converted in one
//! pass over their bytes. Every other line is left to the general way.

/// Which column goes where.
pub(super) struct Plan {
    /// For each column of the table, the place of its values among those kept.
    slots: Vec<Option<usize>>,
    delimiter: u8,
    point: u8,
}

/// Powers of ten that a double holds exactly, and below zero.
const TENS: [[f64; 16]; 2] = [
    [1e0, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15],
    [-1e0, -1e1, -1e2, -1e3, -1e4, -1e5, -1e6, -1e7, -1e8, -1e9, -1e10, -1e11, -1e12, -1e13, -1e14, -1e15],
];
/// So many digits make a whole number that a double holds exactly.
const EXACT_DIGITS: usize = 15;

impl Plan {
    /// A plan for the columns kept; `None` when one is kept twice.
    pub(super) fn of(kept: &[(usize, bool)], width: usize, delimiter: u8, comma: bool) -> Option<Self> {
        let mut slots = vec![None; width];
        for (slot, (column, _)) in kept.iter().enumerate() {
            if slots.get_mut(*column)?.replace(slot).is_some() {
                return None;
            }
        }
        Some(Self { slots, delimiter, point: if comma { b',' } else { b'.' } })
    }

    /// Reads the first line of `text` into a row of whole numbers and one of what each is to be divided by, and
    /// returns where the line ends, or `None` when any of it is no short decimal, no blank, or not as wide as
    /// the table. Dividing is left to the caller, who can do it for many at once.
    pub(super) fn line(&self, text: &[u8], row: &mut [f64], by: &mut [f64]) -> Option<usize> {
        if text.first() == Some(&b'#') {
            return None;
        }
        let (mut at, mut filled) = (0, false);
        let last = self.slots.len() - 1;
        for (column, slot) in self.slots.iter().enumerate() {
            match slot {
                Some(slot) => {
                    let found = decimal(text, at, self.point)?;
                    filled |= found.end > at;
                    (row[*slot], by[*slot], at) = (found.whole, found.by, found.end);
                }
                None => at += memchr::memchr3(self.delimiter, b'\n', b'\r', &text[at..])?,
            }
            if column < last {
                if *text.get(at)? != self.delimiter {
                    return None;
                }
                at += 1;
            }
        }
        if text.get(at) == Some(&b'\r') {
            at += 1;
        }
        (filled && text.get(at) == Some(&b'\n')).then_some(at)
    }
}

/// A number as a whole one and a signed power of ten, and where it ends.
struct Decimal {
    whole: f64,
    by: f64,
    end: usize,
}

/// The decimal at a place; a blank is NaN and ends where it begins. `None` for what is not at most 15 digits
/// with a sign and a point: those are converted exactly by one division, as both parts are exact doubles
/// (Clinger 1990).
#[inline]
fn decimal(text: &[u8], at: usize, point: u8) -> Option<Decimal> {
    let negative = text.get(at) == Some(&b'-');
    let begin = at + usize::from(negative);
    let Digits { whole, places, end } = match short(text, begin, point) {
        Some(digits) => digits,
        None => long(text, begin, point)?,
    };
    if end == begin + usize::from(places.is_some()) {
        return (end == at).then_some(Decimal { whole: f64::NAN, by: 1.0, end });
    }
    let by = TENS[usize::from(negative)][places.unwrap_or(0)];
    // As a signed number, which processors convert in one step.
    Some(Decimal { whole: whole as i64 as f64, by, end })
}

/// Digits as a whole number, how many stand behind the point if there is one, and where they end.
struct Digits {
    whole: u64,
    places: Option<usize>,
    end: usize,
}

/// Digits one after the other.
fn long(text: &[u8], begin: usize, point: u8) -> Option<Digits> {
    let (mut whole, mut end) = (0u64, begin);
    let mut run = |end: &mut usize| {
        let from = *end;
        while let Some(digit) = text.get(*end).map(|b| b.wrapping_sub(b'0')).filter(|d| *d < 10) {
            whole = whole.wrapping_mul(10).wrapping_add(u64::from(digit));
            *end += 1;
        }
        *end - from
    };
    let before = run(&mut end);
    let places = (text.get(end) == Some(&point)).then(|| {
        end += 1;
        run(&mut end)
    });
    (before + places.unwrap_or(0) <= EXACT_DIGITS).then_some(Digits { whole, places, end })
}

/// Digits that end within eight bytes, all at once: what is no digit is found and the point is taken out by
/// bit masks, and three multiplications add pairs, fours and eights (Lamport 1975 on bytes in a word).
#[inline]
fn short(text: &[u8], begin: usize, point: u8) -> Option<Digits> {
    let word = u64::from_le_bytes(text.get(begin..begin + 8)?.try_into().ok()?) ^ 0x3030_3030_3030_3030;
    let others = (((word & 0x7f7f_7f7f_7f7f_7f7f) + 0x7676_7676_7676_7676) | word) & 0x8080_8080_8080_8080;
    let before = others.trailing_zeros() as usize / 8;
    if before == 8 {
        return None;
    }
    let below = (1u64 << (8 * before)) - 1;
    let (digits, n, places) = if (word >> (8 * before)) as u8 == point ^ b'0' {
        let n = (others & (others - 1)).trailing_zeros() as usize / 8 - 1;
        if n == 7 {
            return None;
        }
        ((word & below) | ((word >> 8) & !below), n, Some(n - before))
    } else {
        (word, before, None)
    };
    let end = begin + n + usize::from(places.is_some());
    if n == 0 {
        return Some(Digits { whole: 0, places, end });
    }
    let pairs = {
        let eight = digits << (8 * (8 - n));
        eight.wrapping_mul(10).wrapping_add(eight >> 8)
    };
    let (odd, even) = (pairs & 0x0000_00ff_0000_00ff, (pairs >> 16) & 0x0000_00ff_0000_00ff);
    let whole =
        odd.wrapping_mul(0x000f_4240_0000_0064).wrapping_add(even.wrapping_mul(0x0000_2710_0000_0001)) >> 32;
    Some(Digits { whole, places, end })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_is_no_short_decimal_is_left_to_the_general_way() {
        let plan = Plan::of(&[(0, true), (2, false)], 3, b',', false).unwrap();
        let read = |text: &str| {
            let (mut row, mut by) = ([0.0; 2], [0.0; 2]);
            plan.line(text.as_bytes(), &mut row, &mut by).map(|end| (end, [row[0] / by[0], row[1] / by[1]]))
        };
        assert_eq!(read("1,x,-2.5\n9"), Some((8, [1.0, -2.5])));
        assert_eq!(read("1,x,.5\r\n"), Some((7, [1.0, 0.5])));
        let (_, blank) = read("1,,\n").unwrap();
        assert!(blank[1].is_nan());
        for odd in [
            "1,2\n",
            "1,2,3,4\n",
            "1,2,3",
            ",x,\n",
            "#1,2,3\n",
            "1,2,1e3\n",
            "1, 2, 3\n",
            "1,2,-\n",
            "1,2,.\n",
        ] {
            assert_eq!(read(odd), None, "{odd}");
        }
        assert_eq!(read("1,2,1234567890123456\n"), None, "16 digits are not exact");
        assert!(Plan::of(&[(0, true), (0, false)], 3, b',', false).is_none());
    }

    proptest! {
        #[test]
        fn short_decimals_are_read_to_the_last_bit(m in -999_999_999_999_999i64..=999_999_999_999_999, places in 0usize..15) {
            let text = format!("{:.*}", places, m as f64 / 10f64.powi(places as i32));
            if text.bytes().filter(u8::is_ascii_digit).count() <= EXACT_DIGITS {
                let wanted = (text.parse::<f64>().unwrap().to_bits(), text.len());
                for behind in ["", ",", "\n", ",12345678", ";x.5,123456"] {
                    let v = decimal(format!("{text}{behind}").as_bytes(), 0, b'.').unwrap();
                    prop_assert_eq!(((v.whole / v.by).to_bits(), v.end), wanted, "{}{}", text, behind);
                }
            }
        }
    }
}
