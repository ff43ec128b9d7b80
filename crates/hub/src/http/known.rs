//! Who belongs to which group, as far as it was read: the chain of a group is checked once an epoch.

use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, PoisonError};

use lru::LruCache;
use yadori_sync::group::Chain;

use super::problem::Failure;
use crate::records::{Records, Standing};

/// Groups that are remembered.
const GROUPS: NonZeroUsize = NonZeroUsize::new(4_096).unwrap();
/// Entries that are read at once.
const AT_ONCE: u32 = 100;

/// Chains by group.
#[derive(Debug)]
pub(super) struct Known(Mutex<LruCache<[u8; 16], Arc<Chain>>>);

impl Default for Known {
    fn default() -> Self {
        Self(Mutex::new(LruCache::new(GROUPS)))
    }
}

impl Known {
    /// The chain of a group as it was read last, without asking whether it has gone on. What is done with it must ask.
    pub(super) fn last_read(&self, group: [u8; 16]) -> Option<(Arc<Chain>, Standing)> {
        let chain = self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&group).cloned()?;
        let standing = Standing { epoch: chain.epoch(), last: 0, seen_at: i64::MAX };
        Some((chain, standing))
    }

    /// The chain of a group up to its last entry, and how the group stands.
    pub(super) async fn chain(
        &self,
        records: &Records,
        group: [u8; 16],
    ) -> Result<(Arc<Chain>, Standing), Failure> {
        let standing = records.standing(group).await?.ok_or_else(Failure::no_group)?;
        let known = self.0.lock().unwrap_or_else(PoisonError::into_inner).get(&group).cloned();
        if let Some(known) = known.filter(|known| known.epoch() >= standing.epoch) {
            return Ok((known, standing));
        }
        let mut chain = Chain::of(group);
        loop {
            let entries = records.entries(group, chain.epoch(), AT_ONCE).await?;
            if entries.is_empty() {
                break;
            }
            for entry in entries {
                // What is here was checked when it came.
                chain.accept(&entry).map_err(|_| Failure::no_group())?;
            }
        }
        let chain = Arc::new(chain);
        self.0.lock().unwrap_or_else(PoisonError::into_inner).put(group, Arc::clone(&chain));
        let standing = Standing { epoch: chain.epoch(), ..standing };
        Ok((chain, standing))
    }
}
