//! Writing a file whole or not at all: beside its place first, then into it. What is there is replaced only when that is
//! asked for, keeps its mode, and stays behind its link; devices are written to and never replaced; `-` is standard
//! output.

use std::fs::{File, OpenOptions, Permissions};
use std::io::{self, BufWriter, Write};
use std::os::unix::fs::{FileTypeExt, OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};

use tempfile::NamedTempFile;

use crate::failure::Failure;
use crate::interrupt;
use yadori_words::{said, word};

/// Bytes gathered before they are written.
const BUFFER: usize = 1 << 18;

/// Where something is written.
#[derive(Debug)]
pub(crate) enum Target {
    /// Standard output.
    Standard,
    /// A device or a pipe.
    Device(PathBuf),
    /// A file: its place behind all links, and the mode that it has or shall have.
    File(PathBuf, u32),
}

impl Target {
    /// Looks at where to write. `force` allows that a file is replaced.
    pub(crate) fn at(path: &Path, force: bool) -> Result<Self, Failure> {
        if path == Path::new("-") {
            return Ok(Self::Standard);
        }
        let failed = |cause| Failure::file(path, cause);
        let Ok(about) = path.metadata() else {
            if path.symlink_metadata().is_ok() {
                return Err(Failure::Use(said!("{path} is a link to nothing", path = path.display())));
            }
            return Ok(Self::File(path.to_owned(), 0o600));
        };
        let kind = about.file_type();
        if kind.is_dir() {
            return Err(failed(io::ErrorKind::IsADirectory.into()));
        }
        if kind.is_char_device() || kind.is_block_device() || kind.is_fifo() {
            return Ok(Self::Device(path.to_owned()));
        }
        if !force {
            return Err(Failure::Use(said!(
                "{path} is there already; --force replaces it",
                path = path.display()
            )));
        }
        let place = path.canonicalize().map_err(failed)?;
        Ok(Self::File(place, about.permissions().mode() & 0o777))
    }

    /// What it is called in messages.
    pub(crate) fn name(&self) -> String {
        match self {
            Self::Standard => said!("standard output"),
            Self::Device(path) | Self::File(path, _) => path.display().to_string(),
        }
    }

    /// Writes, and puts the file in its place if `write` says that it is whole.
    pub(crate) fn write<T>(
        &self,
        out: &mut dyn Write,
        write: impl FnOnce(&mut dyn Write) -> Result<T, Failure>,
    ) -> Result<T, Failure> {
        match self {
            Self::Standard => {
                let done = write(out)?;
                out.flush()?;
                Ok(done)
            }
            Self::Device(path) => {
                let failed = |cause| Failure::file(path, cause);
                let mut to = OpenOptions::new().write(true).open(path).map_err(failed)?;
                let done = write(&mut to)?;
                to.flush().map_err(failed)?;
                Ok(done)
            }
            Self::File(path, mode) => {
                let failed = |cause| Failure::file(path, cause);
                let scratch = beside(path).map_err(|cause| no_directory(path, cause))?;
                let _begun = interrupt::file(scratch.path());
                let mut to = BufWriter::with_capacity(BUFFER, scratch.as_file());
                let done = write(&mut to)?;
                to.flush().map_err(failed)?;
                drop(to);
                let file: &File = scratch.as_file();
                file.set_permissions(Permissions::from_mode(*mode)).map_err(failed)?;
                file.sync_all().map_err(failed)?;
                scratch.persist(path).map_err(|why| failed(why.error))?;
                Ok(done)
            }
        }
    }
}

/// Why a file can't be made: what is missing is its directory.
pub(crate) fn no_directory(path: &Path, cause: io::Error) -> Failure {
    if cause.kind() == io::ErrorKind::NotFound {
        let why = word!("there is no such directory to write it into");
        return Failure::file(path, io::Error::new(io::ErrorKind::NotFound, why));
    }
    Failure::file(path, cause)
}

/// A file beside a place, gone when it is dropped.
fn beside(path: &Path) -> io::Result<NamedTempFile> {
    let folder = path.parent().filter(|one| !one.as_os_str().is_empty()).unwrap_or(Path::new("."));
    tempfile::Builder::new().prefix(".yadori-").tempfile_in(folder)
}

/// A new file for this user alone; none when there is one of that name.
pub(crate) fn new_file(path: &Path) -> io::Result<File> {
    OpenOptions::new().write(true).create_new(true).mode(0o600).open(path)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn put(path: &Path, force: bool, text: &str) -> Result<(), Failure> {
        Target::at(path, force)?.write(&mut io::sink(), |to| Ok(to.write_all(text.as_bytes())?))
    }

    #[test]
    fn a_file_is_replaced_only_when_asked_and_keeps_its_mode_and_its_link() {
        let dir = tempfile::tempdir().unwrap();
        let (file, link) = (dir.path().join("a"), dir.path().join("link"));
        put(&file, false, "one").unwrap();
        assert_eq!(file.metadata().unwrap().permissions().mode() & 0o777, 0o600);
        let why = put(&file, false, "two").unwrap_err();
        assert_eq!((why.exit_code(), std::fs::read_to_string(&file).unwrap().as_str()), (2, "one"));
        std::fs::set_permissions(&file, Permissions::from_mode(0o640)).unwrap();
        std::os::unix::fs::symlink("a", &link).unwrap();
        put(&link, true, "three").unwrap();
        assert!(link.symlink_metadata().unwrap().is_symlink());
        assert_eq!(std::fs::read_to_string(&file).unwrap(), "three");
        assert_eq!(file.metadata().unwrap().permissions().mode() & 0o777, 0o640);
        assert!(put(dir.path(), true, "x").is_err());
    }

    #[test]
    fn what_breaks_off_leaves_what_was_there_and_nothing_beside_it() {
        let dir = tempfile::tempdir().unwrap();
        let file = dir.path().join("a");
        put(&file, false, "good").unwrap();
        let broken = Target::at(&file, true).unwrap().write(&mut io::sink(), |to| -> Result<(), Failure> {
            to.write_all(b"half")?;
            Err(Failure::Connection("it broke off".into()))
        });
        assert!(broken.is_err());
        assert_eq!(std::fs::read_to_string(&file).unwrap(), "good");
        assert_eq!(std::fs::read_dir(dir.path()).unwrap().count(), 1);
    }

    #[test]
    fn a_device_is_written_to_and_never_replaced() {
        let device = Path::new("/dev/null");
        put(device, true, "gone").unwrap();
        put(device, false, "gone").unwrap();
        assert!(device.metadata().unwrap().file_type().is_char_device());
    }
}
