//! `yadori redo`: makes again what was taken back last.

use std::io::Write;

use clap::Args;
use yadori_api::Acted;

use super::{json, list, name_of};
use crate::connection::Connection;
use crate::failure::Failure;

/// Make again what was taken back last
#[derive(Debug, Args)]
pub(crate) struct Redo {
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Redo {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let acted: Acted = service.post_empty("/redo")?;
        if self.json {
            return json(out, &acted);
        }
        writeln!(out, "Made again: {}.", name_of(acted.act))?;
        list::print(out, &acted.clips)
    }
}
