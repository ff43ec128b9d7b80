//! Clips: as a row of a list, as a whole, and how they come in and go out.

use serde::{Deserialize, Serialize};

/// What a person would call it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Kind {
    /// Words.
    Text,
    /// One address.
    Link,
    /// A picture.
    Image,
    /// References to files and folders.
    Files,
}

/// Where a copy came from, as far as the desktop told. Focus is a hint, not proof.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Source {
    /// The program.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
    /// The title of its window.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub window: Option<String>,
    /// The address of the page.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub page: Option<String>,
}

/// A picture's form.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Picture {
    /// MIME type.
    pub mime: String,
    /// Pixels across; 0 when unknown.
    pub width: u32,
    /// Pixels down; 0 when unknown.
    pub height: u32,
}

/// A clip as a row of a list.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Row {
    /// Its id, 26 characters.
    pub id: String,
    /// The shortest beginning of the id that names it.
    pub prefix: String,
    /// Its place now.
    pub place: u64,
    /// What a person would call it.
    pub kind: Kind,
    /// The first 600 characters of its text; empty for pictures and files.
    pub head: String,
    /// The name a person gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub title: Option<String>,
    /// Characters of the whole text.
    pub chars: u64,
    /// Lines of the whole text.
    pub lines: u64,
    /// Bytes of all representations.
    pub size: u64,
    /// Has formatting.
    pub formatted: bool,
    /// When it was last copied.
    pub copied_at: i64,
    /// How often it was copied.
    pub copies: u64,
    /// Where the last copy came from.
    pub source: Source,
    /// For images.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub picture: Option<Picture>,
    /// For files: the paths, at most 40.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub files: Vec<String>,
    /// For files: how many there are.
    pub file_count: u64,
    /// False while it waits in memory for the database.
    pub saved: bool,
}

/// One representation of a clip.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Representation {
    /// Its number, for fetching it.
    pub n: u32,
    /// Its type, as the source program named it.
    pub mime: String,
    /// Its bytes.
    pub size: u64,
}

/// What an earlier copy of the same clip offered.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct EarlierOffer {
    /// When, in microseconds.
    pub at: i64,
    /// What it held.
    pub representations: Vec<Representation>,
    /// Where it came from.
    pub source: Source,
}

/// A clip as a whole.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Detail {
    /// What a list shows of it.
    pub row: Row,
    /// Every representation.
    pub representations: Vec<Representation>,
    /// Up to three earlier distinct offers.
    pub earlier: Vec<EarlierOffer>,
    /// Its plain text, at most the first MiB; absent for pictures.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// The text is longer than what is given.
    pub text_cut: bool,
}

/// In which form to take a clip.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Form {
    /// As it was copied, in every representation.
    #[default]
    Copied,
    /// As plain text.
    Plain,
}

/// A wish to take.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Take {
    /// In which form.
    #[serde(default)]
    pub form: Form,
}

/// What was taken: it is pasteable now.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Taken {
    /// The clip.
    pub row: Row,
    /// In which form.
    pub form: Form,
}

/// One representation of a clip that is brought in.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AddRepresentation {
    /// MIME type.
    pub mime: String,
    /// Its text, for texts.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// Its bytes in base64 (RFC 4648 section 4), for everything else.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub base64: Option<String>,
}

/// A clip to bring in.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AddClip {
    /// What it holds.
    pub representations: Vec<AddRepresentation>,
    /// When it was copied, if not now. Not in the future.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub at: Option<i64>,
    /// Where it came from.
    #[serde(default)]
    pub source: Source,
}

/// What became of it.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Added {
    /// The clip.
    pub row: Row,
}
