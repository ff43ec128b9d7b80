//! `yadori take`: a clip onto the live clipboard.

use std::io::Write;

use clap::Args;
use yadori_api::{Form, Take as Wish, Taken};

use super::json;
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::table;

/// Put a clip on the clipboard, for the next ordinary paste
#[derive(Debug, Args)]
pub(crate) struct Take {
    /// Which clip
    #[arg(default_value = "1", value_name = "CLIP")]
    clip: String,
    /// As plain text, without formatting
    #[arg(long)]
    plain: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Take {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let form = if self.plain { Form::Plain } else { Form::Copied };
        let taken: Taken = service.post(&format!("/clips/{}/take", escaped(&self.clip)), &Wish { form })?;
        if self.json {
            return json(out, &taken);
        }
        let plain = if self.plain { ", as plain text" } else { "" };
        let what = table::cut(&table::line(&taken.row), table::width().saturating_sub(32).max(20));
        writeln!(out, "A paste now gives{plain}: {what}")?;
        Ok(())
    }
}
