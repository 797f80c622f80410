//! Bytes on their way to a client, piece by piece: the next is made when there is room for it.

use axum::body::Bytes;
use hyper::body::Frame;
use jamjar_store::FileReader;
use std::io::{self, Write};
use std::pin::Pin;
use std::task::{Context, Poll};
use tokio::sync::mpsc::{Receiver, Sender};

/// Bytes sent at a time.
const PIECE: usize = 256 << 10;
/// Pieces made ahead of a client.
const AHEAD: usize = 2;

/// A body that is made while it is sent.
pub(super) struct Sent(Receiver<io::Result<Bytes>>);

impl Sent {
    /// A file out of custody.
    pub(super) fn of(mut file: FileReader) -> Self {
        Self::written(move |out| io::copy(&mut file, out).map(drop).map_err(|e| e.to_string()))
    }

    /// What `write` writes. When it fails the body ends in an error, so that the client sees that it is cut
    /// short.
    pub(super) fn written(write: impl FnOnce(&mut Pieces) -> Result<(), String> + Send + 'static) -> Self {
        let (sender, pieces) = tokio::sync::mpsc::channel(AHEAD);
        tokio::task::spawn_blocking(move || {
            let mut out = Pieces { sender, piece: Vec::with_capacity(PIECE) };
            let done = write(&mut out).and_then(|()| out.flush().map_err(|e| e.to_string()));
            if let Err(e) = done {
                tracing::warn!(%e, "a download was cut short");
                let _ = out.sender.blocking_send(Err(io::Error::other("cut short")));
            }
        });
        Self(pieces)
    }
}

impl hyper::body::Body for Sent {
    type Data = Bytes;
    type Error = io::Error;

    fn poll_frame(
        mut self: Pin<&mut Self>,
        cx: &mut Context<'_>,
    ) -> Poll<Option<Result<Frame<Bytes>, io::Error>>> {
        self.0.poll_recv(cx).map(|piece| piece.map(|p| p.map(Frame::data)))
    }
}

/// Collects what is written into pieces.
pub(super) struct Pieces {
    sender: Sender<io::Result<Bytes>>,
    piece: Vec<u8>,
}

impl Write for Pieces {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        let n = bytes.len().min(PIECE - self.piece.len());
        self.piece.extend_from_slice(&bytes[..n]);
        if self.piece.len() == PIECE {
            self.flush()?;
        }
        Ok(n)
    }

    fn flush(&mut self) -> io::Result<()> {
        if self.piece.is_empty() {
            return Ok(());
        }
        // A client that went away, or stalled for so long that it was put out, takes the writer with it.
        let full = std::mem::replace(&mut self.piece, Vec::with_capacity(PIECE));
        self.sender.blocking_send(Ok(full.into())).map_err(|_| io::Error::other("the client went away"))
    }
}
