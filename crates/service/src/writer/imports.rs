//! Imports as acts: what each does is written beside it, in the same transaction, and becomes acts when the import ends; of one
//! that was cut off with the service, at the next start. A very large one is several acts, each to be taken back on its own:
//! nothing holds all of it.

use std::collections::HashMap;

use yadori_core::ClipId;
use yadori_core::acts::log::ActEntry;
use yadori_core::acts::record::{ClipChange, DrawerRecord};
use yadori_core::acts::{ActKind, ActRecord};
use yadori_store::{ActRow, Brought, BroughtRow, CommitError, Group};

use crate::home::random::random;
use crate::state::clock::now;
use crate::writer::acts::PAYLOAD;
use crate::writer::change::ImportId;
use crate::writer::error::WriteError;
use crate::writer::worker::Writer;

/// Clips that one act knows of.
const AT_ONCE: u32 = 10_000;
/// Bytes of what one act knows that are added up: its record has some more.
const BYTES: usize = PAYLOAD / 2;

fn row_of(import: ImportId, subject: [u8; 16], record: &ActRecord) -> Option<BroughtRow> {
    let body =
        record.to_bytes().inspect_err(|why| tracing::error!("what an import does can't be noted: {why}"));
    Some(BroughtRow { import, subject, body: body.ok()? })
}

/// What an import does to a drawer, to be written with it.
pub(super) fn drawer_row(import: ImportId, drawer: DrawerRecord) -> Option<BroughtRow> {
    let mut subject = [0; 16];
    subject.copy_from_slice(&blake3::hash(drawer.id.as_bytes()).as_bytes()[..16]);
    row_of(import, subject, &ActRecord { drawers: vec![drawer], ..ActRecord::default() })
}

/// What imports do to clips, to be written with it.
pub(super) fn clip_rows(brought: Vec<(ImportId, ClipChange)>) -> Vec<BroughtRow> {
    let mut all: Vec<(ImportId, ClipChange)> = Vec::with_capacity(brought.len());
    let mut places: HashMap<(ImportId, ClipId), usize> = HashMap::new();
    for (import, change) in brought {
        match places.get(&(import, change.id)).and_then(|at| all.get_mut(*at)) {
            Some((_, known)) => known.after = change.after,
            None => {
                places.insert((import, change.id), all.len());
                all.push((import, change));
            }
        }
    }
    let record = |change| ActRecord { clips: vec![change], ..ActRecord::default() };
    let changes = all.into_iter().filter(|(_, change)| change.before != change.after);
    changes.filter_map(|(import, change)| row_of(import, change.id.0, &record(change))).collect()
}

/// What an act of an import knows.
fn record_of(rows: &[Brought]) -> ActRecord {
    let mut record = ActRecord::default();
    for row in rows {
        let (first, later) =
            (ActRecord::from_bytes(&row.body), row.later.as_deref().map(ActRecord::from_bytes));
        let (Some(mut first), Some(later)) = (first, later.unwrap_or_else(|| Some(ActRecord::default())))
        else {
            tracing::warn!("what an import has done to a clip is damaged, and can't be taken back");
            continue;
        };
        for (one, later) in first.clips.iter_mut().zip(later.clips) {
            one.after = later.after;
        }
        record.clips.extend(first.clips.into_iter().filter(|one| one.before != one.after));
        record.drawers.extend(first.drawers);
    }
    record
}

impl Writer {
    /// What an import has done behind a number becomes an act, as much as one knows of, and is not noted any more. Gives the
    /// number up to which, and whether it is one; none where there is no more.
    pub(super) async fn imported(
        &mut self,
        import: ImportId,
        after: u64,
    ) -> Result<Option<(u64, bool)>, WriteError> {
        self.writable()?;
        let Some(store) = self.store.clone() else { return Err(self.unavailable()) };
        let mut rows = match store.brought(import, after, AT_ONCE).await {
            Ok(rows) => rows,
            Err(why) => {
                self.fall_back(&CommitError::Away(why.to_string()));
                return Err(self.unavailable());
            }
        };
        let mut bytes = 0;
        let fits = rows.iter().position(|row| {
            bytes += row.body.len().max(row.later.as_ref().map_or(0, Vec::len));
            bytes > BYTES
        });
        rows.truncate(fits.map_or(rows.len(), |fits| fits.max(1)));
        let Some(upto) = rows.last().map(|row| row.n) else { return Ok(None) };
        let mut record = record_of(&rows);
        {
            // Of what was removed meanwhile nothing is kept that could outlive it.
            let history = self.app.clips.history();
            record.clips.retain(|one| history.has(one.id));
        }
        let mut group = Group {
            now: now(),
            clock: self.clock.last(),
            brought_ended: vec![(import, upto)],
            ..Group::default()
        };
        let entry = self.act_of_import(random().map_err(|_| WriteError::NoRandomness)?, &record)?;
        let entry = entry.map(|(row, entry)| {
            group.acts.push(row);
            group.ended = self.log.ended_by_new();
            entry
        });
        self.commit_act(&group).await?;
        let is_act = entry.is_some();
        if let Some(entry) = entry {
            self.has_act(&group.ended, entry);
        }
        Ok(Some((upto, is_act)))
    }

    fn act_of_import(
        &self,
        id: [u8; 16],
        record: &ActRecord,
    ) -> Result<Option<(ActRow, ActEntry)>, WriteError> {
        if record.is_empty() {
            return Ok(None);
        }
        let payload = record.to_bytes().map_err(|_| WriteError::DamagedRecord)?;
        if payload.len() > PAYLOAD {
            return Err(WriteError::TooMany(record.clips.len()));
        }
        let first = record.clips.first().map(|one| one.id.to_string());
        let subject = first.or_else(|| record.drawers.first().map(|one| one.id.clone()));
        Ok(Some(self.new_act((id, ActKind::Import), record, payload, subject)))
    }

    /// The act of a clip that was brought in by itself; none if that changes nothing.
    pub(super) fn brought_alone(&self, act: [u8; 16], change: ClipChange) -> Option<(ActRow, ActEntry)> {
        if change.before == change.after {
            return None;
        }
        let record = ActRecord { clips: vec![change], ..ActRecord::default() };
        let made = self.act_of_import(act, &record);
        made.inspect_err(|why| tracing::error!("bringing in can't be recorded: {why}")).ok()?
    }

    /// An act was recorded, and has ended others.
    pub(super) fn has_act(&mut self, ended: &[[u8; 16]], entry: ActEntry) {
        self.log.end(ended);
        self.begin_ends(true);
        self.log.push(entry);
    }
}
