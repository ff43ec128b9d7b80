//! Whether the limits are held back: what they took was brought back by a person. Remembered over restarts.

use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Mutex, PoisonError};

use crate::home::place::write_private;

/// Whether they are, and where that is remembered.
#[derive(Debug, Default)]
pub struct Holding {
    holds: AtomicBool,
    file: Mutex<Option<PathBuf>>,
}

impl Holding {
    /// As an earlier run left it.
    pub fn remembered(&self, file: PathBuf) {
        self.holds.store(file.exists(), Ordering::SeqCst);
        *self.file.lock().unwrap_or_else(PoisonError::into_inner) = Some(file);
    }

    /// True while they are held back.
    pub fn holds(&self) -> bool {
        self.holds.load(Ordering::SeqCst)
    }

    /// They are held back from now on, or no longer.
    pub fn hold(&self, holds: bool) {
        self.holds.store(holds, Ordering::SeqCst);
        let Some(file) = self.file.lock().unwrap_or_else(PoisonError::into_inner).clone() else { return };
        let done = if holds { write_private(&file, b"held\n") } else { std::fs::remove_file(file) };
        if let Err(why) =
            done.or_else(|why| if why.kind() == std::io::ErrorKind::NotFound { Ok(()) } else { Err(why) })
        {
            tracing::warn!("whether the limits are held back is not remembered over a restart: {why}");
        }
    }
}
