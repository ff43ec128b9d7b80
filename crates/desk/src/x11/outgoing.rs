//! Handing a large content over in chunks (INCR, ICCCM section 2.7.2), without IO.

use bytes::Bytes;

/// Contents above this go in chunks of this size, in bytes.
pub(crate) const CHUNK: usize = 256 * 1024;
/// How long a requestor may take for a chunk, in milliseconds.
pub(crate) const PATIENCE_MS: u64 = 10_000;

/// One transfer to one property of one requestor.
#[derive(Debug)]
pub(crate) struct Outgoing {
    /// The requestor's window.
    pub(crate) requestor: u32,
    /// The property it named.
    pub(crate) property: u32,
    /// The type of what it gets.
    pub(crate) kind: u32,
    bytes: Bytes,
    at: usize,
    ended: bool,
    /// When it is given up.
    pub(crate) deadline_ms: u64,
}

impl Outgoing {
    pub(crate) fn new(requestor: u32, property: u32, kind: u32, bytes: Bytes, now_ms: u64) -> Self {
        Self { requestor, property, kind, bytes, at: 0, ended: false, deadline_ms: now_ms + PATIENCE_MS }
    }

    /// The requestor has taken what was there: the next chunk, the last of them empty. `None` when all is done.
    pub(crate) fn next(&mut self, now_ms: u64) -> Option<Bytes> {
        if self.ended {
            return None;
        }
        self.deadline_ms = now_ms + PATIENCE_MS;
        let end = (self.at + CHUNK).min(self.bytes.len());
        let chunk = self.bytes.slice(self.at..end);
        self.at = end;
        self.ended = chunk.is_empty();
        Some(chunk)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn the_chunks_are_the_content_and_end_with_an_empty_one(length in 0usize..(3 * CHUNK + 2)) {
            let content: Bytes = (0..length).map(|n| (n % 251) as u8).collect::<Vec<_>>().into();
            let mut outgoing = Outgoing::new(1, 2, 3, content.clone(), 0);
            let mut got = Vec::new();
            let mut last = None;
            while let Some(chunk) = outgoing.next(5) {
                prop_assert!(chunk.len() <= CHUNK);
                got.extend_from_slice(&chunk);
                last = Some(chunk.len());
            }
            prop_assert_eq!(got, content);
            prop_assert_eq!(last, Some(0));
        }
    }
}
