//! Contents at hand: those of copies that wait for the database, the newest ones, and small pictures made of some. All of
//! it is let go of when something that was removed comes to its end.

use std::collections::{HashMap, VecDeque};
use std::sync::{Mutex, MutexGuard, PoisonError};

use bytes::Bytes;
use tokio::sync::watch;
use yadori_core::clip::mime;
use yadori_core::{Clip, Content, Digest, Offer, Representation};
use yadori_store::{ReadError, Store};

/// Bytes of recent contents kept at hand.
const RECENT_BYTES: usize = 8 * 1024 * 1024;
/// Small pictures kept at hand, and their bytes at most.
const PICTURES: usize = 60;
const PICTURE_BYTES: usize = 8 * 1024 * 1024;

/// A small picture: its type, and its bytes.
pub type Small = (&'static str, Bytes);

/// Contents in memory, and the way to those that are not.
#[derive(Debug)]
pub struct AtHand {
    store: watch::Sender<Option<Store>>,
    waiting: Mutex<HashMap<Digest, Content>>,
    recent: Mutex<VecDeque<(Digest, Content)>>,
    pictures: Mutex<VecDeque<((Digest, u32), Small)>>,
}

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
            recent: Mutex::default(),
            pictures: Mutex::default(),
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

    /// Keeps contents while they are in no database.
    pub(crate) fn keep_waiting(&self, contents: &[(Digest, Content)]) {
        locked(&self.waiting).extend(contents.iter().cloned());
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
        let mut recent = locked(&self.recent);
        recent.retain(|(known, _)| *known != digest);
        recent.push_front((digest, content.clone()));
        let mut bytes = 0;
        recent.retain(|(_, content)| {
            bytes += content.len() + 64;
            bytes <= RECENT_BYTES
        });
    }

    /// Something that was removed has come to its end: nothing that may hold it stays.
    pub(crate) fn forget(&self) {
        locked(&self.recent).clear();
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
        locked(&self.waiting).get(&digest).cloned().or_else(|| {
            locked(&self.recent)
                .iter()
                .find(|(known, _)| *known == digest)
                .map(|(_, content)| content.clone())
        })
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
        let store = self.store().ok_or(ContentError::Away)?;
        store.content(digest).await.map_err(|why| match why {
            ReadError::Away(_) => ContentError::Away,
            ReadError::Damaged(_) => ContentError::Damaged,
        })
    }

    /// The whole offer of a clip, as it is handed back.
    ///
    /// # Errors
    /// As [`AtHand::content`].
    pub async fn offer(&self, clip: &Clip) -> Result<Offer, ContentError> {
        let record = clip.state.offer().ok_or(ContentError::Damaged)?;
        let mut representations = Vec::with_capacity(record.representations.len());
        for one in &record.representations {
            let content = self.content(one.digest).await?;
            representations.push(Representation { mime: one.mime.clone(), content });
        }
        Ok(Offer { representations, source: record.source.clone(), at: clip.copied_at() })
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
        Ok(Offer { representations, source: record.source.clone(), at: clip.copied_at() })
    }
}
