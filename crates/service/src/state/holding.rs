//! Whether the limits are held back: what they took was brought back by a person, which is remembered over restarts; or clips are
//! being brought in, of which they would take some before anybody knows how many there are.

use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};

use crate::home::place::write_private;

/// Whether they are, and where that is remembered.
#[derive(Debug, Default)]
pub struct Holding {
    holds: AtomicBool,
    imports: AtomicUsize,
    file: Mutex<Option<PathBuf>>,
}

/// Clips are being brought in for as long as this is there.
#[derive(Debug)]
pub struct Importing<'a>(&'a Holding);

impl Drop for Importing<'_> {
    fn drop(&mut self) {
        self.0.imports.fetch_sub(1, Ordering::SeqCst);
    }
}

impl Holding {
    /// Clips are being brought in from now on.
    pub fn importing(&self) -> Importing<'_> {
        self.imports.fetch_add(1, Ordering::SeqCst);
        Importing(self)
    }

    /// True while clips are being brought in.
    pub fn is_importing(&self) -> bool {
        self.imports.load(Ordering::SeqCst) > 0
    }

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
