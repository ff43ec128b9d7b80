//! What is said of a subject to other devices.

use yadori_core::batch::shared::ItemSaid;
use yadori_core::clip::facts::Facts;
use yadori_core::exchange::{Travels, what_always_travels};
use yadori_core::{Clip, ClipState, Digest, StoredClip};
use yadori_store::{DueRow, DueState};
use yadori_sync::body::{ClipBody, DEVICE, DeviceBody, Held, ItemBody, SENT, SentBody, read_sent_id};

use super::blobs::Uploaded;
use super::exchanger::{Current, Exchanger};
use super::trouble::Trouble;
use crate::state::at_hand::ContentError;
use crate::state::clock::now;

/// Bytes of contents that stand in a record.
const INLINE: u64 = 600 << 10;

/// Contents as they stand in a record, and the names of the blobs among them.
type Contents = (Vec<(Digest, Held)>, Vec<[u8; 16]>);

/// What is to be sent of something.
#[derive(Debug)]
pub(super) enum Body {
    /// This, which lists these blobs.
    Says(Vec<u8>, Vec<[u8; 16]>),
    /// This, which is not the whole of a clip that others may have.
    SaysInPart(Vec<u8>),
    /// Nothing.
    Nothing,
    /// Nothing yet: some of its contents are still on their way to the hub.
    Later,
}

/// Secrets are never sent, nor what a rule keeps here, whoever asks.
pub(super) fn may_be_sent(clip: &Clip) -> bool {
    !clip.is_secret() && !clip.facts.here
}

/// What is said whole, as JSON; nothing where it does not travel.
fn said<T: serde::Serialize>(state: &T, kept_back: bool) -> Body {
    let state = if kept_back { None } else { serde_json::to_vec(state).ok() };
    state.map_or(Body::Nothing, |state| Body::Says(state, Vec::new()))
}

impl Exchanger {
    /// What is to be sent of something that waits.
    ///
    /// # Errors
    /// It can't be read now, or what is too large for a record can't be sent.
    pub(super) async fn body_of(
        &self,
        current: &Current,
        due: DueRow,
        turn: &mut bool,
    ) -> Result<Body, Trouble> {
        let travels = &self.app.settings().exchange.travels;
        let quiet = *travels == Travels::Nothing;
        match due.state {
            DueState::Clip(stored) => self.body_of_clip(current, *stored, due.sent, turn).await,
            DueState::Drawer(state) => Ok(said(&*state, quiet && !(due.sent && state.name().is_none()))),
            DueState::Batch(head) => {
                let named = head.said.as_ref().is_some_and(|said| said.value.name.is_some());
                let held_back = quiet || (*travels == Travels::Favorites && !named);
                Ok(said(&*head, held_back && !(due.sent && head.removed.is_some())))
            }
            DueState::Rules(rules) => Ok(said(&*rules, quiet)),
            DueState::Item { at, named, item } => {
                self.body_of_item(
                    current,
                    ItemSaid { at, piece: item.map(|item| item.piece) },
                    named,
                    due.sent,
                    turn,
                )
                .await
            }
            DueState::Other if due.subject.0 == DEVICE => {
                let travels = self.app.settings().exchange.travels.to_string();
                let says = DeviceBody { name: current.member.keys.name.clone(), travels };
                Ok(Body::Says(says.to_bytes(), Vec::new()))
            }
            DueState::Other if due.subject.0 == SENT => {
                let clip = read_sent_id(&due.subject.1)
                    .and_then(|(_, clip)| self.app.clips.history().get(clip))
                    .filter(|clip| may_be_sent(clip));
                // It may have gone meanwhile.
                let Some(clip) = clip else { return Ok(Body::Nothing) };
                let whole = self.whole(current, clip.state.clone(), Some(clip.facts.clone()), turn).await?;
                let Some((clip, blobs)) = whole else { return Ok(Body::Later) };
                Ok(Body::Says(SentBody { at: now(), clip }.to_bytes(), blobs))
            }
            DueState::Other => Ok(Body::Nothing),
        }
    }

