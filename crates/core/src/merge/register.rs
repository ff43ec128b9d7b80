//! A last-writer-wins register: a value and the stamp of its writing.

use serde::{Deserialize, Serialize};

use crate::merge::stamp::Stamp;

/// A value and when it was written.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
pub struct Written<T> {
    /// When, and by which device.
    pub at: Stamp,
    /// What.
    pub value: T,
}

/// The newer of two registers wins; of equal stamps, which a disk may give twice that was replaced by an older copy, the
/// greater value.
pub(crate) fn newest<T: Clone + Ord>(own: &mut Option<T>, other: &Option<T>) {
    if other > own {
        own.clone_from(other);
    }
}

/// The value, unless it was written at or before the floor.
pub(crate) fn above<T>(register: &Option<Written<T>>, floor: Option<Stamp>) -> Option<&T> {
    register.as_ref().filter(|one| Some(one.at) > floor).map(|one| &one.value)
}
