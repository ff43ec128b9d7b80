//! `yadori join`: several clips become one text.

use std::io::Write;

use clap::{Args, ValueEnum};
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{Join as Request, Joined};

use super::{ids, json};
use crate::completing::clips;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use yadori_words::said;

/// A list.
#[derive(Clone, Copy, Debug, ValueEnum)]
enum ListOf {
    /// With bullets
    Bullets,
    /// Numbered
    Numbers,
}

/// Make one text of several clips, in the order in which they are named; it becomes the newest clip
#[derive(Debug, Args)]
pub(crate) struct Join {
    /// Which clips
    #[arg(value_name = "CLIP", add = ArgValueCompleter::new(clips), required_unless_present = "batch")]
    clips: Vec<String>,
    /// The items of a batch instead, by its name; `-` is the one in hand
    #[arg(long, value_name = "NAME", conflicts_with = "clips")]
    batch: Option<String>,
    /// What stands between them; a line's end if nothing is said
    #[arg(long, value_name = "TEXT")]
    with: Option<String>,
    /// As a list
    #[arg(long, value_enum, conflicts_with = "with")]
    list: Option<ListOf>,
    /// Only show what it would be
    #[arg(long)]
    preview: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Join {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let list = self.list.map(|list| match list {
            ListOf::Bullets => "bullets".to_owned(),
            ListOf::Numbers => "numbers".to_owned(),
        });
        let (batch, with) = (self.batch.clone(), self.with.clone());
        let request = Request { clips: ids(service, &self.clips)?, batch, with, list, preview: self.preview };
        let joined: Joined = service.post("/join", &request)?;
        if self.json {
            return json(out, &joined);
        }
        writeln!(out, "{}", shown(&joined.text, true))?;
        let told = joined.text.chars().count() as u64;
        if told < joined.chars {
            writeln!(out, "{}", said!("… and {more} characters more", more = joined.chars - told))?;
        }
        Ok(())
    }
}
