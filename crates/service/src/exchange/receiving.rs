//! What other devices have sent is fetched, opened, and merged by the writer.

use std::collections::{HashMap, HashSet};
use std::sync::PoisonError;
use std::time::Duration;

use yadori_core::acts::Arrived;
use yadori_core::batch::shared::{BatchHead, ItemKey, ItemSaid};
use yadori_core::clip::facts::HEAD_CHARS;
use yadori_core::clip::reading::plain_form;
use yadori_core::intake::shared::SharedRules;
use yadori_core::{BatchId, ClipId, Content, DeviceId, Digest, Offer, Representation};
use yadori_store::{BlobRow, CHUNK, DeviceRow, ExchangeRow};
use yadori_sync::blob::parts;
use yadori_sync::body::{
    BATCH, CLIP, ClipBody, DEVICE, DRAWER, DeviceBody, Held, ITEM, ItemBody, KEPT, RULES, SENT, SentBody,
    read_item_id, read_sent_id,
};
use yadori_sync::exchange::{Pulled, Taken};

use super::exchanger::{Current, Exchanger};
use super::handing::Came;
use super::sending::row_of;
use super::trouble::Trouble;
use crate::home::random::random;
use crate::state::clock::now;
use crate::state::exchanging::RefusedRecord;
use crate::writer::Received;

/// Between two questions at least, when the first brought nothing new.
const BETWEEN: Duration = Duration::from_millis(500);
/// For how long the hub is asked to hold a request.
const WAIT: Duration = Duration::from_secs(25);

/// What a page was made of.
#[derive(Debug, Default)]
struct Read {
    received: ReceivedParts,
    devices: HashMap<DeviceId, Vec<u8>>,
    /// Clips with the devices whose records they came in, in their order.
    came: Vec<(ClipId, DeviceId)>,
    /// Clips that were sent to this device.
    brought: Vec<Came>,
    /// Contents that are blobs, and the clips that need them.
    blobs: Vec<BlobRow>,
    far: Vec<(Digest, ClipId)>,
    unreadable: u64,
}

#[derive(Debug, Default)]
struct ReceivedParts {
    clips: Vec<Arrived>,
    contents: Vec<(Digest, Content)>,
    texts: HashMap<ClipId, String>,
    drawers: Vec<(String, yadori_core::DrawerState)>,
    batches: Vec<(BatchId, BatchHead)>,
    items: Vec<(BatchId, ItemKey, ItemSaid)>,
    rules: Vec<SharedRules>,
}

/// The text of a clip, when it is longer than its facts tell.
fn text_of(arrived: &Arrived, contents: &HashMap<Digest, Content>) -> Option<String> {
    let facts = arrived.facts.as_ref()?;
    if facts.chars <= HEAD_CHARS as u64 && facts.file_count <= facts.files.len() as u64 {
        return None;
    }
    let record = arrived.state.offer()?;
    let representations = record.representations.iter().map(|one| {
        let content = contents.get(&one.digest)?.clone();
        Some(Representation { mime: one.mime.clone(), content })
    });
    let offer = Offer {
        representations: representations.collect::<Option<Vec<_>>>()?,
        also: record.also.clone(),
        source: record.source.clone(),
        at: arrived.state.copied_at().unwrap_or(0),
    };
    plain_form(&offer)
}

impl Read {
    fn take(&mut self, taken: &Taken, own: DeviceId) {
        let read = match taken.topic.kind.as_str() {
            CLIP | KEPT => <[u8; 16]>::try_from(taken.topic.id.as_slice()).ok().and_then(|id| {
                self.take_clip(ClipId(id), ClipBody::from_bytes(&taken.body)?);
                self.came.push((ClipId(id), taken.device));
                Some(())
            }),
            SENT => read_sent_id(&taken.topic.id).and_then(|(to, clip)| {
                if to == own {
                    let SentBody { at, clip: body } = SentBody::from_bytes(&taken.body)?;
                    self.take_clip(clip, body);
                    self.brought.push(Came { clip, from: taken.device, at });
                }
                Some(())
            }),
            DRAWER => String::from_utf8(taken.topic.id.clone()).ok().and_then(|id| {
                let state = serde_json::from_slice(&taken.body).ok()?;
                self.received.drawers.push((id, state));
                Some(())
            }),
            BATCH => <[u8; 16]>::try_from(taken.topic.id.as_slice()).ok().and_then(|id| {
                self.received.batches.push((BatchId(id), serde_json::from_slice(&taken.body).ok()?));
                Some(())
            }),
            ITEM => read_item_id(&taken.topic.id).and_then(|(batch, item)| {
                let ItemBody { said, contents } = ItemBody::from_bytes(&taken.body)?;
                self.received.items.push((batch, item, said));
                let here = self.contents_here(contents, None);
                self.received.contents.extend(here);
                Some(())
            }),
            RULES => serde_json::from_slice(&taken.body).ok().map(|rules| self.received.rules.push(rules)),
            DEVICE => DeviceBody::from_bytes(&taken.body)
                .filter(|_| taken.topic.id == taken.device.0)
                .map(|_| drop(self.devices.insert(taken.device, taken.body.clone()))),
            // Of a newer program.
            _ => Some(()),
        };
        self.unreadable += u64::from(read.is_none());
    }

    /// Contents that stand in a record; where the others are is noted.
    fn contents_here(
        &mut self,
        contents: Vec<(Digest, Held)>,
        clip: Option<ClipId>,
    ) -> HashMap<Digest, Content> {
        let mut here: HashMap<Digest, Content> = HashMap::new();
        for (digest, held) in contents {
            match held {
                Held::Here(bytes) => drop(here.insert(digest, Content::new(bytes))),
                Held::Blob(blob, size) => {
                    // Whoever sent the record had sent all of it before.
                    let sent = u32::try_from(parts(size)).unwrap_or(u32::MAX);
                    self.blobs.push(BlobRow { digest, name: blob.name, key: blob.key, size, sent });
                    self.far.extend(clip.map(|clip| (digest, clip)));
                }
            }
        }
        here
    }

