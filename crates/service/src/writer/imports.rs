//! Imports as acts: what each has done is gathered while it is under way (`brought.rs`), and recorded when it ends.

use yadori_core::acts::ActKind;
use yadori_store::Group;

use crate::home::random::random;
use crate::state::clock::now;
use crate::writer::acts::PAYLOAD;
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
            self.log.end(&group.ended);
            self.begin_ends(true);
            self.log.push(entry);
        }
        Ok(count)
    }
}
