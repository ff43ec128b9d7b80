//! Drawers and what is in them, and the favorites.

use serde::{Deserialize, Serialize};

use yadori_core::Color;

use crate::Row;

/// A drawer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Drawer {
    /// Its id.
    pub id: String,
    /// Its name.
    pub name: String,
    /// Its color.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Color>,
    /// The group it stands under.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
    /// Clips in it.
    pub clips: u64,
}

/// All drawers in their order, those under no group first; and how many favorites there are outside them.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AllDrawers {
    /// They.
    pub drawers: Vec<Drawer>,
    /// Favorites outside drawers.
    pub favorites: u64,
}

/// A heading inside a drawer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Divider {
    /// Its id.
    pub id: String,
    /// Its words.
    pub name: String,
}

/// One thing in a list of kept things.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Item {
    /// A clip.
    Clip(Box<Row>),
    /// A heading.
    Divider(Divider),
}

/// What is kept in one place, in its order.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Items {
    /// The drawer; absent for the favorites.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drawer: Option<Drawer>,
    /// Clips and headings, in their order, from the place asked for.
    pub items: Vec<Item>,
    /// How many there are in all.
    pub total: u64,
}

/// A heading, and its place among what is kept in its drawer.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct RankedDivider {
    /// Its id.
    pub id: String,
    /// Its words.
    pub name: String,
    /// Sorted by the bytes of this text, then clips before headings, then by id.
    pub rank: String,
}

/// What is kept in one place, in outline and in its order: a part of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct KeptOutline {
    /// The drawer; absent for the favorites.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drawer: Option<Drawer>,
    /// Ids of these clips, 26 characters each, without separators.
    pub ids: String,
    /// A character per clip, as in the outline of the history.
    pub kinds: String,
    /// The rank of each clip.
    pub ranks: Vec<String>,
    /// Its headings, all of them and in their order; with the first part alone.
    pub dividers: Vec<RankedDivider>,
    /// The state of the history this was read from.
    pub revision: u64,
    /// What to ask for next, as `after`; absent at the end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next: Option<String>,
}

/// A new drawer.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewDrawer {
    /// One line of at most 80 characters; no other drawer may have it.
    pub name: String,
    /// Its color.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Color>,
    /// The group it stands under.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
}

/// What shall become of a drawer. What is absent stays.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChangeDrawer {
    /// Its name.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// Its color; `none` for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<String>,
    /// The group it stands under; empty for none.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub group: Option<String>,
    /// Stand before this drawer (id or name); empty for the end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
}

/// A new heading.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewDivider {
    /// Its words, one line of at most 80 characters.
    pub name: String,
    /// Before this clip or heading (its id); at the end when absent.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
}

/// What shall become of a heading. What is absent stays.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChangeDivider {
    /// Its words.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub name: Option<String>,
    /// Stand before this clip or heading (its id); empty for the end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub before: Option<String>,
}
