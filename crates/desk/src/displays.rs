//! Which displays are watched: one of X, one of Wayland, or both on a desktop that has both.

use std::path::{Path, PathBuf};

use crate::{Desk, DeskEvents, Keys, both, wayland, x11};

/// What is to be watched. Neither: nothing is known.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Displays {
    /// An X display such as `:0`.
    pub x: Option<String>,
    /// The socket of a Wayland compositor.
    pub wayland: Option<PathBuf>,
}

impl Displays {
    /// Reads names with spaces between: what has a colon is an X display, anything else a Wayland display, which stands in
    /// the run-time directory unless it is a path.
    pub fn named(names: &str, run: Option<&Path>) -> Self {
        let mut displays = Self::default();
        for name in names.split_whitespace() {
            if name.contains(':') && !name.starts_with('/') {
                displays.x = Some(name.to_owned());
            } else {
                displays.wayland = Some(run.map_or_else(|| PathBuf::from(name), |run| run.join(name)));
            }
        }
        displays
    }
}

/// Starts watching; `paused`: what is copied is not read until that is resumed.
///
/// # Errors
/// The system gives no thread or descriptor.
pub fn start(displays: Displays, keys: Keys, paused: bool) -> std::io::Result<(Desk, DeskEvents)> {
    match (displays.x, displays.wayland) {
        (Some(x), Some(wayland)) => both::start(x, wayland, keys, paused),
        (None, Some(socket)) => wayland::start(socket, keys, paused),
        (display, None) => x11::start_paused(display, keys, paused),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_tell_which_kind_they_are_of() {
        let named = |names: &str| Displays::named(names, Some(Path::new("/run/user/1000")));
        let wayland = |path: &str| Some(PathBuf::from(path));
        assert_eq!(named(""), Displays::default());
        assert_eq!(named(":0"), Displays { x: Some(":0".into()), wayland: None });
        let both = Displays { x: Some("host:1.0".into()), wayland: wayland("/run/user/1000/wayland-1") };
        assert_eq!(named(" wayland-1  host:1.0 "), both);
        assert_eq!(named("/tmp/a:b"), Displays { x: None, wayland: wayland("/tmp/a:b") });
    }
}
