//! `yadori remove`: clips out of the history; `yadori undo` brings them back for a while.

use std::io::Write;

use clap::Args;
use yadori_api::{Remove as Wish, Removed};

use super::{detail, json};
use crate::connection::Connection;
use crate::failure::Failure;

/// Remove clips from the history
#[derive(Debug, Args)]
pub(crate) struct Remove {
    /// Which clips
    #[arg(required = true, value_name = "CLIP")]
    clips: Vec<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Remove {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        // All addresses are looked up before anything goes, so that no place shifts meanwhile.
        let mut ids = Vec::with_capacity(self.clips.len());
        for clip in &self.clips {
            ids.push(detail(service, clip)?.row.id);
        }
        let removed: Removed = service.post("/remove", &Wish { ids })?;
        if self.json {
            return json(out, &removed);
        }
        let clips =
            if removed.removed == 1 { "1 clip".to_owned() } else { format!("{} clips", removed.removed) };
        let minutes = removed.grace_seconds.div_ceil(60);
        writeln!(out, "Removed {clips}. `yadori undo` takes that back, for {minutes} minutes.")?;
        Ok(())
    }
}
