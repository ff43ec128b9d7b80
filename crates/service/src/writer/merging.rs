//! What has come from other devices: merged, committed with how far the exchange has come, applied and announced.

use std::collections::{HashMap, HashSet};
use std::time::Instant;

use yadori_core::acts::{Moment, arrive};
use yadori_core::limits::FEW;
use yadori_core::{ClipId, Digest, Drawer, DrawerState, StoredClip};
use yadori_store::{CHUNK, Group};

use crate::state::clock::now;
use crate::writer::error::WriteError;
use crate::writer::handed::{dropped, recorded};
use crate::writer::received::Received;
use crate::writer::worker::Writer;

impl Writer {
    /// Merges what has come. When this returns `Ok`, it is on disk.
    pub(super) async fn merge(&mut self, mut received: Received) -> Result<(), WriteError> {
        self.writable()?;
        let mut group = Group { now: now(), ..Group::default() };
        let batches = self.merged_batches(&mut received, &mut group).await?;
        self.merged_rules(&received.rules, &mut group).await?;
        group.exchange = Some(received.row);
        let mut latest: HashMap<ClipId, StoredClip> = HashMap::new();
        let mut order = Vec::new();
        let mut gone = false;
        for arrived in received.clips {
            let id = arrived.id;
            let known = latest.remove(&id).unwrap_or_else(|| {
                order.push(id);
                self.known(id)
            });
            let before: Vec<Digest> = known.digests().collect();
            let was_there = known.state.is_there();
            let after = arrive(known, arrived, &mut Moment { now: group.now, clock: &mut self.clock });
            gone |= was_there && !after.state.is_there();
            group.dropped.extend(before.into_iter().map(|digest| (id.0, digest)));
            latest.insert(id, after);
        }
        // What is needed in the end is not dropped.
        group.dropped.retain(|(holder, digest)| {
            latest.get(&ClipId(*holder)).is_none_or(|clip| clip.digests().all(|kept| kept != *digest))
        });
        group.dropped.extend(dropped(&[], &batches));
        group.batches = batches.iter().map(recorded).collect();
        let come = batches.iter().flat_map(|plan| plan.comes_and_goes().0);
        let in_batches: HashSet<Digest> = come.flat_map(|item| item.digests().collect::<Vec<_>>()).collect();
        for (digest, content) in received.contents {
            let in_clips = || latest.values().any(|clip| clip.digests().any(|kept| kept == digest));
            let needed = || in_batches.contains(&digest) || in_clips();
            if content.len() > CHUNK {
                group.staged.push(digest);
            } else if !group.contents.iter().any(|(known, _)| *known == digest) && needed() {
                group.contents.push((digest, content));
            }
        }
        group.clips = order.iter().filter_map(|id| latest.remove(id)).collect();
        group.drawers = self.merged(received.drawers);
        group.clock = self.clock.last();
        if group.clips.len() > FEW {
            // Seen whole they may be more than limits take without a question.
            self.app.holding.many_come(Instant::now());
        }
        self.commit_act(&group).await?;
        for (digest, content) in &group.contents {
            self.app.at_hand.remember(*digest, content);
        }
        let mut texts = received.texts;
        texts.retain(|id, _| !self.app.clips.has_whole_text(*id));
        self.apply(group.clips, group.drawers, &texts);
        self.apply_batches(batches);
        if gone {
            // Another device removed it: its grace ends there.
            self.let_go_of_buffers();
        }
        Ok(())
    }

    fn merged(&self, drawers: Vec<(String, DrawerState)>) -> Vec<Drawer> {
        let history = self.app.clips.history();
        let mut merged: Vec<Drawer> = Vec::with_capacity(drawers.len());
        for (id, theirs) in drawers {
            match merged.iter_mut().find(|one| one.id == id) {
                Some(one) => one.state.merge(&theirs),
                None => {
                    let mut state = history.drawers().known(&id).cloned().unwrap_or_default();
                    state.merge(&theirs);
                    merged.push(Drawer { id, state });
                }
            }
        }
        merged
    }
}
