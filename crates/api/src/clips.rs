//! Clips: as a row of a list, as a whole, and how they come in and go out.

use serde::{Deserialize, Serialize};
use yadori_core::clip::secret::SecretKind;
use yadori_core::picker::keys::Ask;
use yadori_core::{Color, Kind, Picture, Source};

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
    #[serde(with = "crate::moment")]
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
    /// The color a person gave it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub color: Option<Color>,
    /// Where it is kept; absent when it is not.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub kept: Option<Kept>,
    /// The id of the clip that this one was edited from, as far as that is still there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub made_from: Option<String>,
    /// It is kept and holds fill-ins: a take fills them.
    #[serde(default)]
    pub fill_ins: bool,
    /// What it was recognised as: it is masked, and `head` says only what it is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub secret: Option<SecretKind>,
    /// It lives in memory alone and ends at this moment.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub until: Option<i64>,
}

/// Where a clip is kept.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Kept {
    /// The id of its drawer; absent for a favorite outside drawers.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drawer: Option<String>,
    /// The name of its drawer.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub drawer_name: Option<String>,
    /// Its place among what is kept there: sorted by the bytes of this text, then clips before headings, then by id.
    #[serde(default)]
    pub rank: String,
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
    /// The extension that a file with it should have, without the dot.
    pub extension: String,
}

/// What an earlier copy of the same clip offered.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct EarlierOffer {
    /// When, in microseconds.
    #[serde(with = "crate::moment")]
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
    /// What was read from its picture; absent for what is no picture.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pictured: Option<Pictured>,
    /// Files of it that are not there any more, as far as that is known.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub missing: Vec<String>,
}

/// How it is with the words of a picture.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum PicturedState {
    /// They were read.
    Read,
    /// They are read soon.
    Waits,
    /// They are not read: the settings say so.
    Off,
    /// They are not read: no program for it is installed.
    NoReader,
    /// They are not read: such pictures never are.
    Never,
}

/// A word of a picture, and where it stands: pixels of the picture, from its upper left corner.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[expect(missing_docs, reason = "the names say it")]
pub struct PicturedWord {
    pub text: String,
    pub x: u32,
    pub y: u32,
    pub width: u32,
    pub height: u32,
}

/// The words of a picture.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Pictured {
    /// How it is with them.
    pub state: PicturedState,
    /// Pixels of the picture, across and down.
    pub width: u32,
    /// See `width`.
    pub height: u32,
    /// All as a text, a line each as in the picture.
    pub text: String,
    /// Each by itself.
    pub words: Vec<PicturedWord>,
    /// Those that match the query that was given, by their numbers from 0.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub found: Vec<u32>,
}

/// In which form to take a clip.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Form {
    /// Filled, if it is kept and holds fill-ins; as it was copied otherwise.
    #[default]
    Ready,
    /// As it was copied, in every representation.
    Copied,
    /// As plain text.
    Plain,
}

/// Into which shape something is made on its way out.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Shape {
    /// The paths of its files, a line each.
    Paths,
    /// The names of its files, a line each.
    Names,
    /// Its picture as PNG.
    Png,
    /// Its picture as JPEG.
    Jpeg,
    /// The words that were read from its picture.
    Words,
    /// Its formatted words, or its link with its title, as Markdown.
    Markdown,
    /// Its picture as a file: a list of one, which is there for as long as the clip is and the service runs.
    File,
}

/// To take.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Take {
    /// In which form.
    #[serde(default)]
    pub form: Form,
    /// Answers to the questions of its fill-ins, by their words.
    #[serde(default, skip_serializing_if = "std::collections::BTreeMap::is_empty")]
    pub answers: std::collections::BTreeMap<String, String>,
    /// The viewer's time zone (IANA name, or an offset such as +09:00), for dates that are filled in.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub zone: Option<String>,
    /// Clean-ups of its text on its way out, in their order. What is tidied is plain text.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub tidy: Vec<String>,
    /// Another shape than it was copied in.
    #[serde(default, skip_serializing_if = "Option::is_none", rename = "as")]
    pub shape: Option<Shape>,
    /// Pixels of the longer side of its picture at most; with `png` or `jpeg`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub most: Option<u32>,
    /// What an earlier copy of it offered: 1 is the one before the newest.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub earlier: Option<u32>,
    /// Also has it pasted, there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub paste: Option<PasteInto>,
    /// Addresses of further clips: their texts are joined to its own, and become a clip.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub and: Vec<String>,
    /// What stands between the texts of several clips; a line's end if nothing is said.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub with: Option<String>,
}

/// What a take would put on the live clipboard.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ReadyText {
    /// The first 4,000 characters of its text; none of a picture. Open questions stand in brackets.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// Characters of the whole.
    pub chars: u64,
    /// The types of all its representations.
    pub mimes: Vec<String>,
    /// Its fill-ins would be filled.
    pub filled: bool,
    /// Questions that have no answer yet.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub questions: Vec<crate::Question>,
}

/// Where something is pasted.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum PasteInto {
    /// In the program in front.
    Front,
    /// In the program that was in front when the picker's chord was pressed.
    Behind,
    /// The same, and then back to the picker.
    BehindAndBack,
}

/// What was typed since the picker's chord.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TypedKeys {
    /// The picker was opened by its chord: it can paste in the program behind it.
    pub by_chord: bool,
    /// What that asks of the picker, in its order.
    pub asks: Vec<Ask>,
}

/// A clip, or a text, and how it would be tidied.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TryTidy {
    /// The address of a clip.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clip: Option<String>,
    /// A text.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub text: Option<String>,
    /// Clean-ups, in their order.
    pub tidy: Vec<String>,
}

/// A text after clean-ups.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Tidied {
    /// Its first 4,000 characters.
    pub text: String,
    /// Characters of the whole.
    pub chars: u64,
    /// It is another text than before.
    pub changed: bool,
}

/// What was taken: it is pasteable now.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Taken {
    /// The clip.
    pub row: Row,
    /// In which form.
    pub form: Form,
    /// Its fill-ins were filled.
    #[serde(default)]
    pub filled: bool,
    /// The program that was meant has asked for it.
    #[serde(default)]
    pub pasted: bool,
    /// Files of it that are not there any more, as far as that is known.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub missing: Vec<String>,
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
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AddClip {
    /// What it holds.
    pub representations: Vec<AddRepresentation>,
    /// When it was copied, if not now. Not in the future.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
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
    /// The act that takes it back, for as long as acts can be taken back; absent where nothing changed by it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub act_id: Option<String>,
}
