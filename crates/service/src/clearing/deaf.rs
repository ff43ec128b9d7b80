//! Whether locking is heard.

use std::sync::{Mutex, PoisonError};

/// Why locking is not heard, if it is not.
#[derive(Debug, Default)]
pub struct Deaf(Mutex<Option<String>>);

impl Deaf {
    /// Why locking is not heard.
    pub fn why(&self) -> Option<String> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// Why it is not heard from now on, or that it is.
    pub fn set(&self, why: Option<String>) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = why;
    }
}
