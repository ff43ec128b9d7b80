//! What was committed is applied to the history and the search in memory, and announced.

use std::collections::HashMap;

use yadori_core::history::stored::Held;
use yadori_core::{Clip, ClipId, Drawer, Placed, StoredClip};
use yadori_store::RefusalRow;

use crate::state::events::Happening;
use crate::state::health::LiveNow;
use crate::writer::change::Lately;
use crate::writer::worker::Writer;

/// Changes that are announced one by one at most; more are a reset.
const ONE_BY_ONE: usize = 300;

/// What is told of a change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Told {
    /// Nothing: everything is to be read anew.
    Not,
    /// That the clip has changed.
    Changed,
    /// That it was copied.
    Copied,
}

impl Writer {
    /// What is now known of a clip.
    pub(super) fn settle(&self, stored: StoredClip, saved: bool, text: Option<&str>, told: Told) {
        let id = stored.id;
        let (placed, revision) = self.app.clips.settle(stored, saved, text);
        if told != Told::Not {
            self.announce(id, placed, revision, told == Told::Copied);
        }
    }

    /// A clip that lives in memory alone.
    pub(super) fn put_fleeting(&self, clip: Clip) {
        let id = clip.id;
        let (placed, revision) = self.app.clips.put_fleeting(clip);
        self.announce(id, placed, revision, true);
    }

    /// What was read from the pictures of clips that are still there.
    pub(super) fn pictured(&self, words: &[(ClipId, String)], lately: Lately) {
        for (id, words) in words {
            self.app.clips.put_read(*id, words);
            // What was known before is told of with the clip.
            if lately == Lately::Now
                && let Some((placed, revision)) = self.app.clips.renew(*id)
            {
                self.announce(*id, placed, revision, false);
            }
        }
    }

    /// Nothing is left of a clip.
    pub(super) fn forget(&self, id: ClipId) {
        let (placed, revision) = self.app.clips.forget(id);
        self.announce(id, placed, revision, false);
    }

    fn announce(&self, id: ClipId, placed: Placed, revision: u64, copied: bool) {
        let before = placed.before.map(|place| place as u64);
        let event = match (placed.now, before) {
            (Some(place), before) => Happening::Clip { id, before, place: place as u64, revision, copied },
            (None, Some(before)) => {
                if let Some(files) = self.app.files.get().cloned() {
                    tokio::task::spawn_blocking(move || files.forget(id));
                }
                Happening::Gone { id, before, revision }
            }
            (None, None) => return,
        };
        self.app.events.send(event);
    }

    pub(super) fn announce_refusal(&self, row: &RefusalRow) {
        self.app.health.refused(row);
        self.app.health.change(|health| health.settled(row.at, LiveNow::Unkept));
        self.app.events.send(Happening::Refused(row.clone()));
    }

    /// What an act made of clips and drawers. Gives the ids of the clips.
    pub(super) fn apply(
        &mut self,
        clips: Vec<StoredClip>,
        drawers: Vec<Drawer>,
        texts: &HashMap<ClipId, String>,
    ) -> Vec<ClipId> {
        let ids: Vec<ClipId> = clips.iter().map(|clip| clip.id).collect();
        let was_pinned = {
            let history = self.app.clips.history();
            ids.iter().any(|id| history.get(*id).is_some_and(|clip| clip.state.is_pinned()))
        };
        let kept = !drawers.is_empty() || was_pinned || clips.iter().any(|clip| clip.state.is_pinned());
        let one_by_one = clips.len() <= ONE_BY_ONE;
        let changed: Vec<String> = drawers.iter().map(|drawer| drawer.id.clone()).collect();
        let mut quiet = !one_by_one;
        for clip in clips {
            self.on_disk.remove(&clip.id);
            let text = texts.get(&clip.id).map(String::as_str);
            self.settle(clip, true, text, if one_by_one { Told::Changed } else { Told::Not });
        }
        for drawer in drawers {
            // The name of a drawer is searched with its clips.
            let touched = self.app.clips.settle_drawer(drawer);
            let few = touched.len() <= ONE_BY_ONE;
            quiet |= !few;
            for clip in touched {
                let saved = clip.held != Held::Waiting;
                self.settle(
                    StoredClip::from(&*clip),
                    saved,
                    None,
                    if few { Told::Changed } else { Told::Not },
                );
            }
        }
        if quiet {
            self.app.events.send(Happening::Reset);
        }
        if kept {
            self.app.events.send(Happening::Kept(changed));
        }
        self.app.health.touch();
        ids
    }
}
