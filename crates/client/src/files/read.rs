//! Reading files and standard input, of which nobody knows how much they hold.

use std::fs::File;
use std::io::{self, BufReader, Read};
use std::path::Path;

use yadori_api::COPY_CAP;

use crate::failure::Failure;
use yadori_words::word;

/// A file, or standard input for `-`, to be read as it comes; and how many bytes it has, where that is known.
pub(crate) fn opened(path: &Path) -> Result<(Box<dyn Read>, Option<u64>), Failure> {
    if path == Path::new("-") {
        return Ok((Box::new(io::stdin()), None));
    }
    let failed = |cause| Failure::file(path, cause);
    let file = File::open(path).map_err(failed)?;
    let about = file.metadata().map_err(failed)?;
    if about.is_dir() {
        return Err(failed(io::ErrorKind::IsADirectory.into()));
    }
    Ok((Box::new(BufReader::with_capacity(1 << 18, file)), about.is_file().then_some(about.len())))
}

/// All of a file, if it is no larger than a clip may be.
pub(crate) fn file(path: &Path) -> Result<Vec<u8>, Failure> {
    let failed = |cause| Failure::file(path, cause);
    let file = File::open(path).map_err(failed)?;
    if file.metadata().map_err(failed)?.is_dir() {
        return Err(failed(io::ErrorKind::IsADirectory.into()));
    }
    bounded(file, &path.display().to_string())
}

/// All of standard input, if it is no larger than a clip may be.
pub(crate) fn standard_input() -> Result<Vec<u8>, Failure> {
    bounded(io::stdin().lock(), word!("standard input"))
}

fn bounded(from: impl Read, name: &str) -> Result<Vec<u8>, Failure> {
    let mut bytes = Vec::new();
    let failed = |cause| Failure::File { path: name.to_owned(), cause };
    from.take(COPY_CAP + 1).read_to_end(&mut bytes).map_err(failed)?;
    if bytes.len() as u64 > COPY_CAP {
        let why = word!("it holds more than a clip may (64 MiB); nothing was added");
        return Err(failed(io::Error::new(io::ErrorKind::FileTooLarge, why)));
    }
    Ok(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_never_ends_is_read_no_further_than_a_clip_may_be() {
        let why = file(Path::new("/dev/zero")).unwrap_err();
        assert!(why.to_string().contains("64 MiB"), "{why}");
        assert!(file(Path::new("/")).is_err());
    }
}
