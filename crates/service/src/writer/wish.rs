//! A clearing that is asked for.

use std::collections::HashMap;

use yadori_core::limits::Scope;
use yadori_core::{ClipId, Micros, Stamp};

/// What the clearing of a sweep is called among the acts.
pub const BY_LIMITS: &str = "the limits";

/// A clearing that is asked for.
#[derive(Clone, Debug)]
pub struct ClearWish {
    /// What was asked for.
    pub scope: Scope,
    /// What that takes.
    pub clips: Vec<ClipId>,
    /// How far this device had written when that was found out: what was written later stays.
    pub floor: Stamp,
    /// Those of them that a clock far ahead has stamped, each with its newest stamp as it was seen: it is its own floor.
    pub ahead: HashMap<ClipId, Stamp>,
    /// The scope takes what lives in memory alone as well.
    pub fleeting: bool,
    /// The time of the newest clip that was seen when it was asked: what came later stays.
    pub upto: Option<Micros>,
    /// Without a grace period.
    pub now: bool,
    /// The standing order that asks.
    pub order: Option<String>,
}
