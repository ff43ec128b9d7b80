//! Contents at hand: those of copies that wait for the database, the newest ones, and small pictures made of some. All of
//! it is let go of when something that was removed comes to its end.

use std::collections::{HashMap, VecDeque};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::Duration;

use bytes::Bytes;
use lru::LruCache;
use tokio::sync::{broadcast, mpsc, oneshot, watch};
use yadori_core::clip::mime;
use yadori_core::{Clip, ClipId, Content, Digest, Micros, Offer, OfferRecord, Representation};
use yadori_store::{ReadError, Store};

/// Bytes of recent contents kept at hand.
const RECENT_BYTES: usize = 8 * 1024 * 1024;
/// Bytes that each takes beside its own.
const EACH: usize = 160;
/// How long it may take to fetch a content that another device has.
const FAR: Duration = Duration::from_secs(60);
/// Contents that have come and that nobody has heard of yet.
const CAME: usize = 256;
/// Small pictures kept at hand, and their bytes at most.
const PICTURES: usize = 60;
const PICTURE_BYTES: usize = 8 * 1024 * 1024;

/// A small picture: its type, and its bytes.
pub type Small = (&'static str, Bytes);

/// The contents that were used last, and their bytes.
#[derive(Debug)]
struct Recent {
    contents: LruCache<Digest, Content>,
    bytes: usize,
}

impl Default for Recent {
    fn default() -> Self {
        Self { contents: LruCache::unbounded(), bytes: 0 }
    }
}

impl Recent {
    /// Remembers a content, and lets go of those that were used longest ago as far as that is needed.
    fn put(&mut self, digest: Digest, content: &Content) {
        let takes = |content: &Content| content.len() + EACH;
        if self.contents.put(digest, content.clone()).is_none() {
            self.bytes += takes(content);
        }
        while self.bytes > RECENT_BYTES
            && let Some((_, oldest)) = self.contents.pop_lru()
        {
            self.bytes -= takes(&oldest);
        }
    }
}

/// Contents in memory, and the way to those that are not.
#[derive(Debug)]
pub struct AtHand {
    store: watch::Sender<Option<Store>>,
    waiting: Mutex<HashMap<Digest, Content>>,
    /// Contents of clips that live in memory alone, by clip.
    fleeting: Mutex<HashMap<ClipId, Vec<(Digest, Content)>>>,
    recent: Mutex<Recent>,
    pictures: Mutex<VecDeque<((Digest, u32), Small)>>,
    /// Whoever fetches contents that another device has.
    far: Mutex<Option<mpsc::UnboundedSender<Wanted>>>,
    /// Contents that another device had, once they are here.
    came: broadcast::Sender<Digest>,
}

/// A content that is wanted, and where it is said whether it has come.
pub type Wanted = (Digest, oneshot::Sender<bool>);

/// Why a content can't be had.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum ContentError {
    /// The database is away.
    #[error("the database is away")]
    Away,
    /// Missing or damaged.
    #[error("its content is missing or damaged in the database")]
    Damaged,
}

