//! Imports as acts: what each has done is gathered while it is under way (`brought.rs`), and recorded when it ends.

use yadori_core::acts::ActKind;
use yadori_core::acts::log::ActEntry;
use yadori_core::acts::record::ClipChange;
use yadori_store::{ActRow, Group};

use crate::home::random::random;
use crate::state::clock::now;
use crate::writer::acts::PAYLOAD;
use crate::writer::brought::Brought;
use crate::writer::change::ImportId;
use crate::writer::error::WriteError;
use crate::writer::worker::Writer;

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
            self.has_act(&group.ended, entry);
        }
        Ok(count)
    }

    /// The act of a clip that was brought in by itself; none if that changes nothing.
    pub(super) fn brought_alone(&self, act: ImportId, change: ClipChange) -> Option<(ActRow, ActEntry)> {
        let mut brought = Brought::default();
        brought.clip(change);
        let record = brought.records().pop()?;
        let payload = record
            .to_bytes()
            .inspect_err(|why| tracing::error!("bringing in can't be recorded: {why}"))
            .ok()?;
        let subject = record.clips.first().map(|one| one.id.to_string());
        Some(self.new_act((act, ActKind::Import), &record, payload, subject))
    }

    /// An act was recorded, and has ended others.
    pub(super) fn has_act(&mut self, ended: &[[u8; 16]], entry: ActEntry) {
        self.log.end(ended);
        self.begin_ends(true);
        self.log.push(entry);
    }
}
