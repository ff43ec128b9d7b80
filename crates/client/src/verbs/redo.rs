//! `yadori redo`: makes again what was taken back last.

use std::io::Write;

use clap::Args;

use super::undo::step;
use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::said;

/// Make again what was taken back last, or the last few
#[derive(Debug, Args)]
pub(crate) struct Redo {
    /// How many
    #[arg(value_name = "COUNT", default_value_t = 1, value_parser = clap::value_parser!(u16).range(1..))]
    count: u16,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Redo {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        step(service, out, ("/redo", self.count, self.json), |act| said!("Made again: {act}.", act = act))
    }
}
