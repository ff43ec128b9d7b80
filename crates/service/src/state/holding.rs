//! Whether the limits are held back: what they took was brought back by a person, which is remembered over restarts; or clips are
//! being brought in, or come from another device by the many, of which they would take some before anybody knows how many there
//! are.

use std::path::PathBuf;
use std::sync::atomic::{AtomicBool, AtomicUsize, Ordering};
use std::sync::{Mutex, PoisonError};
use std::time::{Duration, Instant};

use crate::home::place::write_private;

/// For how long after many clips came from another device more of them are waited for.
pub(crate) const COMES: Duration = Duration::from_secs(20);

/// Whether they are, and where that is remembered.
#[derive(Debug, Default)]
pub struct Holding {
    holds: AtomicBool,
    imports: AtomicUsize,
    came: Mutex<Option<Instant>>,
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

    /// Many clips come from another device just now, and there may be more.
    pub fn many_come(&self, now: Instant) {
        *self.came.lock().unwrap_or_else(PoisonError::into_inner) = Some(now);
    }

    /// True while clips are being brought in, or come by the many.
    pub fn is_filling(&self, now: Instant) -> bool {
        let came = *self.came.lock().unwrap_or_else(PoisonError::into_inner);
        self.imports.load(Ordering::SeqCst) > 0
            || came.is_some_and(|came| now.saturating_duration_since(came) < COMES)
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

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn while_clips_are_brought_in_or_come_by_the_many_there_may_be_more() {
        let (holding, now) = (Holding::default(), Instant::now());
        assert!(!holding.is_filling(now));
        let (first, second) = (holding.importing(), holding.importing());
        drop(first);
        assert!(holding.is_filling(now + COMES * 9));
        drop(second);
        assert!(!holding.is_filling(now));
        holding.many_come(now);
        holding.many_come(now + COMES / 2);
        assert!(holding.is_filling(now + COMES * 5 / 4));
        assert!(!holding.is_filling(now + COMES * 3 / 2));
    }
}
