//! Up to which number each device has asked for what follows: what its group sees of how far it is behind. Kept in memory, and
//! in the database a little later.

use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use lru::LruCache;

use crate::records::{Ask, Asking, Failed, Records};

/// Devices that are remembered; of others the database is asked.
const DEVICES: NonZeroUsize = NonZeroUsize::new(65_536).unwrap();
/// A device that asks for the same again is kept so much later, in microseconds: five minutes.
const AGAIN: i64 = 300_000_000;
/// A device that is behind and did not ask for so long joins anew, in microseconds: 180 days.
const SILENT: i64 = 180 * 86_400_000_000;

#[derive(Clone, Copy, Debug, Default)]
struct Remembered {
    /// What it asked last.
    last: Option<Ask>,
    /// What of that the database has.
    kept: Option<Ask>,
}

impl Remembered {
    fn is_to_be_kept(&self) -> bool {
        match (self.last, self.kept) {
            (Some(last), Some(kept)) => last.number != kept.number || last.at - kept.at >= AGAIN,
            (last, None) => last.is_some(),
            (None, Some(_)) => false,
        }
    }
}

/// What devices asked last. Cheap to clone.
#[derive(Clone, Debug)]
pub(crate) struct Asked(Arc<Mutex<LruCache<Asking, Remembered>>>);

impl Default for Asked {
    fn default() -> Self {
        Self(Arc::new(Mutex::new(LruCache::new(DEVICES))))
    }
}

impl Asked {
    fn locked(&self) -> MutexGuard<'_, LruCache<Asking, Remembered>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What a device asked last, here or (as far as that was kept) at another process.
    pub(crate) async fn latest(&self, records: &Records, who: Asking) -> Result<Option<Ask>, Failed> {
        let here = self.locked().peek(&who).and_then(|known| known.last);
        let kept = records.ask_of(who).await?;
        Ok(here.into_iter().chain(kept).max_by_key(|ask| ask.at))
    }

    /// What a device asked last, as it is remembered here; it may have asked elsewhere since.
    async fn of(&self, records: &Records, who: Asking) -> Result<Option<Ask>, Failed> {
        if let Some(known) = self.locked().get(&who) {
            return Ok(known.last);
        }
        let kept = records.ask_of(who).await?;
        self.locked().get_or_insert(who, || Remembered { last: kept, kept });
        Ok(kept)
    }

    /// A device asks for what follows a number.
    pub(crate) fn note(&self, who: Asking, ask: Ask) {
        self.locked().get_or_insert_mut(who, Remembered::default).last = Some(ask);
    }

    /// Whether a device that stands at this number, as its group's `last`, was silent for so long that it must join anew.
    pub(crate) async fn was_silent(
        &self,
        records: &Records,
        who: Asking,
        (last, now): (u64, i64),
    ) -> Result<bool, Failed> {
        let silent = |ask: Option<Ask>| ask.is_some_and(|ask| now - ask.at > SILENT && ask.number < last);
        if !silent(self.of(records, who).await?) {
            return Ok(false);
        }
        // It may have asked elsewhere meanwhile, or have joined anew.
        let kept = records.ask_of(who).await?;
        self.locked().put(who, Remembered { last: kept, kept });
        Ok(silent(kept))
    }

    /// A device joins: what it asked before says nothing.
    pub(crate) async fn forget(&self, records: &Records, who: Asking) -> Result<(), Failed> {
        self.locked().pop(&who);
        records.forget_ask(who).await
    }

    /// Keeps what is new in the database.
    pub(crate) async fn keep(&self, records: &Records) -> Result<(), Failed> {
        let fresh: Vec<(Asking, Ask)> = self
            .locked()
            .iter()
            .filter(|(_, known)| known.is_to_be_kept())
            .filter_map(|(who, known)| Some((*who, known.last?)))
            .collect();
        records.keep_asks(&fresh).await?;
        let mut all = self.locked();
        for (who, ask) in fresh {
            if let Some(known) = all.peek_mut(&who) {
                known.kept = Some(ask);
            }
        }
        Ok(())
    }
}
