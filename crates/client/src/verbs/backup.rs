//! `yadori backup`: everything, contents included, in one file.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;

use super::export::bar;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::files::write::Target;
use crate::table;
use crate::transfer::{receive, told, whole, written};
use yadori_words::said;

/// Write everything, contents included, to a file
#[derive(Debug, Args)]
pub(crate) struct Backup {
    /// Where to; `-` for standard output
    file: PathBuf,
    /// Replace the file, once the new one is whole
    #[arg(long)]
    force: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Backup {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let target = Target::at(&self.file, self.force)?;
        let bar = bar();
        let end = receive(service, "/backup", &target, out, |bytes| bar.wrap_read(bytes));
        bar.finish_and_clear();
        let end = end?;
        written(out, &end, &target, self.json, || {
            said!(
                "Wrote {bytes} to {file}. It is not encrypted: keep it where nobody else reads.",
                bytes = table::size(end.bytes),
                file = told(&self.file)
            )
        })?;
        whole(&end, &target)
    }
}
