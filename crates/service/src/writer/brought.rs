//! What an import does, gathered while it is under way. A very large one is several acts, each to be taken back on its own.

use std::collections::HashMap;

use yadori_core::acts::ActRecord;
use yadori_core::acts::face::DrawerFace;
use yadori_core::acts::record::{ClipChange, DrawerRecord};
use yadori_core::{ClipId, Drawer};

/// Clips that one act knows of.
const AT_ONCE: usize = 10_000;

/// What an import has done so far.
#[derive(Debug, Default)]
pub(super) struct Brought {
    clips: Vec<ClipChange>,
    places: HashMap<ClipId, usize>,
    drawers: Vec<DrawerRecord>,
}

impl Brought {
    /// It has done this to a clip, perhaps once more.
    pub(super) fn clip(&mut self, change: ClipChange) {
        if change.before == change.after {
            return;
        }
        match self.places.get(&change.id).and_then(|at| self.clips.get_mut(*at)) {
            Some(known) => known.after = change.after,
            None => {
                self.places.insert(change.id, self.clips.len());
                self.clips.push(change);
            }
        }
    }

    /// It has made a drawer.
    pub(super) fn drawer(&mut self, drawer: &Drawer) {
        let after = DrawerFace::of(&drawer.state);
        self.drawers.push(DrawerRecord { id: drawer.id.clone(), before: None, after });
    }

    /// As acts, in the order in which they are to be recorded: the drawers go last when all is taken back, so they come first.
    pub(super) fn records(self) -> Vec<ActRecord> {
        let mut drawers = self.drawers;
        let mut clips = self.clips.into_iter();
        let mut records = Vec::new();
        loop {
            let some: Vec<ClipChange> = clips.by_ref().take(AT_ONCE).collect();
            if some.is_empty() && drawers.is_empty() {
                return records;
            }
            records.push(ActRecord {
                clips: some,
                drawers: std::mem::take(&mut drawers),
                ..ActRecord::default()
            });
        }
    }
}
