//! `yadori pin` and `yadori unpin`: favorites, in the person's own order.

use std::io::Write;

use clap::Args;
use yadori_api::{Keep, KeepIn};

use super::{act, ids, ids_of};
use crate::connection::Connection;
use crate::failure::Failure;

/// Keep clips among the favorites, beyond limits and clearing
#[derive(Debug, Args)]
pub(crate) struct Pin {
    /// Which clips
    #[arg(required = true, value_name = "CLIP")]
    clips: Vec<String>,
    /// Place them before this favorite, e.g. f1
    #[arg(long, value_name = "CLIP", conflicts_with = "last")]
    before: Option<String>,
    /// Move them to the end
    #[arg(long)]
    last: bool,
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
        let request = Keep { ids: ids(service, &self.clips)?, to: KeepIn::Favorites, before };
        act(service, out, "/keep", &request, self.json)
    }
}

/// Keep clips no longer; they stay in the history
#[derive(Debug, Args)]
pub(crate) struct Unpin {
    /// Which clips
    #[arg(required = true, value_name = "CLIP")]
    clips: Vec<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Unpin {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let request = Keep { ids: ids(service, &self.clips)?, to: KeepIn::Nowhere, before: None };
        act(service, out, "/keep", &request, self.json)
    }
}