    async fn body_of_clip(
        &self,
        current: &Current,
        stored: StoredClip,
        sent: bool,
        turn: &mut bool,
    ) -> Result<Body, Trouble> {
        let travels = &self.app.settings().exchange.travels;
        let wanted =
            stored.facts.as_ref().is_some_and(|facts| travels.takes(facts, stored.state.is_pinned()));
        if !wanted {
            // What goes always travels, once the clip itself has.
            let state = what_always_travels(&stored.state);
            let body = ClipBody { state, facts: None, contents: Vec::new() };
            return Ok(match (sent, stored.state.is_there()) {
                (false, _) => Body::Nothing,
                (true, false) => Body::Says(body.to_bytes(), Vec::new()),
                (true, true) => Body::SaysInPart(body.to_bytes()),
            });
        }
        let whole = self.whole(current, stored.state, stored.facts, turn).await?;
        let Some((body, blobs)) = whole else { return Ok(Body::Later) };
        Ok(Body::Says(body.to_bytes(), blobs))
    }

    /// An item of a batch: those of a batch with a name are kept, as favorites are. That it goes always travels.
    async fn body_of_item(
        &self,
        current: &Current,
        said: ItemSaid,
        named: bool,
        sent: bool,
        turn: &mut bool,
    ) -> Result<Body, Trouble> {
        let travels = &self.app.settings().exchange.travels;
        let Some(piece) = &said.piece else {
            let body = ItemBody { said, contents: Vec::new() };
            return Ok(if sent { Body::Says(body.to_bytes(), Vec::new()) } else { Body::Nothing });
        };
        if !travels.takes(&piece.facts, named) {
            return Ok(Body::Nothing);
        }
        let needed = piece.offer.representations.iter().map(|one| (one.size, one.digest)).collect();
        let contents = self.contents_of(current, needed, turn).await?;
        let Some((contents, blobs)) = contents else { return Ok(Body::Later) };
        Ok(Body::Says(ItemBody { said, contents }.to_bytes(), blobs))
    }

    /// All of a clip, and the blobs that hold what is large of it, at the hub. `None`: not all of that is there yet.
    async fn whole(
        &self,
        current: &Current,
        state: ClipState,
        facts: Option<Facts>,
        turn: &mut bool,
    ) -> Result<Option<(ClipBody, Vec<[u8; 16]>)>, Trouble> {
        let needed = state.offers.iter().flat_map(|offer| &offer.value.representations);
        let needed = needed.map(|one| (one.size, one.digest)).collect();
        let contents = self.contents_of(current, needed, turn).await?;
        Ok(contents.map(|(contents, blobs)| (ClipBody { state, facts, contents }, blobs)))
    }

    /// Contents as they stand in a record, and the blobs that hold what is large of them, at the hub. `None`: not all of that
    /// is there yet.
    async fn contents_of(
        &self,
        current: &Current,
        mut needed: Vec<(u64, Digest)>,
        turn: &mut bool,
    ) -> Result<Option<Contents>, Trouble> {
        needed.sort_unstable();
        needed.dedup();
        // The small ones stand in the record, as many as have room there.
        let (mut contents, mut blobs, mut room) = (Vec::with_capacity(needed.len()), Vec::new(), INLINE);
        for (size, digest) in needed {
            if size <= room {
                match self.app.at_hand.content(digest).await {
                    Ok(content) => {
                        contents.push((digest, Held::Here(content.expose().to_vec())));
                        room -= size;
                    }
                    // The clip is sent without what is missing here.
                    Err(ContentError::Damaged) => {}
                    Err(ContentError::Away) => return Err(Trouble::Records),
                }
            } else {
                match self.upload(current, (digest, size), turn).await? {
                    Uploaded::Whole(blob) => {
                        blobs.push(blob.name);
                        contents.push((digest, Held::Blob(blob, size)));
                    }
                    Uploaded::More => return Ok(None),
                    Uploaded::Missing => {}
                }
            }
        }
        Ok(Some((contents, blobs)))
    }
}
