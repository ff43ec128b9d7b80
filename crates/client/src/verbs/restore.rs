//! `yadori restore`: a backup into an empty history.

use std::fs::File;
use std::io::{BufReader, Write};
use std::path::PathBuf;

use clap::Args;
use yadori_api::Restored;

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::table;

/// Make a backup the history of an empty home
#[derive(Debug, Args)]
pub(crate) struct Restore {
    /// The backup
    file: PathBuf,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Restore {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let file = File::open(&self.file).map_err(|cause| Failure::file(&self.file, cause))?;
        let restored: Restored = service.upload("/restore", BufReader::with_capacity(1 << 18, file))?;
        if self.json {
            return json(out, &restored);
        }
        writeln!(out, "Restored {} clips ({}).", restored.clips, table::size(restored.bytes))?;
        Ok(())
    }
}
