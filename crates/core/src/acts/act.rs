//! Everything that a person can do.

use crate::acts::capture::Copied;
use crate::batch::{After, BatchId, Piece};
use crate::clip::color::Color;
use crate::clip::id::ClipId;

/// Where clips shall be kept.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Place {
    /// Nowhere: they are pinned no longer.
    Nowhere,
    /// Among the favorites.
    Favorites,
    /// In a drawer, by id or name.
    Drawer(String),
}

/// What shall become of a drawer; what is `None` stays.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct DrawerChange {
    /// Its name.
    pub name: Option<String>,
    /// Its color.
    pub color: Option<Option<Color>>,
    /// Its group.
    pub group: Option<Option<String>>,
    /// Before which drawer; an empty name for the end.
    pub before: Option<String>,
}

/// What shall become of a batch as a whole; what is `None` stays.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct BatchChange {
    /// Its name; without one it is not kept.
    pub name: Option<Option<String>>,
    /// Whether copies join it.
    pub gathering: Option<bool>,
    /// What is pressed after each item.
    pub after_each: Option<After>,
    /// What is pressed after each record.
    pub after_record: Option<Option<After>>,
    /// The names of clean-ups of each item.
    pub tidy: Option<Vec<String>>,
}

/// What shall become of the items of a batch.
#[derive(Clone, Debug, PartialEq)]
pub enum ItemsChange {
    /// Some come, before an item or at the end.
    Add(Vec<Piece>, Option<u32>),
    /// Some go.
    Drop(Vec<u32>),
    /// Some stand before another one, or at the end.
    Move(Vec<u32>, Option<u32>),
    /// Those that were not handed out yet come in the opposite order.
    Reverse,
}

/// One thing that a person does. Ids of what is made come with it.
#[derive(Clone, Debug)]
pub enum Act {
    /// Clips go.
    Remove {
        /// Which.
        clips: Vec<ClipId>,
        /// Those that are pinned stay.
        spare_pinned: bool,
    },
    /// Clips are kept in a place.
    Keep {
        /// Which, in the order they shall have.
        clips: Vec<ClipId>,
        /// Where.
        place: Place,
        /// Before a clip or divider (its id); an empty text for the end.
        before: Option<String>,
    },
    /// A clip gets a title, or loses it.
    Title {
        /// Which.
        clip: ClipId,
        /// The title.
        title: Option<String>,
    },
    /// Clips get a color, or lose it.
    Color {
        /// Which.
        clips: Vec<ClipId>,
        /// The color.
        color: Option<Color>,
    },
    /// Clips come to the top, the first one named uppermost.
    BringUp {
        /// Which.
        clips: Vec<ClipId>,
    },
    /// A text is changed: another takes the clip's place.
    Edit {
        /// Which.
        clip: ClipId,
        /// The changed text.
        new: Box<Copied>,
    },
    /// The original of an edited clip takes its place again.
    PutBack {
        /// The edited clip.
        clip: ClipId,
    },
    /// A drawer is made.
    NewDrawer {
        /// Its id.
        id: String,
        /// Its name.
        name: String,
        /// Its color.
        color: Option<Color>,
        /// Its group.
        group: Option<String>,
    },
    /// A drawer changes.
    ChangeDrawer {
        /// Which, by id or name.
        drawer: String,
        /// How.
        change: DrawerChange,
    },
    /// A drawer goes; its clips become favorites.
    RemoveDrawer {
        /// Which, by id or name.
        drawer: String,
    },
    /// A heading is made in a drawer.
    NewDivider {
        /// In which, by id or name.
        drawer: String,
        /// Its id.
        id: String,
        /// Its words.
        name: String,
        /// Before a clip or divider (its id).
        before: Option<String>,
    },
    /// A heading changes.
    ChangeDivider {
        /// In which drawer, by id or name.
        drawer: String,
        /// Which.
        divider: String,
        /// Its words.
        name: Option<String>,
        /// Before a clip or divider (its id).
        before: Option<String>,
    },
    /// A heading goes.
    RemoveDivider {
        /// In which drawer, by id or name.
        drawer: String,
        /// Which.
        divider: String,
    },
    /// A batch is begun.
    NewBatch {
        /// Its id.
        id: BatchId,
        /// What it begins with.
        pieces: Vec<Piece>,
        /// What is said of it as a whole.
        change: BatchChange,
    },
    /// A batch is named, or handed out otherwise.
    ChangeBatch {
        /// Which.
        batch: BatchId,
        /// How.
        change: BatchChange,
    },
    /// Items of a batch come, go, or change their order.
    ChangeItems {
        /// Of which.
        batch: BatchId,
        /// How.
        change: ItemsChange,
    },
    /// A batch goes.
    RemoveBatch {
        /// Which.
        batch: BatchId,
    },
}

impl Act {
    /// The clips that it names.
    pub fn clips(&self) -> Vec<ClipId> {
        match self {
            Self::Remove { clips, .. }
            | Self::Keep { clips, .. }
            | Self::Color { clips, .. }
            | Self::BringUp { clips } => clips.clone(),
            Self::Title { clip, .. } | Self::Edit { clip, .. } | Self::PutBack { clip } => vec![*clip],
            _ => Vec::new(),
        }
    }
}
