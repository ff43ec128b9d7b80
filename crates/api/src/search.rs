//! Search: what was found, why, how a query can go on, and how the history is made up.

use serde::{Deserialize, Serialize};

use crate::Row;

/// What of a clip matches.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
#[expect(missing_docs, reason = "the names say it")]
pub enum ExcerptOf {
    Text,
    Title,
    Program,
    Window,
    Page,
    File,
    Drawer,
    Picture,
}

/// A part of a text around its first match.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Excerpt {
    /// Where the match is.
    pub of: ExcerptOf,
    /// The part.
    pub text: String,
    /// It does not begin where the text begins.
    #[serde(default)]
    pub cut: bool,
    /// Matches in it: characters (Unicode scalar values), from and to.
    pub marks: Vec<(u32, u32)>,
}

/// A clip that was found.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Hit {
    /// The clip.
    pub row: Row,
    /// Where it matches, the best one first; none when only filters decided.
    pub excerpts: Vec<Excerpt>,
}

/// The newest clips that match.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Found {
    /// They, newest first.
    pub hits: Vec<Hit>,
    /// There are more.
    pub more: bool,
    /// Long texts that are still being read after the start: they may match as well.
    pub unread: u64,
    /// The state of the history this was read from.
    pub revision: u64,
    /// The query can't be read (yet): nothing was searched.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub expected: Option<Expected>,
    /// Nothing matches: these are what comes nearest to the words, the nearest first.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub nearest: bool,
}

/// What was expected in a query that can't be read.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Expected {
    /// Where: characters (Unicode scalar values) from and to.
    pub at: (u32, u32),
    /// What.
    pub words: String,
    /// What to do next.
    pub hint: String,
}

/// Everything that matches, in outline, newest first.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FoundOutline {
    /// Ids of the newest ones, at most as many as asked for, 26 characters each, without separators.
    pub ids: String,
    /// A character per id, as in the outline of the history.
    pub kinds: String,
    /// When each was copied, in whole seconds since the epoch.
    pub times: Vec<i64>,
    /// How many match in all.
    pub count: u64,
    /// How many of them are pinned.
    pub pinned: u64,
    /// How many more match that are left out because they are pinned and the query does not name them.
    pub spared: u64,
    /// The query names favorites or drawers, so an act on what it finds may take pinned clips.
    pub names_pinned: bool,
    /// Give this as `after` to go on with older ones. Absent at the end.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub next: Option<String>,
}

/// How a query can go on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Completion {
    /// Replaces the characters (Unicode scalar values) from here …
    pub from: u32,
    /// … to here.
    pub to: u32,
    /// What to insert.
    pub insert: String,
    /// What it means, for the name of a filter.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub meaning: Option<String>,
}

/// Ways in which a query can go on.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Completions {
    /// They, the likeliest first.
    pub completions: Vec<Completion>,
}

/// How much there is of something.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Share {
    /// What, in words.
    pub name: String,
    /// Clips.
    pub clips: u64,
    /// Bytes of all their representations.
    pub bytes: u64,
    /// The query that finds them.
    pub query: String,
}

/// How the history is made up, in the viewer's zone.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Insight {
    /// Clips by day, oldest first.
    pub days: Vec<Share>,
    /// Clips by hour of the day, from 0.
    pub hours: Vec<Share>,
    /// By kind.
    pub kinds: Vec<Share>,
    /// By program, the most first.
    pub sources: Vec<Share>,
    /// By age, youngest first.
    pub ages: Vec<Share>,
    /// All.
    pub all: Share,
}

/// A line of the answer to an import: how far it has come.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ImportProgress {
    /// Clips looked at.
    pub done: u64,
    /// Clips in all, as far as known.
    pub total: u64,
    /// Clips brought in.
    pub added: u64,
    /// Clips that were there already.
    pub known: u64,
    /// Clips that could not be read.
    #[serde(default)]
    pub skipped: u64,
    /// Why, for those of them that no line told of before.
    #[serde(default)]
    pub reasons: Vec<String>,
    /// At the end: acts that take it back, each on its own; one, unless it was very large, and none where nothing changed.
    #[serde(default)]
    pub acts: u64,
    /// At the end: for how long they do.
    #[serde(default)]
    pub grace_seconds: u64,
    /// At the end: clips of the history that are beyond the limits now.
    #[serde(default)]
    pub beyond: u64,
    /// It is over.
    pub over: bool,
    /// Why it could not go on; what was brought in stays, and importing again goes on there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub problem: Option<String>,
}
