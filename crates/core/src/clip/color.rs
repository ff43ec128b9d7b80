//! The colors that a person can give to clips and drawers.

use serde::{Deserialize, Serialize};

/// A color a person gave a clip.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[expect(missing_docs, reason = "the names are the colors")]
pub enum Color {
    Blue,
    Green,
    Amber,
    Red,
    Violet,
    Teal,
}

impl Color {
    /// All of them.
    pub const ALL: [Self; 6] = [Self::Blue, Self::Green, Self::Amber, Self::Red, Self::Violet, Self::Teal];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Blue => "blue",
            Self::Green => "green",
            Self::Amber => "amber",
            Self::Red => "red",
            Self::Violet => "violet",
            Self::Teal => "teal",
        }
    }
}
