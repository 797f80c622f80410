//! Blocks parsed together, and what follows them.

use super::blocks::Blocks;
use super::rows::{Part, is_plain, only_line_ends};
use std::io::{self, Read};

/// Blocks for each thread at a time (our choice: enough that no thread waits long for the last of them).
const EACH: usize = 2;

/// Blocks at hand in which lines are records.
pub(super) struct Batch {
    blocks: Vec<Vec<u8>>,
    pub(super) then: Then,
}

/// What follows the blocks at hand.
pub(super) enum Then {
    More,
    End,
    /// A block whose lines may not be its records.
    Quotes(Vec<u8>),
    Failed(io::Error),
}

impl Batch {
    /// As many blocks as threads are kept busy with.
    pub(super) fn read(from: &mut Blocks<impl Read>) -> Self {
        let at_once = match rayon::current_num_threads() {
            0 | 1 => 1,
            threads => EACH * threads,
        };
        let mut out = Self { blocks: Vec::with_capacity(at_once), then: Then::More };
        while out.blocks.len() < at_once && matches!(out.then, Then::More) {
            match from.next() {
                Ok(block) if block.is_empty() => out.then = Then::End,
                Ok(block) if is_plain(&block) => out.blocks.push(block),
                Ok(block) => out.then = Then::Quotes(block),
                Err(e) => out.then = Then::Failed(e),
            }
        }
        out
    }

    /// What its blocks hold, in their order. Meanwhile this thread reads the next batch, where there are others to
    /// parse.
    pub(super) fn parsed(
        &self,
        from: &mut Blocks<impl Read>,
        read: &(impl Fn(&[u8]) -> Part + Sync),
    ) -> (Vec<Part>, Option<Self>) {
        if self.blocks.len() < 2 {
            return (self.blocks.iter().map(|b| read(b)).collect(), None);
        }
        let mut parts: Vec<Option<Part>> = self.blocks.iter().map(|_| None).collect();
        let next = rayon::in_place_scope(|s| {
            for (part, block) in parts.iter_mut().zip(&self.blocks) {
                s.spawn(move |_| *part = Some(read(block)));
            }
            matches!(self.then, Then::More).then(|| Self::read(from))
        });
        (parts.into_iter().flatten().collect(), next)
    }
}

impl Then {
    /// Whether nothing but line ends follows: in the batch that was read on, or in what was not read yet.
    pub(super) fn is_end(&self, next: Option<&Batch>, blocks: &mut Blocks<impl Read>) -> bool {
        match (self, next) {
            (Self::End, _) => true,
            (Self::Quotes(_) | Self::Failed(_), _) => false,
            (Self::More, Some(next)) => {
                next.blocks.iter().all(|b| only_line_ends(b)) && next.then.is_end(None, blocks)
            }
            (Self::More, None) => loop {
                match blocks.next() {
                    Ok(block) if block.is_empty() => return true,
                    Ok(block) if only_line_ends(&block) => {}
                    _ => return false,
                }
            },
        }
    }
}