impl Default for AtHand {
    fn default() -> Self {
        Self {
            store: watch::Sender::new(None),
            waiting: Mutex::default(),
            fleeting: Mutex::default(),
            recent: Mutex::default(),
            pictures: Mutex::default(),
            far: Mutex::default(),
            came: broadcast::channel(CAME).0,
        }
    }
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl AtHand {
    /// The records, once they are open.
    pub fn store(&self) -> Option<Store> {
        self.store.borrow().clone()
    }

    pub(crate) fn open(&self, store: Store) {
        self.store.send_replace(Some(store));
    }

    /// A content that another device had is here now.
    pub(crate) fn came(&self, digest: Digest) {
        let _ = self.came.send(digest);
    }

    /// Tells of each content that comes from another device from now on.
    pub(crate) fn coming(&self) -> broadcast::Receiver<Digest> {
        self.came.subscribe()
    }

    /// Keeps contents while they are in no database.
    pub(crate) fn keep_waiting(&self, contents: &[(Digest, Content)]) {
        locked(&self.waiting).extend(contents.iter().cloned());
    }

    /// Holds contents that are in no database, on purpose.
    pub(crate) fn hold_fleeting(&self, clip: ClipId, contents: &[(Digest, Content)]) {
        locked(&self.fleeting).insert(clip, contents.to_vec());
    }

    /// Lets go of them, and of whatever was made of them.
    pub(crate) fn let_go_fleeting(&self, clip: ClipId) {
        let held = locked(&self.fleeting).remove(&clip).unwrap_or_default();
        locked(&self.pictures).retain(|((of, _), _)| held.iter().all(|(digest, _)| digest != of));
    }

    /// Nothing waits any more.
    pub(crate) fn none_wait(&self) {
        locked(&self.waiting).clear();
    }

    /// Remembers a content for the next moments.
    pub(crate) fn remember(&self, digest: Digest, content: &Content) {
        if content.len() > RECENT_BYTES / 2 {
            return;
        }
        locked(&self.recent).put(digest, content);
    }

    /// Something that was removed has come to its end: nothing that may hold it stays.
    pub(crate) fn forget(&self) {
        *locked(&self.recent) = Recent::default();
        locked(&self.pictures).clear();
    }

    /// A small picture that was made before, at most so many pixels long.
    pub fn picture(&self, of: Digest, most: u32) -> Option<Small> {
        locked(&self.pictures).iter().find(|(known, _)| *known == (of, most)).map(|(_, small)| small.clone())
    }

    /// Keeps a small picture at hand.
    pub fn keep_picture(&self, of: Digest, most: u32, small: Small) {
        let mut pictures = locked(&self.pictures);
        pictures.push_front(((of, most), small));
        let mut bytes = 0;
        pictures.retain(|(_, (_, small))| {
            bytes += small.len();
            bytes <= PICTURE_BYTES
        });
        pictures.truncate(PICTURES);
    }

    fn in_memory(&self, digest: Digest) -> Option<Content> {
        let waiting = locked(&self.waiting).get(&digest).cloned();
        let waiting = waiting.or_else(|| {
            let fleeting = locked(&self.fleeting);
            let held = fleeting.values().flatten().find(|(known, _)| *known == digest);
            held.map(|(_, content)| content.clone())
        });
        waiting.or_else(|| locked(&self.recent).contents.get(&digest).cloned())
    }

    /// A content, from memory or from the records.
    ///
    /// # Errors
    /// Says whether it may be had later.
    pub async fn content(&self, digest: Digest) -> Result<Content, ContentError> {
        if let Some(content) = self.in_memory(digest) {
            return Ok(content);
        }
        let content = self.read(digest).await?;
        self.remember(digest, &content);
        Ok(content)
    }

    async fn read(&self, digest: Digest) -> Result<Content, ContentError> {
        match self.read_here(digest).await {
            // Another device may have it.
            Err(ContentError::Damaged) if self.fetched(digest).await => self.read_here(digest).await,
            read => read,
        }
    }

    async fn read_here(&self, digest: Digest) -> Result<Content, ContentError> {
        let store = self.store().ok_or(ContentError::Away)?;
        store.content(digest).await.map_err(|why| match why {
            ReadError::Away(_) => ContentError::Away,
            ReadError::Damaged(_) => ContentError::Damaged,
        })
    }

    /// A content that is on this device, without keeping it at hand.
    ///
    /// # Errors
    /// [`ContentError::Damaged`] also where another device has it.
    pub async fn here(&self, digest: Digest) -> Result<Content, ContentError> {
        match self.in_memory(digest) {
            Some(content) => Ok(content),
            None => self.read_here(digest).await,
        }
    }

    /// Contents that are not here are fetched by whoever hears of them here.
    pub(crate) fn fetch_by(&self) -> mpsc::UnboundedReceiver<Wanted> {
        let (sender, wanted) = mpsc::unbounded_channel();
        *locked(&self.far) = Some(sender);
        wanted
    }

    async fn fetched(&self, digest: Digest) -> bool {
        let (done, fetched) = oneshot::channel();
        let asked = locked(&self.far).as_ref().is_some_and(|far| far.send((digest, done)).is_ok());
        asked && matches!(tokio::time::timeout(FAR, fetched).await, Ok(Ok(true)))
    }

    /// The whole offer of a clip, as it is handed back.
    ///
    /// # Errors
    /// As [`AtHand::content`].
    pub async fn offer(&self, clip: &Clip) -> Result<Offer, ContentError> {
        let record = clip.state.offer().ok_or(ContentError::Damaged)?;
        self.offer_of(record, clip.copied_at()).await
    }

    /// A whole offer as it is recorded.
    ///
    /// # Errors
    /// As [`AtHand::content`].
    pub async fn offer_of(&self, record: &OfferRecord, at: Micros) -> Result<Offer, ContentError> {
        let mut representations = Vec::with_capacity(record.representations.len());
        for one in &record.representations {
            let content = self.content(one.digest).await?;
            representations.push(Representation { mime: one.mime.clone(), content });
        }
        Ok(Offer { representations, also: record.also.clone(), source: record.source.clone(), at })
    }

    /// The texts of a clip's offer, without keeping them at hand.
    ///
    /// # Errors
    /// As [`AtHand::content`].
    pub async fn texts_of(&self, clip: &Clip) -> Result<Offer, ContentError> {
        let record = clip.state.offer().ok_or(ContentError::Damaged)?;
        let mut representations = Vec::with_capacity(record.representations.len());
        for one in record.representations.iter().filter(|one| mime::carries_text(&one.mime)) {
            let content = match self.in_memory(one.digest) {
                Some(content) => content,
                None => self.read(one.digest).await?,
            };
            representations.push(Representation { mime: one.mime.clone(), content });
        }
        Ok(Offer {
            representations,
            also: record.also.clone(),
            source: record.source.clone(),
            at: clip.copied_at(),
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn content(n: usize, length: usize) -> (Digest, Content) {
        let content = Content::new(format!("{n:>length$}"));
        (content.digest(), content)
    }

    #[test]
    fn what_was_used_last_stays_at_hand_and_no_more_than_there_is_room_for() {
        let at_hand = AtHand::default();
        let (first, kept) = content(0, 1_000);
        at_hand.remember(first, &kept);
        for n in 1..20_000 {
            let (digest, content) = content(n, 1_000);
            at_hand.remember(digest, &content);
            // Once more does not count once more.
            at_hand.remember(digest, &content);
            assert_eq!(at_hand.in_memory(first).as_ref(), Some(&kept), "it is used all the time");
        }
        let recent = locked(&at_hand.recent);
        let held: usize = recent.contents.iter().map(|(_, content)| content.len() + EACH).sum();
        assert_eq!(held, recent.bytes);
        assert!(recent.bytes <= RECENT_BYTES && recent.bytes > RECENT_BYTES - 2_000, "{}", recent.bytes);
        assert!(recent.contents.contains(&content(19_999, 1_000).0));
        assert!(!recent.contents.contains(&content(1, 1_000).0));
        drop(recent);
        at_hand.forget();
        assert_eq!(at_hand.in_memory(first), None);
    }
}
