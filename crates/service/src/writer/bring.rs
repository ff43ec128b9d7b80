//! What comes from elsewhere as a whole: drawers, and a backup that was received.

use std::collections::HashMap;
use std::sync::Arc;

use yadori_core::acts::Moment;
use yadori_core::acts::bring_drawer::{ForeignDrawer, bring_drawer};
use yadori_core::acts::face::DrawerFace;
use yadori_core::acts::record::DrawerRecord;
use yadori_core::search::Corpus;
use yadori_core::text::fold::fold;
use yadori_core::{Batch, Drawer, History};
use yadori_store::{BatchChange, Group};

use crate::state::clock::now;
use crate::state::events::Happening;
use crate::writer::change::ImportId;
use crate::writer::error::WriteError;
use crate::writer::imports::drawer_row;
use crate::writer::worker::Writer;

/// The id of a drawer that comes from elsewhere: the same each time, so that a second import finds it.
fn id_of(text: &str) -> String {
    blake3::hash(text.as_bytes()).to_hex()[..32].to_owned()
}

impl Writer {
    /// Drawers from elsewhere: a part of the import that they come with. Gives their ids by folded name.
    pub(super) async fn bring_drawers(
        &mut self,
        drawers: Vec<ForeignDrawer>,
        import: ImportId,
    ) -> Result<HashMap<String, String>, WriteError> {
        self.writable()?;
        let mut ids = HashMap::new();
        for foreign in drawers {
            let brought = {
                let history = self.app.clips.history();
                let mut moment = Moment { now: now(), clock: &mut self.clock };
                bring_drawer(&history, &foreign, id_of, &mut moment)
            };
            let Some((drawer, new)) = brought else { continue };
            ids.insert(fold(&foreign.name), drawer.id.clone());
            if new {
                // One by one: the next one's place depends on it.
                let after = DrawerFace::of(&drawer.state);
                let made = DrawerRecord { id: drawer.id.clone(), before: None, after };
                let group = Group {
                    drawers: vec![drawer],
                    brought: drawer_row(import, made).into_iter().collect(),
                    clock: self.clock.last(),
                    now: now(),
                    ..Group::default()
                };
                self.commit_act(&group).await?;
                self.apply(Vec::new(), group.drawers, &HashMap::new());
            }
        }
        Ok(ids)
    }

    /// A backup was received whole: one small row makes it the history.
    pub(super) async fn restored(
        &mut self,
        history: History,
        corpus: Corpus,
        drawers: Vec<Drawer>,
    ) -> Result<u64, WriteError> {
        self.writable()?;
        if !self.app.clips.history().is_empty() {
            return Err(WriteError::NotEmpty);
        }
        // Whatever is written from now on comes after all of it, but for what a clock far ahead has stamped.
        let now_ms = u64::try_from(now() / 1_000).unwrap_or(0);
        let clips = (1..=history.len()).filter_map(|place| history.at(place));
        clips.for_each(|clip| clip.state.stamps().for_each(|seen| self.clock.witness(now_ms, seen)));
        drawers
            .iter()
            .filter_map(|one| one.state.newest_stamp())
            .for_each(|seen| self.clock.witness(now_ms, seen));
        Moment { now: now(), clock: &mut self.clock }.stamp(None);
        let put = |batch: &Arc<Batch>| BatchChange::Put {
            batch: Box::new(Batch::clone(batch)),
            comes: batch.items.clone(),
            goes: Vec::new(),
        };
        let group = Group {
            drawers,
            batches: history.batches().shown().into_iter().map(put).collect(),
            restored: true,
            clock: self.clock.last(),
            now: now(),
            ..Group::default()
        };
        self.commit_act(&group).await?;
        let count = history.len() as u64;
        let mut history = history;
        // Those that were begun here stay.
        for own in self.app.clips.history().batches().shown() {
            history.batches_mut().put(own.id, Some(Batch::clone(own)));
        }
        self.app.clips.replace(history, corpus);
        self.app.events.send(Happening::Batches(Vec::new()));
        self.app.events.send(Happening::Reset);
        self.app.events.send(Happening::Kept(Vec::new()));
        self.app.health.touch();
        Ok(count)
    }
}
