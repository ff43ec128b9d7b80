//! Requests that were answered: none is answered twice.

use std::num::NonZeroUsize;
use std::sync::{Mutex, PoisonError};

use lru::LruCache;
use yadori_sync::wire::Signature;

/// Requests that are remembered, so that none is answered twice by this process. What changes anything is taken once
/// whatever is repeated, by every process.
const REMEMBERED: NonZeroUsize = NonZeroUsize::new(65_536).unwrap();

/// Nonces of requests that were answered.
#[derive(Debug)]
pub(super) struct Answered(Mutex<LruCache<[u8; 16], u64>>);

impl Default for Answered {
    fn default() -> Self {
        Self(Mutex::new(LruCache::new(REMEMBERED)))
    }
}

impl Answered {
    /// False: it was answered before.
    pub(super) fn is_new(&self, by: &Signature) -> bool {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        all.put(by.nonce, by.time).is_none()
    }
}
