//! A text in blocks of whole lines, each small enough to be parsed while it is in the cache.

use std::io::{self, Read};

/// A longer line is refused.
pub(super) const MAX_LINE: usize = 1 << 20;
/// What is read at once, bytes (our choice: fits the second-level cache beside its numbers).
const BLOCK: usize = 1 << 19;
/// And at least so much, where a block is waiting for the end of its line.
const LEAST: usize = 1 << 16;

/// A line grew beyond the bound.
#[derive(Debug, thiserror::Error)]
#[error("a line longer than {MAX_LINE} bytes")]
pub(super) struct TooLong;

/// Blocks of whole lines; the last one may lack its line end.
pub(super) struct Blocks<R> {
    inner: R,
    /// Read already, and behind the last line end given out.
    carried: Vec<u8>,
    ended: bool,
}

impl<R: Read> Blocks<R> {
    /// Blocks of `carried` and what follows it.
    pub(super) fn new(carried: Vec<u8>, inner: R) -> Self {
        Self { inner, carried, ended: false }
    }

    /// The next block; empty at the end.
    ///
    /// # Errors
    /// Those of reading, and [`TooLong`] inside them for a line beyond the bound.
    pub(super) fn next(&mut self) -> io::Result<Vec<u8>> {
        let mut block = Vec::with_capacity(BLOCK + self.carried.len());
        block.append(&mut self.carried);
        while !self.ended {
            let more = BLOCK.saturating_sub(block.len()).max(LEAST);
            self.ended = self.inner.by_ref().take(more as u64).read_to_end(&mut block)? == 0;
            match memchr::memrchr(b'\n', &block) {
                None if block.len() > MAX_LINE => return Err(io::Error::other(TooLong)),
                // Whole lines first: one that grows beyond the bound is refused by its own number.
                Some(i) if !self.ended && (block.len() >= BLOCK || block.len() - i > MAX_LINE) => {
                    self.carried = block.split_off(i + 1);
                    break;
                }
                _ => {}
            }
        }
        Ok(block)
    }

    /// What is left, with `block` before it, as one stream that still refuses lines beyond the bound.
    pub(super) fn rest(self, block: Vec<u8>) -> impl Read + use<R> {
        LineGuard {
            inner: io::Cursor::new(block).chain(io::Cursor::new(self.carried)).chain(self.inner),
            since: 0,
        }
    }
}

/// Passes bytes through and fails once a line grows beyond the bound.
struct LineGuard<R> {
    inner: R,
    since: usize,
}

impl<R: Read> Read for LineGuard<R> {
    fn read(&mut self, buf: &mut [u8]) -> io::Result<usize> {
        let n = self.inner.read(buf)?;
        match memchr::memrchr(b'\n', &buf[..n]) {
            Some(i) => self.since = n - 1 - i,
            None => self.since += n,
        }
        if self.since > MAX_LINE { Err(io::Error::other(TooLong)) } else { Ok(n) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blocks_together_are_the_text_and_each_ends_with_a_line() {
        let text: Vec<u8> = (0..200_000).flat_map(|i| format!("{i},{}\n", i * 7).into_bytes()).collect();
        for cut in [0, 3, 70_000] {
            let mut blocks = Blocks::new(text[..cut].to_vec(), &text[cut..]);
            let mut together = Vec::new();
            loop {
                let block = blocks.next().unwrap();
                if block.is_empty() {
                    break;
                }
                assert_eq!(block.last(), Some(&b'\n'));
                assert!(block.len() <= BLOCK + LEAST);
                together.extend(block);
            }
            assert!(together == text, "from {cut}");
        }
    }

    #[test]
    fn a_line_beyond_the_bound_is_refused_before_it_is_held() {
        let mut blocks = Blocks::new(Vec::new(), io::repeat(b'7'));
        assert!(blocks.next().unwrap_err().get_ref().is_some_and(|e| e.is::<TooLong>()));
    }
}
