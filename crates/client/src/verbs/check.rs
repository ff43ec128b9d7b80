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
            write!(out, "Looked at {} contents; ", checked.contents)?;
            match (checked.mended, checked.damaged) {
                (0, 0) => writeln!(out, "all of them are whole.")?,
                (mended, 0) => writeln!(out, "{mended} were damaged and are whole again.")?,
                (0, damaged) => writeln!(out, "{damaged} clips can't be handed back as they were copied:")?,
                (mended, damaged) => {
                    writeln!(
                        out,
                        "{mended} were damaged and are whole again; {damaged} clips can't be handed back as they were copied:"
                    )?;
                }
            }
            list::print(out, &checked.clips)?;
        }
        if checked.damaged == 0 { Ok(()) } else { Err(Failure::Damaged(checked.damaged)) }
    }
}
