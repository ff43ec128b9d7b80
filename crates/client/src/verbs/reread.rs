//! `yadori reread`: the service reads its configuration again.

use std::io::Write;

use clap::Args;

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::said;

/// Let the service read its configuration again: chords, pasting, the picker
///
/// With a mistake in it, everything stays as it was. What else stands in it holds when the service is started again.
#[derive(Debug, Args)]
pub(crate) struct Reread {
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Reread {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        service.post_nothing("/reread")?;
        if self.json {
            return json(out, &serde_json::json!({ "reread": true }));
        }
        writeln!(
            out,
            "{}",
            said!(
                "Chords, pasting and the picker are as the configuration says now; `yadori chords` shows them."
            )
        )?;
        Ok(())
    }
}
