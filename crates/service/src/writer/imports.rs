//! Imports as acts: what each has done is gathered while it is under way, and recorded when it ends. A very large one is
//! several acts, each to be taken back on its own.

use std::collections::HashMap;

use yadori_core::acts::face::DrawerFace;
use yadori_core::acts::record::{ClipChange, DrawerRecord};
use yadori_core::acts::{ActKind, ActRecord};
use yadori_core::{ClipId, Drawer};
use yadori_store::Group;

use crate::home::random::random;
use crate::state::clock::now;
use crate::writer::acts::PAYLOAD;
use crate::writer::change::ImportId;
use crate::writer::error::WriteError;
use crate::writer::worker::Writer;

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
    fn records(self) -> Vec<ActRecord> {
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

impl Writer {
    /// An import has ended. Gives how many acts take it back.
    pub(super) async fn imported(&mut self, import: ImportId) -> Result<usize, WriteError> {
        let Some(brought) = self.imports.remove(&import) else { return Ok(0) };
        self.writable()?;
        let records = brought.records();
        let count = records.len();
        for (n, record) in records.into_iter().enumerate() {
            let payload = record.to_bytes().map_err(|_| WriteError::DamagedRecord)?;
            if payload.len() > PAYLOAD {
                return Err(WriteError::TooMany(record.clips.len()));
            }
            let id = if n == 0 { import } else { random().map_err(|_| WriteError::NoRandomness)? };
            let first = record.clips.first().map(|one| one.id.to_string());
            let subject = first.or_else(|| record.drawers.first().map(|one| one.id.clone()));
            let (row, entry) = self.new_act((id, ActKind::Import), &record, payload, subject);
            let group = Group {
                now: now(),
                clock: self.clock.last(),
                ended: self.log.ended_by_new(),
                acts: vec![row],
                ..Group::default()
            };
            self.commit_act(&group).await?;
            self.log.end(&group.ended);
            self.begin_ends(true);
            self.log.push(entry);
        }
        Ok(count)
    }
}
