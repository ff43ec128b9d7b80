//! What an act makes of everything it touches.

use std::collections::HashSet;
use std::sync::Arc;

use crate::acts::error::ActError;
use crate::acts::kind::ActKind;
use crate::acts::moment::Moment;
use crate::batch::{Batch, BatchId, Item};
use crate::clip::content::Digest;
use crate::clip::id::ClipId;
use crate::history::all::History;
use crate::history::stored::StoredClip;
use crate::merge::clip::ClipState;
use crate::merge::drawer::{Drawer, DrawerState};
use crate::text::name::{NAME_CHARS, name_of};

/// A clip before and after.
#[derive(Clone, Debug, PartialEq)]
pub struct ClipPlan {
    /// As it is.
    pub before: StoredClip,
    /// As it will be.
    pub after: StoredClip,
}

/// A drawer before and after; one that is made has no before.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DrawerPlan {
    /// As it is.
    pub before: Option<Drawer>,
    /// As it will be.
    pub after: Drawer,
}

/// A batch before and after; one that is begun has no before, one that goes no after.
#[derive(Clone, Debug, PartialEq)]
pub struct BatchPlan {
    /// Which.
    pub id: BatchId,
    /// As it is.
    pub before: Option<Arc<Batch>>,
    /// As it will be.
    pub after: Option<Batch>,
}

impl BatchPlan {
    /// Contents that it no longer needs.
    pub fn dropped(&self) -> Vec<Digest> {
        let kept = self.after.as_ref().map(Batch::digests).unwrap_or_default();
        let had = self.before.as_ref().map(|batch| batch.digests()).unwrap_or_default();
        had.into_iter().filter(|digest| !kept.contains(digest)).collect()
    }

    /// Items that are in it after and were not before, and numbers of those that were before and are not after.
    pub fn comes_and_goes(&self) -> (Vec<Arc<Item>>, Vec<Arc<Item>>) {
        let of = |batch: Option<&Batch>| batch.map(|batch| batch.items.clone()).unwrap_or_default();
        let (before, after) = (of(self.before.as_deref()), of(self.after.as_ref()));
        let ids = |items: &[Arc<Item>]| items.iter().map(|item| item.id).collect::<HashSet<u32>>();
        let (had, has) = (ids(&before), ids(&after));
        let comes = after.into_iter().filter(|item| !had.contains(&item.id)).collect();
        (comes, before.into_iter().filter(|item| !has.contains(&item.id)).collect())
    }
}

/// What an act makes of clips, drawers and batches. Each of them occurs once.
#[derive(Clone, Debug, PartialEq)]
pub struct Plan {
    /// What sort of act it is.
    pub kind: ActKind,
    /// The clips that change.
    pub clips: Vec<ClipPlan>,
    /// The drawers that change.
    pub drawers: Vec<DrawerPlan>,
    /// The batches that change.
    pub batches: Vec<BatchPlan>,
    /// The id of what it makes.
    pub made: Option<String>,
}

impl Plan {
    pub(super) fn new(kind: ActKind) -> Self {
        Self { kind, clips: Vec::new(), drawers: Vec::new(), batches: Vec::new(), made: None }
    }

    /// A clip changes.
    pub(super) fn change(&mut self, before: StoredClip, change: impl FnOnce(&mut ClipState)) {
        let mut after = before.clone();
        change(&mut after.state);
        self.clips.push(ClipPlan { before, after });
    }

    /// The state that a drawer will have, to change it further.
    pub(super) fn drawer(&mut self, history: &History, id: &str) -> &mut DrawerState {
        let at = self.drawers.iter().position(|one| one.after.id == id).unwrap_or_else(|| {
            let before =
                history.drawers().state(id).map(|state| Drawer { id: id.to_owned(), state: state.clone() });
            let state = before.as_ref().map(|one| one.state.clone()).unwrap_or_default();
            self.drawers.push(DrawerPlan { before, after: Drawer { id: id.to_owned(), state } });
            self.drawers.len() - 1
        });
        &mut self.drawers[at].after.state
    }

    /// Contents that clips (by their ids) no longer need.
    pub fn dropped(&self) -> Vec<(ClipId, Digest)> {
        self.clips.iter().flat_map(ClipPlan::dropped).collect()
    }
}

impl ClipPlan {
    /// Contents that the clip no longer needs.
    pub fn dropped(&self) -> Vec<(ClipId, Digest)> {
        let kept: HashSet<Digest> = self.after.digests().collect();
        let id = self.before.id;
        self.before.digests().filter(|digest| !kept.contains(digest)).map(|digest| (id, digest)).collect()
    }
}

/// Those of the clips that are there, each once.
pub(super) fn there(history: &History, ids: &[ClipId]) -> Result<Vec<StoredClip>, ActError> {
    let mut seen = HashSet::new();
    let found: Vec<StoredClip> = ids
        .iter()
        .filter(|id| seen.insert(**id))
        .filter_map(|id| history.get(*id).map(|clip| StoredClip::from(&*clip)))
        .collect();
    if found.is_empty() { Err(ActError::NoneThere) } else { Ok(found) }
}

/// A name for a drawer, a group or a divider.
pub(super) fn valid_name(text: &str) -> Result<String, ActError> {
    name_of(text, NAME_CHARS).map_err(ActError::Name)
}

/// A register of a clip's state, written now.
pub(super) fn written<T>(
    moment: &mut Moment<'_>,
    state: &ClipState,
    value: T,
) -> Option<crate::merge::register::Written<T>> {
    moment.write(state.newest_stamp(), value)
}
