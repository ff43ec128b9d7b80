//! What copies do to the records: planned on a picture of the clips, without touching anything.

use std::collections::HashMap;

use yadori_core::merge::register::Written;
use yadori_core::{ClipId, ClipState, Color, Digest, Facts, Kept, Micros, OfferRecord, RepresentationRecord};
use yadori_store::{CHUNK, ClipRow, Group, RefusalRow};

use super::{Capture, Keeper};
use crate::app::now;

/// What is known of a clip that comes from elsewhere. It fills what is not set here, and changes nothing else.
#[derive(Debug, Clone, Default)]
pub struct Extra {
    /// Its title.
    pub title: Option<String>,
    /// Its color.
    pub color: Option<Color>,
    /// Where it is kept.
    pub kept: Option<Kept>,
    /// How often it was copied.
    pub copies: u64,
}

/// Changes that are committed together.
#[derive(Debug, Default)]
pub(super) struct Plan {
    pub(super) captures: Vec<Capture>,
    pub(super) refusals: Vec<RefusalRow>,
}

impl Plan {
    pub(super) fn is_empty(&self) -> bool {
        self.captures.is_empty() && self.refusals.is_empty()
    }
}

/// A clip as it will be.
#[derive(Debug, Clone)]
pub(super) struct Planned {
    pub(super) state: ClipState,
    pub(super) facts: Facts,
    pub(super) received_at: Micros,
}

/// A group of changes, and the clips as they will be after it, in the order of the changes.
#[derive(Debug, Default)]
pub(super) struct Draft {
    pub(super) group: Group,
    pub(super) clips: Vec<(ClipId, Planned)>,
}

impl Keeper {
    /// A clip as it is on disk: what a change to be committed starts from.
    fn known(&self, id: ClipId) -> ClipRow {
        if let Some(on_disk) = self.on_disk.get(&id) {
            return on_disk.clone().unwrap_or_else(|| self.unknown(id));
        }
        self.shown(id)
    }

    /// A clip as it is shown: what a copy that has to wait starts from.
    pub(super) fn shown(&self, id: ClipId) -> ClipRow {
        self.app.history().get(id).map_or_else(|| self.unknown(id), |clip| ClipRow::from(&**clip))
    }

    fn unknown(&self, id: ClipId) -> ClipRow {
        ClipRow {
            id,
            state: self.tombstones.get(&id).cloned().unwrap_or_default(),
            facts: None,
            received_at: 0,
        }
    }

    /// What one copy makes of a clip.
    pub(super) fn plan_capture(&mut self, capture: &Capture, known: ClipRow) -> Planned {
        let ClipRow { mut state, facts, received_at, .. } = known;
        if capture.standing && state.offer().is_some() {
            // It was there when the service started, and the history has it: no new copy.
            return Planned {
                state,
                facts: facts.unwrap_or_else(|| capture.reading.facts.clone()),
                received_at,
            };
        }
        let record = record_of(capture);
        let now = now();
        if let Some(extra) = capture.extra.as_deref().filter(|_| state.offer().is_some()) {
            let facts = facts.unwrap_or_else(|| capture.reading.facts.clone());
            self.fill_in(&mut state, extra);
            return Planned { state, facts, received_at };
        }
        let stamp = self.clock.tick(u64::try_from(now / 1_000).unwrap_or(0), state.newest_stamp());
        state.capture(record.clone(), capture.at, stamp);
        if let Some(extra) = capture.extra.as_deref() {
            if let Some(copies) = state.copies.get_mut(&stamp.device) {
                copies.ever += extra.copies.saturating_sub(1);
            }
            self.fill_in(&mut state, extra);
        }
        let facts = match facts {
            // A pinned clip keeps its offer, and so its facts.
            Some(facts)
                if state.offer().is_some_and(|offer| offer.representations != record.representations) =>
            {
                facts
            }
            _ => capture.reading.facts.clone(),
        };
        Planned { state, facts, received_at: now.max(received_at) }
    }

    /// Sets what is known from elsewhere and not set here.
    fn fill_in(&mut self, state: &mut ClipState, extra: &Extra) {
        if let Some(title) = extra.title.clone().filter(|_| state.title().is_none()) {
            let at = self.tick(state.newest_stamp());
            state.title = Some(Written { at, value: Some(title) });
        }
        if let Some(color) = extra.color.filter(|_| state.color().is_none()) {
            let at = self.tick(state.newest_stamp());
            state.color = Some(Written { at, value: Some(color) });
        }
        if let Some(kept) = extra.kept.clone().filter(|_| !state.is_pinned()) {
            let at = self.tick(state.newest_stamp());
            state.kept = Some(Written { at, value: kept });
        }
    }

    /// The group that commits some copies.
    pub(super) fn draft(&mut self, captures: &[Capture]) -> Draft {
        let mut draft = Draft { group: Group { now: now(), ..Group::default() }, clips: Vec::new() };
        let mut latest: HashMap<ClipId, ClipRow> = HashMap::new();
        for capture in captures {
            let id = capture.reading.id;
            let known = latest.remove(&id).unwrap_or_else(|| self.known(id));
            let before: Vec<Digest> = known.digests().collect();
            let planned = self.plan_capture(capture, known);
            let row = ClipRow {
                id,
                state: planned.state.clone(),
                facts: Some(planned.facts.clone()),
                received_at: planned.received_at,
            };
            let kept: Vec<Digest> = row.digests().collect();
            draft.group.dropped.extend(
                before.into_iter().filter(|digest| !kept.contains(digest)).map(|digest| (id.0, digest)),
            );
            for (digest, content) in &capture.contents {
                if !kept.contains(digest) {
                    continue; // a pinned clip keeps its offer
                }
                if content.len() > CHUNK {
                    draft.group.staged.push(*digest);
                } else if !draft.group.contents.iter().any(|(known, _)| known == digest) {
                    draft.group.contents.push((*digest, content.clone()));
                }
            }
            latest.insert(id, row);
            draft.clips.push((id, planned));
        }
        // Copied again within the group: what an earlier copy dropped may be needed once more.
        draft.group.dropped.retain(|(holder, digest)| {
            latest.get(&ClipId(*holder)).is_none_or(|row| row.digests().all(|kept| kept != *digest))
        });
        draft.group.clips = latest.into_values().collect();
        draft.group.clock = self.clock.last();
        draft
    }
}

pub(super) fn record_of(capture: &Capture) -> OfferRecord {
    let offer = &capture.reading.offer;
    let representations = offer
        .representations
        .iter()
        .zip(&capture.contents)
        .map(|(one, (digest, content))| RepresentationRecord {
            mime: one.mime.clone(),
            size: content.len() as u64,
            digest: *digest,
        })
        .collect();
    OfferRecord { representations, source: offer.source.clone() }
}
