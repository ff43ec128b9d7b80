//! A clearing that is asked for.

use std::collections::HashSet;

use yadori_core::limits::Scope;
use yadori_core::{ClipId, Micros};

/// What the clearing of a sweep is called among the acts.
pub const BY_LIMITS: &str = "the limits";

/// A clearing that is asked for.
#[derive(Clone, Debug, Default)]
pub struct ClearWish {
    /// What it takes.
    pub scope: Scope,
    /// What its search finds, where it has one.
    pub found: Option<HashSet<ClipId>>,
    /// The time of the newest clip that was seen when it was asked: what came later stays.
    pub upto: Option<Micros>,
    /// Without a grace period.
    pub now: bool,
    /// The standing order that asks.
    pub order: Option<String>,
}
