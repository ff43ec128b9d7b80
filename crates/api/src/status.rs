//! How things stand: capture, database, live clipboard; and the answers to acts.

use serde::{Deserialize, Serialize};

use yadori_core::RefusalReason;

use crate::{Batch, Row, Space, Waits, Work};

/// Whether copies are kept.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum CaptureState {
    /// On the way.
    Starting,
    /// Every copy is kept.
    Keeping,
    /// Copies are seen and wait in memory; they are not on disk yet.
    Waiting,
    /// Copies are not kept.
    Broken,
    /// Switched off for this run.
    Off,
    /// Paused by the person: nothing that is copied is read.
    Paused,
}

/// Capture, in a word and in words.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Capture {
    /// In a word.
    pub state: CaptureState,
    /// What is wrong and what to do, where something is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
    /// The display that is watched.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub display: Option<String>,
    /// When it goes on by itself, where it is paused for a time.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub paused_until: Option<i64>,
}

/// To pause capture.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PauseFor {
    /// For so long; until it is resumed, if not given.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub minutes: Option<f64>,
}

/// Whether records can be read and written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum DatabaseState {
    /// On the way.
    Starting,
    /// All is well.
    Ready,
    /// It does not answer; tried again by itself.
    Away,
    /// There is no room on the disk; goes on by itself when there is.
    Full,
    /// A file or table of it is damaged: something has to be done.
    Damaged,
    /// It can't be used until something is done.
    Refused,
}

/// The database, in a word and in words.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Database {
    /// In a word.
    pub state: DatabaseState,
    /// What is wrong and what to do, where something is.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub reason: Option<String>,
}

/// What an ordinary paste would insert.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum LiveState {
    /// Nothing.
    Empty,
    /// A clip.
    Clip,
    /// An item of a batch.
    Item,
    /// Something that is not kept.
    Unkept,
    /// Not known.
    Unknown,
}

/// The live clipboard.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LiveClipboard {
    /// In a word.
    pub state: LiveState,
    /// The clip, when it is one.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub clip: Option<Box<Row>>,
    /// It was taken as plain text.
    #[serde(default)]
    pub plain: bool,
}

/// A copy that was not kept.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Refusal {
    /// When it was made.
    #[serde(with = "crate::moment")]
    pub at: i64,
    /// In a word.
    pub reason: RefusalReason,
    /// In words.
    pub words: String,
    /// Its size, as far as it is known.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub size: Option<u64>,
    /// The program it came from.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub program: Option<String>,
}

/// A chord that is listened for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ChordStatus {
    /// What it is for: `picker`, or a place (`1` to `10`) that it pastes.
    pub purpose: String,
    /// Its keys.
    pub keys: String,
    /// Why it is not heard, and what to do.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<String>,
}

/// What a chord was meant to do and did not.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Hitch {
    /// When it was pressed.
    #[serde(with = "crate::moment")]
    pub at: i64,
    /// What did not happen, why, and what to do.
    pub words: String,
}

/// A clip that another device of yours sent to this one.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Brought {
    /// When it came.
    #[serde(with = "crate::moment")]
    pub at: i64,
    /// The clip.
    pub id: String,
    /// The device that sent it.
    pub device: String,
    /// It went to the live clipboard.
    pub live: bool,
}

/// How things stand.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Status {
    /// The service's version.
    pub version: String,
    /// Whether copies are kept.
    pub capture: Capture,
    /// Whether records can be read and written.
    pub database: Database,
    /// What an ordinary paste would insert.
    pub live: LiveClipboard,
    /// The history has been loaded.
    pub loaded: bool,
    /// Clips in the history.
    pub clips: u64,
    /// Clips that wait in memory for the database.
    pub unsaved: u64,
    /// When the last copy was made.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub last_copy_at: Option<i64>,
    /// The newest copies that were not kept, newest first.
    pub refusals: Vec<Refusal>,
    /// The batch in hand.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub batch: Option<Box<Batch>>,
    /// The chords.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub chords: Vec<ChordStatus>,
    /// What the chord that was pressed last did not do.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub hitch: Option<Hitch>,
    /// What another device sent to this one last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub brought: Option<Brought>,
    /// Where the console is served.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub console: Option<String>,
    /// Why the console is not served, and what to do.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub console_problem: Option<String>,
    /// Parts of the service that ended by a mistake in the program, and what became of that.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub faults: Vec<String>,
    /// Contents that were found damaged by the last check.
    #[serde(default)]
    pub damaged: u64,
    /// What the private database takes on the disk, as it was looked at last.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub space: Option<Space>,
    /// What the limits would take, and why they wait for a person.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub waits: Option<Waits>,
    /// What takes a while and is under way.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub work: Option<Work>,
    /// How the console looks.
    #[serde(default)]
    pub look: Look,
    /// Since when the service runs.
    #[serde(with = "crate::moment")]
    pub started_at: i64,
}

/// Light or dark.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Theme {
    /// As the desktop says.
    #[default]
    System,
    /// Light.
    Light,
    /// Dark.
    Dark,
}

/// How the hours of a day are counted.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Hours {
    /// To 24.
    #[default]
    #[serde(rename = "24")]
    Day,
    /// To 12, twice.
    #[serde(rename = "12")]
    Half,
}

/// In which language everything is said.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Language {
    /// In that of the desktop, or of the browser.
    #[default]
    System,
    /// In English.
    En,
    /// In Japanese.
    Ja,
}

/// How close rows stand.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Density {
    /// A clip has two lines.
    #[default]
    Normal,
    /// A clip has one line.
    Dense,
}

/// How tall pictures are in a list.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "the names say it")]
pub enum Previews {
    Small,
    #[default]
    Medium,
    Large,
}

/// Which end of the history comes first.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "the names say it")]
pub enum FirstShown {
    #[default]
    Newest,
    Oldest,
}

/// How the console looks.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[expect(missing_docs, reason = "the names say it")]
pub struct Look {
    pub theme: Theme,
    pub hours: Hours,
    #[serde(default)]
    pub language: Language,
    #[serde(default)]
    pub density: Density,
    #[serde(default)]
    pub previews: Previews,
    #[serde(default)]
    pub order: FirstShown,
    /// Clips of the history that are shown; `None`: all.
    #[serde(default)]
    pub shown: Option<u32>,
}

/// What was restored.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Restored {
    /// Clips in the history now.
    pub clips: u64,
    /// Bytes of contents read.
    pub bytes: u64,
}
