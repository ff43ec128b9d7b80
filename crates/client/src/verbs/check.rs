//! `yadori check`: every content compared with its digest, and mended where that is possible.

use std::io::Write;

use clap::Args;
use yadori_api::Checked;

use super::{json, list};
use crate::connection::Connection;
use crate::failure::Failure;

/// Compare every content with its digest, and mend what can be mended
#[derive(Debug, Args)]
pub(crate) struct Check {
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Check {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let checked: Checked = service.post_empty("/check")?;
        if self.json {
            json(out, &checked)?;
        } else {
            writeln!(
                out,
                "Looked at {} contents; {} were damaged and are whole again.",
                checked.contents, checked.mended
            )?;
            list::print(out, &checked.clips)?;
        }
        if checked.damaged == 0 { Ok(()) } else { Err(Failure::Damaged(checked.damaged)) }
    }
}
