//! Room on the disk of a private server, which does not survive every way of running out of it; and staging of contents
//! that are too large to travel with a change.

use std::path::{Path, PathBuf};

use yadori_core::{Content, Digest};
use yadori_store::{CHUNK, CommitError, Store};

use crate::state::clock::now;

/// Room that must stay free.
pub const RESERVE: u64 = 48 * 1024 * 1024;

/// The disk of a private server; none for a database that was given.
#[derive(Clone, Debug, Default)]
pub struct Disk(Option<PathBuf>);

impl Disk {
    /// The disk on which this directory lies.
    pub fn of(directory: Option<PathBuf>) -> Self {
        Self(directory)
    }

    /// The directory, where there is one.
    pub fn directory(&self) -> Option<&Path> {
        self.0.as_deref()
    }

    /// True when so many bytes still fit beside the reserve.
    pub fn has_room(&self, bytes: u64) -> bool {
        let Some(directory) = &self.0 else { return true };
        match rustix::fs::statvfs(directory) {
            Ok(free) => free.f_bavail.saturating_mul(free.f_frsize) >= RESERVE.saturating_add(bytes),
            Err(_) => true,
        }
    }

    /// Stages the contents of a copy that are too large to travel with a change.
    ///
    /// # Errors
    /// Those of the database; what was staged so far is collected later.
    pub async fn stage(&self, store: &Store, contents: &[(Digest, Content)]) -> Result<(), CommitError> {
        for (digest, content) in contents.iter().filter(|(_, content)| content.len() > CHUNK) {
            self.stage_one(store, *digest, content).await?;
        }
        Ok(())
    }

    /// Stages small contents together, if there is room for them.
    ///
    /// # Errors
    /// Those of the database; none of them is staged then.
    pub async fn stage_small(
        &self,
        store: &Store,
        contents: &[(Digest, Content)],
    ) -> Result<(), CommitError> {
        let bytes: u64 = contents.iter().map(|(_, content)| content.len() as u64).sum();
        if !self.has_room(bytes * 2) {
            return Err(CommitError::Full);
        }
        store.stage_small(contents, now()).await
    }

    /// Stages one content of any size, if there is room for it.
    ///
    /// # Errors
    /// Those of the database; what was staged so far is collected later.
    pub async fn stage_one(
        &self,
        store: &Store,
        digest: Digest,
        content: &Content,
    ) -> Result<(), CommitError> {
        // Rows, their log and their doublewrite all take room for a while.
        if !self.has_room(content.len() as u64 * 2) {
            return Err(CommitError::Full);
        }
        store.stage(digest, content, now()).await
    }
}
