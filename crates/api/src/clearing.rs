//! Clearing: what it would take, and taking it.

use serde::{Deserialize, Serialize};

use yadori_core::limits::Scope;

use crate::Row;

/// To clear clips, or to see what that would take.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Clear {
    /// What it takes.
    #[serde(default)]
    pub scope: Scope,
    /// What a preview gave: nothing that was copied after it goes.
    #[serde(default, with = "crate::moment::optional", skip_serializing_if = "Option::is_none")]
    pub upto: Option<i64>,
    /// Without a grace period: it can't be taken back.
    #[serde(default)]
    pub now: bool,
    /// The live clipboard as well.
    #[serde(default)]
    pub live: bool,
    /// The viewer's zone by its IANA name or its offset (+09:00), for times in the search.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub zone: Option<String>,
}

/// What a clearing would take.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ClearPlan {
    /// How many clips.
    pub clips: u64,
    /// Their bytes.
    pub bytes: u64,
    /// Favorites that are meant by everything else that was said, and stay.
    pub spared: u64,
    /// Some of them, newest first.
    pub sample: Vec<Row>,
    /// The scope in words.
    pub words: String,
    /// To be given back with the clearing, so that it takes what was seen.
    #[serde(with = "crate::moment")]
    pub upto: i64,
    /// For how many seconds it can be taken back.
    pub grace_seconds: u64,
}

/// What was cleared.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Cleared {
    /// The id of the act; absent when there was no clip to clear and only the live clipboard was.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub id: Option<String>,
    /// How many clips have gone.
    pub clips: u64,
    /// For how many seconds it can be taken back; 0: not at all.
    pub grace_seconds: u64,
    /// The live clipboard was cleared.
    pub live: bool,
    /// The state of the history after it.
    pub revision: u64,
}

/// What the limits would take, and why they wait for a person.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Waits {
    /// How many clips.
    pub clips: u64,
    /// Why, in words.
    pub why: String,
}

/// What the private database takes on the disk.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Space {
    /// Bytes of its directory.
    pub disk: u64,
    /// Bytes of the contents in it.
    pub contents: u64,
}

/// Something that takes a while, and how far it has come.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Work {
    /// What is being done, in words.
    pub what: String,
    /// Clips that are done.
    pub done: u64,
    /// Of how many.
    pub of: u64,
}
