//! Pictures that were handed out as files: each for as long as its clip is in the history and the service runs.

use std::fs::DirBuilder;
use std::io;
use std::os::unix::fs::DirBuilderExt;
use std::path::PathBuf;

use yadori_core::ClipId;

use crate::home::place::write_private;

/// Bytes of a file's name.
const NAME: usize = 120;

/// Where they are: a directory that this user alone can read.
#[derive(Clone, Debug, Default)]
pub struct Files(Option<PathBuf>);

impl Files {
    /// Files in this directory; what an earlier run left there goes.
    pub fn at(dir: PathBuf) -> Self {
        let _ = std::fs::remove_dir_all(&dir);
        Self(Some(dir))
    }

    fn of(&self, id: ClipId) -> io::Result<PathBuf> {
        let dir = self.0.as_ref().ok_or(io::ErrorKind::NotFound)?;
        Ok(dir.join(id.to_string()))
    }

    /// Puts a clip's picture into a file with this name. Blocks.
    ///
    /// # Errors
    /// It can't be written.
    pub fn put(&self, id: ClipId, name: &str, bytes: &[u8]) -> io::Result<PathBuf> {
        let dir = self.of(id)?;
        DirBuilder::new().recursive(true).mode(0o700).create(&dir)?;
        let path = dir.join(name);
        write_private(&path, bytes)?;
        Ok(path)
    }

    /// A clip has left the history. Blocks.
    pub fn forget(&self, id: ClipId) {
        if let Ok(dir) = self.of(id) {
            let _ = std::fs::remove_dir_all(dir);
        }
    }

    /// The service ends. Blocks.
    pub fn clear(&self) {
        if let Some(dir) = &self.0 {
            let _ = std::fs::remove_dir_all(dir);
        }
    }
}

/// A name for a file out of a title: without what a path or a terminal would take for something else.
pub fn name_of(title: Option<&str>, extension: &str) -> String {
    let usual = |letter: &char| !letter.is_control() && !matches!(letter, '/' | '\\' | ':');
    let name: String = title.unwrap_or_default().chars().filter(usual).collect();
    let mut name = name.trim().trim_start_matches('.').to_owned();
    let mut end = name.len().min(NAME);
    while !name.is_char_boundary(end) {
        end -= 1;
    }
    name.truncate(end);
    let name = Some(name.trim()).filter(|name| !name.is_empty()).unwrap_or("picture");
    format!("{name}.{extension}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_title_becomes_a_name_that_is_nothing_else() {
        for (title, name) in [
            (Some("Route map, south"), "Route map, south.png"),
            (Some("../../etc/passwd"), "etcpasswd.png"),
            (Some("\u{7}  "), "picture.png"),
            (None, "picture.png"),
        ] {
            assert_eq!(name_of(title, "png"), name);
        }
        assert!(name_of(Some(&"字".repeat(400)), "png").len() <= NAME + 4);
    }

    #[test]
    fn a_clip_that_is_gone_leaves_no_file() {
        let dir = tempfile::tempdir().unwrap();
        let files = Files::at(dir.path().join("handed"));
        let id = ClipId([3; 16]);
        let path = files.put(id, "a.png", b"bytes").unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"bytes");
        files.forget(id);
        assert!(!path.exists());
        let path = files.put(id, "a.png", b"bytes").unwrap();
        files.clear();
        assert!(!path.exists());
        assert!(Files::default().put(id, "a.png", b"").is_err());
    }
}
