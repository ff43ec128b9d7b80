//! `yadori undo`: takes the last act back.

use std::io::Write;

use clap::Args;
use yadori_api::Undone;

use super::{json, list};
use crate::connection::Connection;
use crate::failure::Failure;

/// Take the last act back
#[derive(Debug, Args)]
pub(crate) struct Undo {
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Undo {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let undone: Undone = service.post_empty("/undo")?;
        if self.json {
            return json(out, &undone);
        }
        writeln!(out, "Taken back: {}. Here again:", undone.act)?;
        list::print(out, &undone.clips)
    }
}
