//! `yadori backup`: everything, contents included, in one file.

use std::fs::{File, OpenOptions};
use std::io::{self, Read, Seek, SeekFrom, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};

use clap::Args;

use crate::connection::Connection;
use crate::failure::Failure;
use crate::table;

/// Write everything, contents included, to a file
#[derive(Debug, Args)]
pub(crate) struct Backup {
    /// Where to; an existing file is replaced once the new one is whole
    file: PathBuf,
}

impl Backup {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let mut name = self.file.clone().into_os_string();
        name.push(".part");
        let part = PathBuf::from(name);
        let outcome = self.write(service, &part);
        if outcome.is_err() {
            let _ = std::fs::remove_file(&part);
        }
        let bytes = outcome?;
        writeln!(
            out,
            "Wrote {} to {}. It is not encrypted: keep it where nobody else reads.",
            table::size(bytes),
            self.file.display()
        )?;
        Ok(())
    }

    fn write(&self, service: &Connection, part: &Path) -> Result<u64, Failure> {
        let failed = |cause| Failure::file(part, cause);
        let mut bytes = service.download("/backup")?;
        let mut file = OpenOptions::new()
            .write(true)
            .read(true)
            .create(true)
            .truncate(true)
            .mode(0o600)
            .open(part)
            .map_err(failed)?;
        let count = io::copy(&mut bytes, &mut file).map_err(|why| {
            Failure::Connection(format!("the backup broke off ({why}); nothing was replaced"))
        })?;
        if !is_whole(&mut file).map_err(failed)? {
            return Err(Failure::Connection("the backup broke off; nothing was replaced".into()));
        }
        file.sync_all().map_err(failed)?;
        std::fs::rename(part, &self.file).map_err(|cause| Failure::file(&self.file, cause))?;
        Ok(count)
    }
}

/// A whole archive ends with two empty blocks of 512 bytes (POSIX ustar).
fn is_whole(file: &mut File) -> io::Result<bool> {
    let mut end = [1; 1_024];
    file.seek(SeekFrom::End(-1_024))?;
    file.read_exact(&mut end)?;
    Ok(end.iter().all(|byte| *byte == 0))
}
