//! Whether changes can be committed.

use std::time::Duration;

/// How often a database that is away, or a full disk, is looked at.
pub(super) const PROBE: Duration = Duration::from_millis(200);

/// Whether changes can be committed.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum Mode {
    /// Not loaded yet.
    Loading,
    Ready,
    /// Not now; looked at again and again.
    Away,
    /// For good: another service has taken over.
    Lost,
}
