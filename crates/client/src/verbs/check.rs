//! `yadori check`: every content compared with its digest, and mended where that is possible.

use std::io::Write;

use clap::Args;
use yadori_api::Checked;

use super::{json, list};
use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::said;

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
            write!(out, "{}", said!("Looked at {contents} contents; ", contents = checked.contents))?;
            match (checked.mended, checked.damaged) {
                (0, 0) => writeln!(out, "{}", said!("all of them are whole."))?,
                (mended, 0) => {
                    writeln!(
                        out,
                        "{}",
                        said!("{mended} were damaged and are whole again.", mended = mended)
                    )?;
                }
                (0, damaged) => writeln!(
                    out,
                    "{}",
                    said!("{damaged} clips can't be handed back as they were copied:", damaged = damaged)
                )?,
                (mended, damaged) => {
                    writeln!(
                        out,
                        "{}",
                        said!(
                            "{mended} were damaged and are whole again; {damaged} clips can't be handed back as they were copied:",
                            mended = mended,
                            damaged = damaged
                        )
                    )?;
                }
            }
            list::print(out, &checked.clips)?;
        }
        if checked.damaged == 0 { Ok(()) } else { Err(Failure::Damaged(checked.damaged)) }
    }
}
