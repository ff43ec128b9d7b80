//! `yadori restore`: a backup into an empty history.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;
use yadori_api::Restored;

use super::import::sending;
use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::files::read::opened;
use crate::interrupt;
use crate::table;
use yadori_words::{said, word};

/// Make a backup the history of an empty home
#[derive(Debug, Args)]
pub(crate) struct Restore {
    /// The backup; `-` for standard input
    file: PathBuf,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Restore {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let (from, length) = opened(&self.file)?;
        let bar = sending(length);
        let _begun = interrupt::words(word!("nothing was restored; restore again when you like"));
        let restored: Result<Restored, Failure> = service.upload("/restore", bar.wrap_read(from));
        bar.finish_and_clear();
        let restored = restored?;
        if self.json {
            return json(out, &restored);
        }
        let (clips, size) = (table::count_of(restored.clips, "clip"), table::size(restored.bytes));
        writeln!(out, "{}", said!("Restored {clips} ({size}).", clips = clips, size = size))?;
        Ok(())
    }
}
