//! Clips that live in memory alone, on purpose: recognised secrets, and what a rule masks. They never come into the queue
//! of what waits to be recorded; they have an id of their own that tells nothing of what they are; they end by
//! themselves. Only pinning one makes it a clip like any other.

use yadori_core::acts::{Act, ActError, Moment, Place, capture};
use yadori_core::clip::secret::SecretKind;
use yadori_core::history::stored::Held;
use yadori_core::{Clip, ClipId, ClipState, Facts, Micros, StoredClip};

use crate::home::random::random;
use crate::state::clock::now;
use crate::state::health::LiveNow;
use crate::writer::change::{Capture, PartOf, With};
use crate::writer::error::WriteError;
use crate::writer::secret::Fleeting;
use crate::writer::worker::Writer;

/// Clips of this kind at most: the oldest ends when there are more.
const MOST: usize = 200;
/// Bytes of them at most.
const MOST_BYTES: u64 = 64 << 20;

impl Writer {
    /// A copy is held in memory alone, for so many minutes.
    pub(super) fn hold_fleeting(&mut self, one: Capture, minutes: f64) {
        let Ok(id) = random::<16>() else { return };
        let id = ClipId(id);
        // The same once more takes the place of what was there.
        let real = one.copied.id;
        for old in self
            .fleeting
            .iter()
            .filter(|old| old.capture.copied.id == real)
            .map(|old| old.id)
            .collect::<Vec<_>>()
        {
            self.end_fleeting(old);
        }
        while self.fleeting.len() >= MOST
            || self.fleeting.iter().map(|old| old.capture.bytes()).sum::<u64>() + one.bytes() > MOST_BYTES
        {
            let Some(oldest) = self.fleeting.first().map(|old| old.id) else { break };
            self.end_fleeting(oldest);
        }
        #[allow(clippy::cast_possible_truncation)]
        let span = (minutes * 60e6) as Micros;
        let (until, ends) = (now().saturating_add(span), self.steady.now().saturating_add(span));
        let newest = self.app.clips.history().newest();
        let unknown = StoredClip { id, state: ClipState::default(), facts: None, ordered_at: 0 };
        let mut moment = Moment { now: now(), clock: &mut self.clock };
        let stored = capture(unknown, &one.copied, newest, &mut moment);
        let facts = masked(&one.copied.facts);
        let clip = Clip {
            id,
            state: stored.state,
            facts,
            ordered_at: stored.ordered_at,
            held: Held::Fleeting { until },
        };
        self.app.at_hand.hold_fleeting(id, &one.contents);
        let (at, live) = (one.copied.at, one.live && !one.copied.at_start);
        self.fleeting.push(Fleeting { id, ends, capture: one });
        self.put_fleeting(clip);
        self.app.health.change(|health| {
            if live {
                health.last_copy_at = health.last_copy_at.max(Some(at));
            }
            health.settled(at, LiveNow::Clip(id, false));
        });
    }

    /// The next moment at which one ends, by the steady clock.
    pub(super) fn next_fleeting(&self) -> Option<Micros> {
        self.fleeting.iter().map(|one| one.ends).min()
    }

    /// Ends those whose time has come.
    pub(super) fn sweep_fleeting(&mut self) {
        let steady = self.steady.now();
        let over: Vec<ClipId> =
            self.fleeting.iter().filter(|one| one.ends <= steady).map(|one| one.id).collect();
        for id in over {
            self.end_fleeting(id);
        }
    }

    /// Nothing of it stays, on the clipboard neither.
    pub(super) fn end_fleeting(&mut self, id: ClipId) {
        let Some(at) = self.fleeting.iter().position(|one| one.id == id) else { return };
        let one = self.fleeting.remove(at);
        self.app.at_hand.let_go_fleeting(id);
        if let Some(desk) = &self.app.desk {
            desk.forget(one.capture.copied.at);
        }
        self.forget(id);
        self.app.health.change(|health| {
            if matches!(health.live, LiveNow::Clip(live, _) if live == id) {
                health.live = LiveNow::Unkept;
            }
        });
    }

    /// Ends those that a clearing takes. Gives how many.
    pub(super) fn clear_fleeting(&mut self, takes: impl Fn(&Clip) -> bool) -> u64 {
        let ids: Vec<ClipId> = {
            let history = self.app.clips.history();
            let known = self.fleeting.iter().filter_map(|one| history.get(one.id));
            known.filter(|clip| takes(clip)).map(|clip| clip.id).collect()
        };
        ids.iter().for_each(|id| self.end_fleeting(*id));
        ids.len() as u64
    }

    fn is_fleeting(&self, id: ClipId) -> bool {
        self.fleeting.iter().any(|one| one.id == id)
    }

    /// An act that names clips of this kind: removing ends them, pinning records them, and nothing else can be done with
    /// them. Gives the act on what is left, or (`None`) that nothing is.
    pub(super) async fn act_on_fleeting(
        &mut self,
        act: &Act,
        with: &With,
    ) -> Result<Option<(Option<Act>, u64)>, WriteError> {
        let named: Vec<ClipId> = act.clips().into_iter().filter(|id| self.is_fleeting(*id)).collect();
        if named.is_empty() {
            return Ok(None);
        }
        match act {
            Act::Remove { clips, spare_pinned } => {
                named.iter().for_each(|id| self.end_fleeting(*id));
                let clips: Vec<ClipId> = clips.iter().filter(|id| !named.contains(id)).copied().collect();
                let rest = Act::Remove { spare_pinned: *spare_pinned, clips };
                let left = !rest.clips().is_empty();
                Ok(Some((left.then_some(rest), named.len() as u64)))
            }
            Act::Keep { clips, place, before } if *place != Place::Nowhere => {
                if !with.secrets {
                    return Err(WriteError::Secret);
                }
                let mut kept = Vec::with_capacity(clips.len());
                for id in clips {
                    kept.push(if named.contains(id) { self.record_fleeting(*id).await? } else { *id });
                }
                let act = Act::Keep { clips: kept, place: place.clone(), before: before.clone() };
                Ok(Some((Some(act), 0)))
            }
            _ => Err(WriteError::Act(ActError::Fleeting)),
        }
    }

    /// It becomes a clip like any other, but for its mask. Gives its id from now on.
    async fn record_fleeting(&mut self, id: ClipId) -> Result<ClipId, WriteError> {
        let at = self.fleeting.iter().position(|one| one.id == id);
        let one = &self.fleeting[at.ok_or(WriteError::Act(ActError::NoneThere))?].capture;
        let capture = Capture {
            part_of: PartOf::Nothing,
            copied: one.copied.clone(),
            contents: one.contents.clone(),
            text: None,
            staged: false,
            live: false,
            done: None,
        };
        let real = capture.copied.id;
        if !self.save_one(capture).await {
            return Err(self.unavailable());
        }
        self.end_fleeting(id);
        Ok(real)
    }
}

/// What may be told of it: what it was recognised as, and nothing of its words or their number.
fn masked(facts: &Facts) -> Facts {
    Facts {
        secret: facts.secret.or(Some(SecretKind::Ruled)),
        formatted: false,
        size: facts.size,
        ..Facts::of_text("", 0, false)
    }
}
