//! `yadori pin` and `yadori unpin`: favorites, in the person's own order.

use std::io::{IsTerminal, Write};

use clap::Args;
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{Keep, KeepIn};

use super::{act, ids, ids_of};
use crate::asking::confirmed;
use crate::completing::clips;
use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::{said, word};

/// Keep clips among the favorites, beyond limits and clearing
#[derive(Debug, Args)]
pub(crate) struct Pin {
    /// Which clips
    #[arg(required = true, value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clips: Vec<String>,
    /// Place them before this favorite, e.g. f1
    #[arg(long, value_name = "CLIP", add = ArgValueCompleter::new(clips), conflicts_with = "last")]
    before: Option<String>,
    /// Move them to the end
    #[arg(long)]
    last: bool,
    /// Recognised secrets as well: they are recorded like any other clip, masked
    #[arg(long)]
    secret: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Pin {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let before = match (&self.before, self.last) {
            (Some(clip), _) => Some(ids_of(service, clip)?),
            (None, true) => Some(String::new()),
            (None, false) => None,
        };
        let ids = ids(service, &self.clips)?;
        let request = Keep { ids, to: KeepIn::Favorites, before, secrets: self.secret };
        match act(service, out, "/keep", &request, self.json) {
            Err(Failure::Answered(problem)) if problem.kind == "secret" && std::io::stdin().is_terminal() => {
                if !confirmed(word!(
                    "It was recognised as a secret, and pinning records it, masked. Pin it?"
                ))? {
                    return Err(Failure::Cancelled(said!("nothing was done")));
                }
                act(service, out, "/keep", &Keep { secrets: true, ..request }, self.json)
            }
            other => other,
        }
    }
}

/// Keep clips no longer; they stay in the history
#[derive(Debug, Args)]
pub(crate) struct Unpin {
    /// Which clips
    #[arg(required = true, value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clips: Vec<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Unpin {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let request =
            Keep { ids: ids(service, &self.clips)?, to: KeepIn::Nowhere, before: None, secrets: false };
        act(service, out, "/keep", &request, self.json)
    }
}
