//! Cutting files in a file manager.

use std::time::{Duration, Instant};

use anyhow::Result;

use super::programs::Programs;
use crate::until;

impl Programs {
    /// Cuts the two files in their folder. The file manager shows new files when word of them has reached it,
    /// so the keys are pressed once more when they have cut nothing, as a person would.
    ///
    /// # Errors
    /// When the file manager does not do what it is asked to.
    pub fn cut_files(&mut self) -> Result<()> {
        self.show("files-to-copy")?;
        let since = |this: &Self| this.desktop.display.paste("TIMESTAMP");
        let before = since(self);
        let both = |this: &Self| {
            let list = this.desktop.display.paste("text/uri-list").unwrap_or_default();
            let files = list.split(|byte| *byte == b'\n').filter(|line| line.starts_with(b"file:")).count();
            since(this) != before && files == 2
        };
        let mut pressed = None::<Instant>;
        until("the cut", || {
            if both(self) {
                return Some(Ok(()));
            }
            if pressed.is_none_or(|at| at.elapsed() > Duration::from_secs(3)) {
                pressed = Some(Instant::now());
                return self.desktop.press(&["ctrl+a", "ctrl+x"]).err().map(Err);
            }
            None
        })
    }
}
