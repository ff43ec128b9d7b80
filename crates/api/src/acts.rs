//! Acts: what a person does to clips and can take back.

use serde::{Deserialize, Serialize};

use yadori_core::Color;
use yadori_core::acts::ActKind;
use yadori_core::text::difference::Part;

use crate::Row;

/// To remove clips.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Remove {
    /// Ids, at most 10,000.
    pub ids: Vec<String>,
    /// Those of them that are pinned when it is done stay.
    #[serde(default)]
    pub spare_pinned: bool,
}

/// What was removed. It can be taken back within the grace period.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Removed {
    /// The id of the act.
    #[serde(default)]
    pub id: String,
    /// How many.
    pub removed: u64,
    /// For how many seconds it can be taken back.
    pub grace_seconds: u64,
    /// The state of the history after it.
    #[serde(default)]
    pub revision: u64,
}

/// Where clips shall be kept.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase", tag = "place")]
pub enum KeepIn {
    /// Not any more.
    Nowhere,
    /// Among the favorites.
    Favorites,
    /// In a drawer.
    Drawer {
        /// Its id, or its name.
        drawer: String,
    },
}

/// To keep clips, to move them, or to keep them no longer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Keep {
    /// Ids, in the order they shall have.
    pub ids: Vec<String>,
    /// Where.
    pub to: KeepIn,
    /// Before this clip (its id) or divider (its id); at the end when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
    /// Recognised secrets among them are meant to be recorded, masked. Without this they are refused.
    #[serde(default)]
    pub secrets: bool,
}

/// To give clips a title, or to take it away.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Title {
    /// Which clip.
    pub id: String,
    /// One line of at most 200 characters; absent to take the title away.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
}

/// To color clips.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Paint {
    /// Ids.
    pub ids: Vec<String>,
    /// The color; absent for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Color>,
}

/// Clips to bring to the top.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BringUp {
    /// Ids.
    pub ids: Vec<String>,
}

/// A changed text.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Edit {
    /// The whole text as it shall be.
    pub text: String,
    /// Whatever formatting the clip holds may be lost. Without this, editing a formatted clip is refused.
    #[serde(default)]
    pub plain: bool,
}

/// What was done.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Acted {
    /// Its id.
    #[serde(default)]
    pub id: String,
    /// The kind of act.
    pub act: ActKind,
    /// The clips it touched that are there now, at most 500.
    pub clips: Vec<Row>,
    /// How many clips it touched.
    pub count: u64,
    /// The id of the drawer or divider it made, if it made one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made: Option<String>,
    /// The state of the history after it.
    #[serde(default)]
    pub revision: u64,
}

/// One act of this device's, for a list of them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Act {
    /// Its id.
    #[serde(default)]
    pub id: String,
    /// The kind of act.
    pub act: ActKind,
    /// When.
    #[serde(with = "crate::moment")]
    pub at: i64,
    /// How many clips it touched.
    #[serde(default)]
    pub clips: u64,
    /// The id of the first of them, or of the drawer it was about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub subject: Option<String>,
    /// The first of them, as far as it is there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub first: Option<Box<Row>>,
    /// What a clearing was for, in words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub about: Option<String>,
    /// The name of the drawer it was about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drawer: Option<String>,
    /// The name of the batch it was about.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub batch: Option<String>,
    /// It was taken back and can be made again.
    pub undone: bool,
    /// Until when it can be taken back; absent when there is no such end.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub until: Option<i64>,
}

/// The acts that can be taken back, newest first.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Acts {
    /// They.
    pub acts: Vec<Act>,
}

/// A part of a comparison.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ComparedPart {
    /// In both, or in one alone.
    pub part: Part,
    /// Its text.
    pub text: String,
}

/// An edited clip beside what it was made from.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Compared {
    /// The original.
    pub original: Row,
    /// Both texts as one run.
    pub parts: Vec<ComparedPart>,
}

/// What was typed in an editor and not saved yet.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Draft {
    /// The text.
    pub text: String,
    /// When it was kept.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub at: Option<i64>,
}
