//! Contents that are too large for a record: sent in parts before the record that lists them, fetched as they are needed, the
//! smaller ones at once.

use std::sync::PoisonError;
use std::time::Duration;

use yadori_core::clip::reading::plain_form;
use yadori_core::{Content, Digest};
use yadori_store::{BlobRow, ReadError};
use yadori_sync::blob::{open_part, parts, seal_part};
use yadori_sync::body::BlobKey;

use super::exchanger::{Current, Exchanger};
use super::link::LinkError;
use super::trouble::Trouble;
use crate::home::random::random;

/// Contents up to this size are fetched as soon as they are known.
const AT_ONCE: u64 = 8 << 20;
/// Of so many it is asked at once which are to be fetched.
const ASKED: u32 = 20;
/// How long a content that could not be fetched is left alone.
const LATER: Duration = Duration::from_secs(30);

/// How far a content has come to the hub.
#[derive(Debug)]
pub(super) enum Uploaded {
    /// The hub has every part of this blob.
    Whole(BlobKey),
    /// Some parts are still to go: other things come first, for a moment.
    More,
    /// The content is not here.
    Missing,
}

/// Parts that go at once before it is looked what else there is to send.
const PARTS: u32 = 4;

impl Exchanger {
    /// Sends some parts of a content, if it is its turn: one is sent at a time, however many wait, and then it is the next
    /// one's.
    pub(super) async fn upload(
        &self,
        current: &Current,
        (digest, size): (Digest, u64),
        turn: &mut bool,
    ) -> Result<Uploaded, Trouble> {
        let random_of = || random::<32>().map_err(|_| Trouble::NoRandomness);
        let mut row = match current.store.blob(digest).await? {
            Some(row) => row,
            None => {
                let (name, key) = (random_of()?, random_of()?);
                let name = *name.first_chunk().unwrap_or(&[0; 16]);
                let row = BlobRow { digest, name, key, size, sent: 0 };
                current.store.keep_blob(&row).await?;
                row
            }
        };
        let count = parts(size);
        if u64::from(row.sent) < count && !std::mem::take(turn) {
            return Ok(Uploaded::More);
        }
        for _ in 0..PARTS {
            if u64::from(row.sent) >= count {
                break;
            }
            let bytes = match current.store.chunk(digest, row.sent).await {
                Ok(bytes) => zeroize::Zeroizing::new(bytes),
                Err(ReadError::Damaged(_)) => return Ok(Uploaded::Missing),
                Err(why) => return Err(why.into()),
            };
            let last = u64::from(row.sent) + 1 == count;
            let Some(part) = seal_part(&row.key, u64::from(row.sent), last, &bytes) else {
                return Ok(Uploaded::Missing);
            };
            current.link.put_part(&current.member.asker(), (row.name, row.sent), part).await?;
            self.reached();
            row.sent += 1;
            current.store.keep_blob(&row).await?;
        }
        let whole = u64::from(row.sent) >= count;
        Ok(if whole { Uploaded::Whole(BlobKey { name: row.name, key: row.key }) } else { Uploaded::More })
    }

    /// Fetches a content that is a blob. False: it is none, or the hub does not have it.
    async fn fetch_one(&self, current: &Current, digest: Digest) -> Result<bool, Trouble> {
        let Some(row) = current.store.blob(digest).await? else { return Ok(false) };
        let count = parts(row.size);
        // What an earlier try has fetched of it is not fetched again.
        let held = self.partial.lock().await.take().filter(|(of, _)| *of == digest);
        let mut fetched = held.map_or_else(Vec::new, |(_, fetched)| fetched);
        while (fetched.len() as u64) < count {
            let n = u32::try_from(fetched.len()).unwrap_or(u32::MAX);
            let last = u64::from(n) + 1 == count;
            let part = match current.link.part(&current.member.asker(), (row.name, n)).await {
                Ok(part) => part,
                Err(LinkError::Refused { .. }) => return Ok(false),
                Err(why) => {
                    *self.partial.lock().await = Some((digest, fetched));
                    return Err(why.into());
                }
            };
            self.reached();
            let Some(bytes) = open_part(&row.key, u64::from(n), last, &part) else { return Ok(false) };
            fetched.push(bytes);
        }
        let mut whole = Vec::with_capacity(usize::try_from(row.size).unwrap_or(0));
        fetched.iter().for_each(|part| whole.extend_from_slice(part));
        drop(fetched);
        let content = Content::new(whole);
        if content.digest() != digest {
            return Ok(false);
        }
        self.disk.stage_one(&current.store, digest, &content).await?;
        self.app.at_hand.came(digest);
        let clip = self.far_texts.lock().unwrap_or_else(PoisonError::into_inner).remove(&digest);
        if let Some(clip) = clip.and_then(|id| self.app.clips.get(id))
            && let Ok(offer) = self.app.at_hand.texts_of(&clip).await
        {
            self.app.clips.whole_text(clip.id, &plain_form(&offer).unwrap_or_default());
        }
        Ok(true)
    }

    /// Fetches what is small as soon as it is known, for ever.
    pub(super) async fn fetch_small(&self, current: &Current) -> Result<(), Trouble> {
        loop {
            let far = current.store.far(AT_ONCE, ASKED).await?;
            let mut came = 0;
            for digest in &far {
                came += usize::from(self.fetch_one(current, *digest).await?);
            }
            if came > 0 {
                continue;
            }
            // Those that did not come are left alone for a while.
            let later = async {
                if far.is_empty() {
                    std::future::pending::<()>().await;
                }
                tokio::time::sleep(LATER).await;
            };
            tokio::select! {
                () = self.far.notified() => {}
                () = later => {}
            }
        }
    }

    /// Fetches what someone needs now, until the service ends.
    pub async fn fetch_wanted(self) {
        let mut wanted = self.app.at_hand.fetch_by();
        loop {
            let (digest, done) = tokio::select! {
                wanted = wanted.recv() => match wanted {
                    Some(wanted) => wanted,
                    None => return,
                },
                () = self.app.shutdown.cancelled() => return,
            };
            let this = self.clone();
            self.app.parts.start("fetching a content", async move {
                let fetched = match this.current() {
                    Some(current) => this.fetch_one(&current, digest).await.unwrap_or(false),
                    None => false,
                };
                let _ = done.send(fetched);
            });
        }
    }
}
