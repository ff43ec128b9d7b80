//! Batches: gathered on purpose, then handed out one after another. Where a call names a batch, `-` is the one in hand.

use serde::{Deserialize, Serialize};
use yadori_core::batch::After;
use yadori_core::{Kind, Picture, Source};

use crate::PasteInto;

/// An item of a batch.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BatchItem {
    /// Its number in its batch: it never changes.
    pub id: u32,
    /// Its place now, from 1.
    pub place: u64,
    /// The record it belongs to, from 1.
    pub record: u64,
    /// Which one in its record, from 1.
    pub field: u64,
    /// The name of its field.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// What a person would call it.
    pub kind: Kind,
    /// The first 600 characters of its text.
    pub head: String,
    /// Characters of the whole text.
    pub chars: u64,
    /// Bytes of all representations. Without any, its field stays empty.
    pub size: u64,
    /// For images.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub picture: Option<Picture>,
    /// For files: the paths, at most 40.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub files: Vec<String>,
    /// The id of the clip it came from, while that is in the history.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// Where it was copied.
    pub source: Source,
}

/// A batch.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Batch {
    /// Its id.
    pub id: String,
    /// The name by which it is kept.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// When it was begun.
    #[serde(with = "crate::moment")]
    pub made_at: i64,
    /// It is the one in hand.
    pub in_hand: bool,
    /// Copies join it.
    pub gathering: bool,
    /// Items in it.
    pub items: u64,
    /// How many stand before the one that is next.
    pub handed: u64,
    /// How many are left.
    pub left: u64,
    /// Records in it.
    pub records: u64,
    /// Items of the record that is next.
    pub fields: u64,
    /// What is next.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next: Option<BatchItem>,
    /// What is pressed after each item.
    pub after_each: After,
    /// What is pressed after each record; as after each item where absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after_record: Option<After>,
    /// Clean-ups of each item on its way out.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tidy: Vec<String>,
}

/// All batches, the one in hand first.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AllBatches {
    /// They; there are 200 at most.
    pub batches: Vec<Batch>,
}

/// A batch and a part of its items.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BatchItems {
    /// The batch.
    pub batch: Batch,
    /// Its items, in their order, from the place asked for.
    pub items: Vec<BatchItem>,
}

/// How a text is split.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Split {
    /// `lines`, `paragraphs`, `entries`, `cells`, `csv`, `pairs` or `pattern`.
    pub way: String,
    /// The regular expression.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pattern: Option<String>,
    /// The first row of a table holds the names of its fields.
    #[serde(default)]
    pub header: bool,
}

/// What goes into a batch: clips, or texts, in their order; with a split, the parts of each.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Filling {
    /// Whole ids of clips.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub clips: Vec<String>,
    /// Texts.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub texts: Vec<String>,
    /// The address of a clip: all clips of its sitting, the first one copied first.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub sitting: Option<String>,
    /// How each is split.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub split: Option<Split>,
    /// Before this item; at the end when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<u32>,
}

/// What shall become of a batch as a whole. What is absent stays.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChangeBatch {
    /// Its name; empty for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// Whether copies join it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub gathering: Option<bool>,
    /// What is pressed after each item.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after_each: Option<After>,
    /// What is pressed after each record: `nothing`, `tab`, `enter`, or `same` for as after each item.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub after_record: Option<String>,
    /// Clean-ups of each item on its way out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub tidy: Option<Vec<String>>,
}

/// A new batch.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewBatch {
    /// What it begins with.
    #[serde(default)]
    pub filling: Filling,
    /// What is said of it as a whole.
    #[serde(default)]
    pub change: ChangeBatch,
}

/// Items of a batch.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SomeItems {
    /// Their numbers.
    pub items: Vec<u32>,
    /// Before this item; at the end when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<u32>,
}

/// Which way through a batch.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum HandOut {
    /// What is next is handed out.
    #[default]
    Next,
    /// The item at `place` is handed out; the one after it is next then.
    Place,
    /// What is next is passed over.
    Skip,
    /// What is left of the record is passed over.
    SkipRecord,
    /// What was handed out last is next.
    Back,
    /// The first is next.
    Again,
    /// The item at `place` is next.
    From,
    /// It is taken in hand, as far as it was handed out before.
    TakeUp,
}

/// To go on through a batch.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Hand {
    /// Which way.
    #[serde(default)]
    pub out: HandOut,
    /// A place in the batch, from 1.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<u64>,
    /// Also has it pasted, there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub paste: Option<PasteInto>,
}

/// What was handed out, and what is next.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct HandedOut {
    /// What was handed out.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub item: Option<BatchItem>,
    /// The program that was meant has asked for it.
    pub pasted: bool,
    /// The batch now.
    pub batch: Batch,
}

/// A text, or the text of a clip, and how it would be split.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TrySplit {
    /// The address of a clip.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clip: Option<String>,
    /// A text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// How.
    pub split: Split,
}

/// A part of a text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TextPart {
    /// The record it belongs to, from 1.
    pub record: u64,
    /// The name of its field.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// Its first 600 characters.
    pub head: String,
}

/// What splitting makes of a text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Parts {
    /// The first 200.
    pub parts: Vec<TextPart>,
    /// How many there are.
    pub total: u64,
    /// How many records.
    pub records: u64,
}

/// Several clips to one text.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Join {
    /// Whole ids of clips, in their order.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub clips: Vec<String>,
    /// The items of this batch instead.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub batch: Option<String>,
    /// What stands between them; a line's end when nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
    /// As a list: `bullets` or `numbers`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub list: Option<String>,
    /// Only tell what it would be.
    #[serde(default)]
    pub preview: bool,
}

/// What joining made.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Joined {
    /// The new clip; absent in a preview.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clip: Option<String>,
    /// Its first 2,000 characters.
    pub text: String,
    /// Characters of the whole.
    pub chars: u64,
}

/// Batches have changed, or were handed out.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BatchesEvent {
    /// Which.
    pub batches: Vec<String>,
    /// The one in hand now.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub in_hand: Option<Batch>,
}
