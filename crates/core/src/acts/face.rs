//! What a person sees of a clip or a drawer: the values, without stamps. Acts are taken back and made again by comparing
//! and writing faces, so what was taken back and made again in between counts as untouched.

use std::collections::BTreeMap;

use serde::{Deserialize, Serialize};

use crate::batch::{Batch, BatchState};
use crate::clip::color::Color;
use crate::clip::facts::Facts;
use crate::clip::id::ClipId;
use crate::clip::time::Micros;
use crate::history::stored::StoredClip;
use crate::merge::clip::{Kept, OfferRecord};
use crate::merge::drawer::DrawerState;

/// A clip that is in the history, as it is seen.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ClipFace {
    /// When it was last copied.
    pub copied_at: Option<Micros>,
    /// The time by which this device orders it.
    pub ordered_at: Micros,
    /// Its title.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Its color.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Color>,
    /// Where it is kept.
    pub kept: Kept,
    /// What it was edited from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_from: Option<ClipId>,
    /// How often it was copied.
    pub copies: u64,
    /// What was copied, for a clip that an act made come or go: its offers, and its facts.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub content: Option<Box<ClipContent>>,
}

/// What was copied.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
pub struct ClipContent {
    /// The one that is shown first.
    pub offers: Vec<OfferRecord>,
    /// What can be told of it at a glance.
    pub facts: Facts,
}

impl ClipFace {
    /// The face of a clip; `None` when it is not in the history.
    pub fn of(clip: &StoredClip) -> Option<Self> {
        let state = &clip.state;
        let facts = clip.facts.clone().filter(|_| state.is_there())?;
        Some(Self {
            copied_at: state.copied_at(),
            ordered_at: clip.ordered_at,
            title: state.title().map(str::to_owned),
            color: state.color(),
            kept: state.kept().clone(),
            made_from: state.made_from(),
            copies: state.times_copied(),
            content: Some(Box::new(ClipContent {
                offers: state.shown_offers().into_iter().map(|one| one.value.clone()).collect(),
                facts,
            })),
        })
    }

    /// Without what was copied: for a clip that is there before and after.
    pub fn slim(mut self) -> Self {
        self.content = None;
        self
    }
}

/// A drawer that is there, as it is seen.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct DrawerFace {
    /// Its name.
    pub name: String,
    /// Its color.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Color>,
    /// The group it stands under.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
    /// Its place among the drawers.
    pub rank: String,
    /// Its headings by id: words and place.
    #[serde(default, skip_serializing_if = "BTreeMap::is_empty")]
    pub dividers: BTreeMap<String, (String, String)>,
}

impl DrawerFace {
    /// The face of a drawer; `None` when it is not there.
    pub fn of(state: &DrawerState) -> Option<Self> {
        Some(Self {
            name: state.name()?.to_owned(),
            color: state.color(),
            group: state.group().map(str::to_owned),
            rank: state.rank().to_owned(),
            dividers: state
                .dividers
                .iter()
                .filter_map(|(id, one)| Some((id.clone(), (one.name()?.to_owned(), one.rank().to_owned()))))
                .collect(),
        })
    }
}

/// A batch that is there, as it is seen.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
pub struct BatchFace {
    /// What is said of it as a whole.
    pub state: BatchState,
    /// When it was last taken in hand.
    pub used_at: Micros,
    /// The numbers of its items, in their order.
    pub order: Vec<u32>,
    /// How many of them were handed out.
    pub next: usize,
}

impl BatchFace {
    /// The face of a batch.
    pub fn of(batch: &Batch) -> Self {
        Self { state: batch.state.clone(), used_at: batch.used_at, order: batch.order(), next: batch.next }
    }
}
