//! Why an act can't be done.

use crate::batch::batch::MOST_ITEMS;
use crate::batch::batches::MOST_BATCHES;
use crate::text::name::NameError;

/// What stands in the way.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ActError {
    /// Every clip it names has gone.
    #[error("none of these clips is in the history any more")]
    NoneThere,
    /// It lives in memory alone.
    #[error(
        "it was recognised as a secret and lives in memory alone: it can be taken, removed or pinned, nothing else"
    )]
    Fleeting,
    /// Everything it would take is pinned and to be spared.
    #[error("all of them are pinned, and stay")]
    AllPinned,
    /// Kept there.
    #[error("it is kept there already")]
    KeptThere,
    /// Not kept.
    #[error("it was not pinned")]
    NotPinned,
    /// Titled so.
    #[error("it has that title already")]
    SameTitle,
    /// Colored so.
    #[error("it has that color already")]
    SameColor,
    /// An edit that changes nothing.
    #[error("the text is the same as before")]
    SameText,
    /// Nothing was edited.
    #[error("it was not made by an edit")]
    NotEdited,
    /// There is nothing to put back.
    #[error("its original was removed")]
    OriginalRemoved,
    /// A drawer or divider that is so already.
    #[error("it is like that already")]
    AlreadySo,
    /// The edited text is another kept clip.
    #[error("this very text is kept already; take that clip, or change the text once more")]
    TextKept,
    /// A place that is not in the list.
    #[error("what it shall stand before is not in that place")]
    NotInPlace,
    /// A place that is neither clip nor divider.
    #[error("`before` must be the whole id of a clip or of a divider")]
    NoPlace,
    /// A name that can't be one.
    #[error("this name can't be used: {0}")]
    Name(NameError),
    /// A title that can't be one.
    #[error("this title can't be used: {0}")]
    Title(NameError),
    /// Another drawer is called so.
    #[error("there is a drawer called {0} already")]
    NameTaken(String),
    /// No drawer is called so; these are there.
    #[error("no drawer answers to that; {}", there(.0))]
    NoDrawer(Vec<String>),
    /// Several drawers are.
    #[error("several drawers begin so: {}", .0.join(", "))]
    SeveralDrawers(Vec<String>),
    /// No such divider.
    #[error("there is no such divider in this drawer")]
    NoDivider,
    /// The batch has gone.
    #[error("this batch is gone")]
    NoBatch,
    /// None of the items is in it any more.
    #[error("none of these items is in the batch any more")]
    NoItems,
    /// It would hold too much.
    #[error(
        "a batch holds {MOST_ITEMS} items at most, and this would make {0}; split into fewer parts, or take several batches"
    )]
    BatchFull(usize),
    /// There are too many.
    #[error("there are {MOST_BATCHES} batches, and no more are kept; remove one first")]
    TooManyBatches,
    /// Another batch is called so.
    #[error("there is a batch called {0} already")]
    BatchNameTaken(String),
}

fn there(names: &[String]) -> String {
    if names.is_empty() { "there is none yet".into() } else { format!("there is: {}", names.join(", ")) }
}

/// What sort of obstacle it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Obstacle {
    /// There is nothing to act on.
    Nothing,
    /// It names a drawer or divider that is not there.
    NoDrawer,
    /// It names a batch that is not there.
    NoBatch,
    /// It can't be.
    Invalid,
}

impl ActError {
    /// What sort of obstacle it is.
    pub fn obstacle(&self) -> Obstacle {
        match self {
            Self::NoneThere
            | Self::AllPinned
            | Self::KeptThere
            | Self::NotPinned
            | Self::SameTitle
            | Self::SameColor
            | Self::SameText
            | Self::NotEdited
            | Self::OriginalRemoved
            | Self::NoItems
            | Self::Fleeting
            | Self::AlreadySo => Obstacle::Nothing,
            Self::NoBatch => Obstacle::NoBatch,
            Self::NoDrawer(_) | Self::SeveralDrawers(_) | Self::NoDivider => Obstacle::NoDrawer,
            Self::TextKept
            | Self::NotInPlace
            | Self::NoPlace
            | Self::Name(_)
            | Self::Title(_)
            | Self::NameTaken(_)
            | Self::BatchFull(_)
            | Self::TooManyBatches
            | Self::BatchNameTaken(_) => Obstacle::Invalid,
        }
    }
}