    fn take_clip(&mut self, id: ClipId, body: ClipBody) {
        let ClipBody { state, facts, contents } = body;
        let arrived = Arrived { id, state, facts };
        let here = self.contents_here(contents, Some(id));
        if let Some(text) = text_of(&arrived, &here) {
            self.received.texts.insert(id, text);
        }
        self.received.clips.push(arrived);
        self.received.contents.extend(here);
    }
}

impl Exchanger {
    /// Receives what comes, for ever.
    pub(super) async fn receive(&self, current: &Current) -> Result<(), Trouble> {
        current.catch_up().await?;
        self.tell_members(&current.member);
        // The first answer tells how things stand, whatever there is to be received.
        let mut wait = Duration::ZERO;
        loop {
            let seen = current.machine.lock().await.seen();
            let epoch = current.member.now().chain.epoch();
            let asked = tokio::time::Instant::now();
            let page = match current.link.pull(&current.member.asker(), (seen, epoch), wait).await {
                Ok(page) => page,
                Err(why) if why.is("struck-off") => {
                    current.catch_up().await?;
                    return Err(why.into());
                }
                Err(why) => return Err(why.into()),
            };
            self.reached();
            let held = std::mem::replace(&mut wait, WAIT) > Duration::ZERO;
            if page.epoch > epoch {
                current.catch_up().await?;
                self.tell_members(&current.member);
                self.app.health.touch();
            }
            if page.last < seen {
                let at = now();
                let why = format!(
                    "the hub's numbers went back, from {seen} to {}: it is an older copy of itself",
                    page.last
                );
                self.app.exchange.refused(RefusedRecord { at, number: page.last, why });
            }
            if !page.records.is_empty() {
                self.merge(current, page.records).await?;
            }
            let before = (seen, epoch);
            let seen = current.machine.lock().await.seen();
            if held && before == (seen, current.member.now().chain.epoch()) && asked.elapsed() < BETWEEN {
                // A hub that answers at once and says nothing new is not asked without end.
                tokio::time::sleep(BETWEEN).await;
            }
            let behind = page.last.saturating_sub(seen);
            self.app.exchange.change(|state| {
                state.behind = behind;
                if behind == 0 {
                    state.received_at = Some(now());
                }
            });
        }
    }

    async fn merge(
        &self,
        current: &Current,
        page: Vec<(u64, yadori_sync::record::Sealed)>,
    ) -> Result<(), Trouble> {
        let standing = current.member.now();
        let mut machine = current.machine.lock().await;
        let mut next = machine.clone();
        // Opening takes a while for a long page: nobody else is held up by it.
        let Pulled { taken, refused, older } =
            tokio::task::block_in_place(|| next.pulled(&page, &standing.reading(), &standing.keyring.naming));
        let count = taken.len() as u64;
        let mut read = Read::default();
        taken.iter().for_each(|one| read.take(one, current.member.device));
        if older {
            tracing::warn!("the records of this device are an older copy: it begins a new life in its group");
            next.renew(u64::from_be_bytes(random().map_err(|_| Trouble::NoRandomness)?));
        }
        let at = now();
        let before: HashSet<(DeviceId, u64, u64)> = machine.heads().iter().collect();
        let heads: Vec<_> = next.heads().iter().filter(|head| !before.contains(head)).collect();
        let heard: HashSet<DeviceId> = heads.iter().map(|(device, ..)| *device).collect();
        let devices = heard.into_iter().map(|device| DeviceRow {
            device,
            body: read.devices.remove(&device).unwrap_or_default(),
            heard_at: at,
        });
        let devices: Vec<DeviceRow> = devices.collect();
        let ReceivedParts { clips, contents, texts, drawers, batches, items, rules } = read.received;
        let ruled = !rules.is_empty();
        let large: Vec<(Digest, Content)> =
            contents.iter().filter(|(_, content)| content.len() > CHUNK).cloned().collect();
        self.disk.stage(&current.store, &large).await?;
        let blobs = std::mem::take(&mut read.blobs);
        let far = !blobs.is_empty();
        let row = ExchangeRow { heads, devices: devices.clone(), blobs, ..row_of(&next) };
        self.queue.merge(Received { clips, contents, texts, drawers, batches, items, rules, row }).await?;
        if older {
            current.store.begin_anew(&row_of(&next)).await?;
        }
        *machine = next;
        drop(machine);
        if far {
            self.far_texts.lock().unwrap_or_else(PoisonError::into_inner).extend(read.far);
            self.far.notify_one();
        }
        if ruled {
            self.ruled.notify_one();
        }
        for (number, why) in refused {
            tracing::warn!("record {number} of the group was refused: {why}");
            self.app.exchange.refused(RefusedRecord { at, number, why: why.to_string() });
        }
        if read.unreadable > 0 {
            let why = format!(
                "{} records hold what this program can't read; bring this device up to date",
                read.unreadable
            );
            self.app.exchange.refused(RefusedRecord { at, number: 0, why });
        }
        self.app.exchange.change(|state| {
            state.received += count;
            for row in devices {
                match state.devices.iter_mut().find(|known| known.device == row.device) {
                    Some(known) => {
                        known.heard_at = row.heard_at;
                        if !row.body.is_empty() {
                            known.body = row.body;
                        }
                    }
                    None => state.devices.push(row),
                }
            }
        });
        self.follow(&read.came).await;
        self.bring(&read.brought).await;
        Ok(())
    }
}
