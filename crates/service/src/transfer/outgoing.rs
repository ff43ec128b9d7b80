//! Files on their way out. The bytes of an answer end well only when whoever wrote them says so: whatever breaks off in
//! between (also a library that writes a last word when it is dropped) breaks the answer off, and what was sent whole
//! is remembered with its digest, for whoever received it to compare.

use std::io::{self, Write};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

use bytes::{Bytes, BytesMut};
use tokio::sync::mpsc;
use tokio_stream::wrappers::ReceiverStream;
use yadori_api::{LeftOut, TransferEnd};

use crate::home::random::{NoRandomness, random_name};
use crate::state::app::App;

/// Bytes sent at once.
const PORTION: usize = 256 << 10;

/// The bytes of an answer, as they are written.
pub type Sent = ReceiverStream<io::Result<Bytes>>;

/// Where a file is written to. Dropping it without [`Outgoing::finish`] breaks the answer off.
#[derive(Debug)]
pub struct Outgoing {
    to: mpsc::Sender<io::Result<Bytes>>,
    buffer: BytesMut,
    hasher: blake3::Hasher,
    bytes: u64,
    closed: Closer,
}

/// Closes a file from outside: nothing more is taken then. For writers above that write an end when they are dropped.
#[derive(Clone, Debug, Default)]
pub struct Closer(Arc<AtomicBool>);

impl Closer {
    /// Nothing more is taken from now on.
    pub fn close(&self) {
        self.0.store(true, Ordering::SeqCst);
    }

    fn is_closed(&self) -> bool {
        self.0.load(Ordering::SeqCst)
    }
}

/// What is in a file that was written whole.
#[derive(Clone, Debug, Default)]
pub struct Content {
    /// Clips in it.
    pub clips: u64,
    /// Pictures that a table of texts has no place for.
    pub pictures: u64,
    /// Clips that should be in it.
    pub left_out: Vec<LeftOut>,
}

impl Outgoing {
    /// A file, and the answer that it becomes.
    pub fn new() -> (Self, Sent) {
        let (to, sent) = mpsc::channel(4);
        let out = Self {
            to,
            buffer: BytesMut::new(),
            hasher: blake3::Hasher::new(),
            bytes: 0,
            closed: Closer::default(),
        };
        (out, ReceiverStream::new(sent))
    }

    /// What closes it from outside.
    pub fn closer(&self) -> Closer {
        self.closed.clone()
    }

    fn send(&mut self) -> io::Result<()> {
        let portion = self.buffer.split().freeze();
        self.hasher.update(&portion);
        self.bytes += portion.len() as u64;
        self.to
            .blocking_send(Ok(portion))
            .map_err(|_| io::Error::new(io::ErrorKind::BrokenPipe, "nobody reads it any more"))
    }

    /// Everything was written: the answer ends well. Gives its bytes and their digest.
    ///
    /// # Errors
    /// When nobody reads it any more.
    pub fn finish(mut self) -> io::Result<(u64, String)> {
        if self.closed.is_closed() {
            return Err(io::Error::other("it was closed before its end"));
        }
        self.send()?;
        self.closed.close();
        self.to = mpsc::channel(1).0;
        Ok((self.bytes, self.hasher.finalize().to_hex().to_string()))
    }
}

impl Write for Outgoing {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        if self.closed.is_closed() {
            return Err(io::Error::other("it was closed"));
        }
        self.buffer.extend_from_slice(bytes);
        if self.buffer.len() >= PORTION {
            self.send()?;
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

impl Drop for Outgoing {
    fn drop(&mut self) {
        // Without effect after a good end.
        let _ = self.to.blocking_send(Err(io::Error::other("it was broken off")));
    }
}

/// Writes a file on a thread for such work. Gives the name of the transfer, and the answer.
///
/// # Errors
/// When the system gives no random bytes.
pub fn send(
    app: Arc<App>,
    what: &'static str,
    write: impl FnOnce(Outgoing) -> io::Result<(Outgoing, Content)> + Send + 'static,
) -> Result<(String, Sent), NoRandomness> {
    let name = random_name::<16>()?;
    let (out, sent) = Outgoing::new();
    let transfer = name.clone();
    tokio::task::spawn_blocking(move || {
        let outcome = write(out).and_then(|(mut out, content)| {
            // Remembered before the answer ends, so that whoever has all of it can ask at once.
            out.send()?;
            let end = TransferEnd {
                bytes: out.bytes,
                digest: out.hasher.finalize().to_hex().to_string(),
                clips: content.clips,
                pictures: content.pictures,
                left_out: content.left_out,
            };
            app.transfers.ended(transfer, end);
            out.finish()
        });
        if let Err(why) = outcome {
            tracing::warn!("{what} was not finished: {why}");
        }
    });
    Ok((name, sent))
}

#[cfg(test)]
mod tests {
    use futures_util::StreamExt;

    use super::*;

    async fn read(mut sent: Sent) -> Result<Vec<u8>, io::Error> {
        let mut all = Vec::new();
        while let Some(portion) = sent.next().await {
            all.extend_from_slice(&portion?);
        }
        Ok(all)
    }

    #[tokio::test]
    async fn an_answer_ends_well_only_when_its_writer_says_so() {
        let (mut out, sent) = Outgoing::new();
        let writing = tokio::task::spawn_blocking(move || {
            out.write_all(&[7; PORTION * 2 + 5]).unwrap();
            out.finish().unwrap()
        });
        let all = read(sent).await.unwrap();
        let (bytes, digest) = writing.await.unwrap();
        assert_eq!((all.len() as u64, blake3::hash(&all).to_hex().to_string()), (bytes, digest));

        let (mut out, sent) = Outgoing::new();
        tokio::task::spawn_blocking(move || out.write_all(b"half of it").unwrap());
        assert!(read(sent).await.is_err());
    }

    #[tokio::test]
    async fn a_builder_that_writes_an_end_when_it_is_dropped_can_not_make_a_half_file_whole() {
        let (out, sent) = Outgoing::new();
        let closer = out.closer();
        tokio::task::spawn_blocking(move || {
            let mut zip = zip::ZipWriter::new_stream(out);
            zip.start_file("a", zip::write::SimpleFileOptions::default()).unwrap();
            zip.write_all(b"half").unwrap();
            // As on an error in between.
            closer.close();
            drop(zip);
        });
        assert!(read(sent).await.is_err());
    }
}
