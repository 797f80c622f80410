//! Names like a text that is found nowhere: what was meant by it, perhaps.

use crate::find::asked::{Query, What};
use crate::find::columns::{BOOST, BUILD, Bits, FUEL, Index, MAP, VEHICLE};

/// Text shorter than this is like too much, characters (our choice).
const SHORTEST: usize = 3;

impl Index {
    /// For each condition on text that no pull fulfils, the name nearest to it, where one is near: at most one
    /// letter in three is another (our choice). `each` are the rows of each condition.
    pub(super) fn meant(&self, q: &Query, each: &[Bits]) -> Vec<(usize, String)> {
        let nowhere =
            q.clauses.iter().zip(each).enumerate().filter(|(_, (c, rows))| !c.not && rows.count() == 0);
        nowhere.filter_map(|(i, (c, _))| Some((i, self.like(text_of(&c.what)?)?))).collect()
    }

    fn like(&self, text: &str) -> Option<String> {
        let text = text.to_lowercase();
        let length = text.chars().count();
        if length < SHORTEST {
            return None;
        }
        let columns = [VEHICLE, MAP, FUEL, BUILD, BOOST];
        let names = columns.into_iter().flat_map(|k| self.names[k].all.iter().zip(&self.names[k].lower));
        // A name is met by its first letters too: “tolvurn” means “Tolvern T3”.
        let off = |name: &str| {
            let words = name.split(' ').map(|w| distance(&text, w)).min().unwrap_or(usize::MAX);
            words.min(distance(&text, name))
        };
        let near = names.map(|(name, lower)| (off(lower), name)).filter(|(d, _)| *d > 0 && 3 * d <= length);
        near.min_by_key(|n| n.0).map(|n| n.1.clone())
    }
}

fn text_of(what: &What) -> Option<&str> {
    match what {
        What::Text(t) | What::In(_, t) => Some(t),
        _ => None,
    }
}

/// Letters to change, to add, to leave out or to swap with their neighbour to make one text of the other.
///
/// # Formula
/// Damerau's distance restricted to neighbours, by dynamic programming over both texts.
fn distance(a: &str, b: &str) -> usize {
    let (a, b): (Vec<char>, Vec<char>) = (a.chars().collect(), b.chars().collect());
    let mut rows: [Vec<usize>; 3] = [Vec::new(), Vec::new(), (0..=b.len()).collect()];
    for i in 1..=a.len() {
        rows.rotate_left(1);
        let mut now = vec![i; b.len() + 1];
        for j in 1..=b.len() {
            let same = usize::from(a[i - 1] != b[j - 1]);
            let mut d = (rows[1][j] + 1).min(now[j - 1] + 1).min(rows[1][j - 1] + same);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                d = d.min(rows[0][j - 2] + 1);
            }
            now[j] = d;
        }
        rows[2] = now;
    }
    rows[2][b.len()]
}

#[cfg(test)]
mod tests {
    use super::distance;

    #[test]
    fn letters_changed_added_left_out_and_swapped_count_one_each() {
        for (a, b, d) in [
            ("tolvern", "tolvern", 0),
            ("tolvurn", "tolvern", 1),
            ("tolven", "tolvern", 1),
            ("tovlern", "tolvern", 1),
            ("tolvernn", "tolvern", 1),
            ("", "abc", 3),
            ("marrow", "tolvern", 7),
        ] {
            assert_eq!((distance(a, b), distance(b, a)), (d, d), "{a} {b}");
        }
    }
}
