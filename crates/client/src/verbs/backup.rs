//! `yadori backup`: everything, contents included, in one file.

use std::io::Write;
use std::path::PathBuf;

use clap::Args;

use crate::connection::Connection;
use crate::failure::Failure;
use crate::files::write::Target;
use crate::table;
use crate::transfer::{receive, told, whole};

/// Write everything, contents included, to a file
#[derive(Debug, Args)]
pub(crate) struct Backup {
    /// Where to; `-` for standard output
    file: PathBuf,
    /// Replace the file, once the new one is whole
    #[arg(long)]
    force: bool,
}

impl Backup {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let target = Target::at(&self.file, self.force)?;
        let end = receive(service, "/backup", &target, out, |bytes| bytes)?;
        if !matches!(target, Target::Standard) {
            writeln!(
                out,
                "Wrote {} to {}. It is not encrypted: keep it where nobody else reads.",
                table::size(end.bytes),
                told(&self.file)
            )?;
        }
        whole(&end, &target)
    }
}
