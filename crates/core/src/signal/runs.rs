//! Stretches of neighbouring samples over which something holds.

/// First sample and one past the last of every stretch of `0..n` over which `holds`.
pub(crate) fn runs(n: usize, holds: impl Fn(usize) -> bool) -> Vec<(usize, usize)> {
    let (mut out, mut since) = (Vec::new(), None);
    for i in 0..=n {
        match (since, i < n && holds(i)) {
            (None, true) => since = Some(i),
            (Some(a), false) => {
                out.push((a, i));
                since = None;
            }
            _ => {}
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn stretches_end_where_the_samples_do() {
        let on = [true, false, true, true, false, true];
        assert_eq!(runs(on.len(), |i| on[i]), [(0, 1), (2, 4), (5, 6)]);
        assert_eq!(runs(0, |_| true), []);
    }
}
