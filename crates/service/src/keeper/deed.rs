//! What is remembered of an act, so that it can be taken back and made again: each clip and drawer it touched, as it
//! was before and as the act left it.

use serde::{Deserialize, Serialize};
use yadori_core::{ClipId, ClipState, Digest, Drawer, DrawerState, Facts, Micros, Stamp};
use yadori_store::ClipRow;

/// A clip at one moment.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(super) struct Image {
    pub(super) state: ClipState,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) facts: Option<Facts>,
    #[serde(default)]
    pub(super) received_at: Micros,
}

impl Image {
    pub(super) fn of(row: &ClipRow) -> Self {
        Self { state: row.state.clone(), facts: row.facts.clone(), received_at: row.received_at }
    }

    fn shows(&self) -> bool {
        self.state.offer().is_some()
    }

    /// Without what was copied: for clips that are there before and after.
    fn slim(mut self) -> Self {
        self.state.offers.clear();
        self.state.copies.clear();
        self.facts = None;
        self
    }
}

/// What an act did to one clip.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(super) struct Turn {
    pub(super) id: ClipId,
    pub(super) before: Image,
    pub(super) after: Image,
}

/// What an act did to one drawer.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(super) struct DrawerTurn {
    pub(super) id: String,
    pub(super) before: DrawerState,
    pub(super) after: DrawerState,
}

/// What is remembered of an act.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(super) struct Deed {
    #[serde(default)]
    pub(super) clips: Vec<Turn>,
    #[serde(default)]
    pub(super) drawers: Vec<DrawerTurn>,
}

/// Which way an act is turned.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Way {
    /// Taken back.
    Undo,
    /// Made again.
    Redo,
}

impl Deed {
    pub(super) fn of(clips: &[(ClipRow, ClipRow)], drawers: &[(Option<Drawer>, Drawer)]) -> Self {
        let clips = clips
            .iter()
            .map(|(before, after)| {
                let (before_image, after_image) = (Image::of(before), Image::of(after));
                if before_image.shows() && after_image.shows() {
                    Turn { id: after.id, before: before_image.slim(), after: after_image.slim() }
                } else {
                    Turn { id: after.id, before: before_image, after: after_image }
                }
            })
            .collect();
        let drawers = drawers
            .iter()
            .map(|(before, after)| DrawerTurn {
                id: after.id.clone(),
                before: before.as_ref().map(|one| one.state.clone()).unwrap_or_default(),
                after: after.state.clone(),
            })
            .collect();
        Self { clips, drawers }
    }

    /// Reads what is remembered of an act. The first version kept the removed clips alone, as a list.
    pub(super) fn read(payload: &[u8]) -> Option<Self> {
        if payload.first() == Some(&b'[') {
            let removed: Vec<ClipRow> = serde_json::from_slice(payload).ok()?;
            let turn = |row: ClipRow| Turn { id: row.id, before: Image::of(&row), after: Image::default() };
            return Some(Self { clips: removed.into_iter().map(turn).collect(), drawers: Vec::new() });
        }
        serde_json::from_slice(payload).ok()
    }

    /// Contents that are needed to take it back or to make it again.
    pub(super) fn holds(&self) -> Vec<Digest> {
        let images = self.clips.iter().flat_map(|turn| [&turn.before, &turn.after]);
        let offers = images.flat_map(|image| &image.state.offers);
        let mut held: Vec<Digest> =
            offers.flat_map(|offer| offer.value.representations.iter().map(|one| one.digest)).collect();
        held.sort_unstable();
        held.dedup();
        held
    }

    /// It took clips away: it ends with the grace period.
    pub(super) fn removes(&self) -> bool {
        self.clips.iter().any(|turn| turn.before.shows() && !turn.after.shows())
    }

    /// The clips it knows of.
    pub(super) fn ids(&self) -> impl Iterator<Item = ClipId> + '_ {
        self.clips.iter().map(|turn| turn.id)
    }
}

impl Turn {
    fn ends(&self, way: Way) -> (&Image, &Image) {
        match way {
            Way::Undo => (&self.after, &self.before),
            Way::Redo => (&self.before, &self.after),
        }
    }

    /// True when the clip was there all through, and is gone now: nothing can be turned.
    pub(super) fn is_lost(&self, now: &ClipRow) -> bool {
        let (from, to) = self.ends(Way::Undo);
        from.shows() == to.shows() && now.state.offer().is_none()
    }

    /// The clip after turning, and the turn as it is remembered from then on.
    pub(super) fn turned(&self, way: Way, now: &ClipRow, stamp: impl FnMut() -> Stamp) -> (ClipRow, Turn) {
        let (from, to) = self.ends(way);
        let mut row = now.clone();
        row.state.turn(&from.state, &to.state, stamp);
        let facts = now.facts.clone().or_else(|| to.facts.clone());
        row.facts = facts.filter(|_| row.state.offer().is_some());
        row.received_at = row.received_at.max(to.received_at);
        let mut image = Image::of(&row);
        if from.shows() == to.shows() {
            image = image.slim();
        } else if row.facts.is_none() {
            image.facts.clone_from(&to.facts);
        }
        let mut turn = self.clone();
        match way {
            Way::Undo => turn.before = image,
            Way::Redo => turn.after = image,
        }
        (row, turn)
    }
}

impl DrawerTurn {
    /// The drawer after turning, and the turn as it is remembered from then on.
    pub(super) fn turned(
        &self,
        way: Way,
        now: &DrawerState,
        stamp: impl FnMut() -> Stamp,
    ) -> (Drawer, DrawerTurn) {
        let (from, to) = match way {
            Way::Undo => (&self.after, &self.before),
            Way::Redo => (&self.before, &self.after),
        };
        let mut state = now.clone();
        state.turn(from, to, stamp);
        let mut turn = self.clone();
        match way {
            Way::Undo => turn.before = state.clone(),
            Way::Redo => turn.after = state.clone(),
        }
        (Drawer { id: self.id.clone(), state }, turn)
    }
}
