//! `yadori pick`: the history in a terminal, for choosing with a few keys.

use std::io::{self, IsTerminal};

use clap::Args;

use crate::connection::Connection;
use crate::failure::Failure;
use crate::picker;
use yadori_words::said;

/// Choose a clip with a few letters and a key, in any terminal
///
/// Opened by its chord (`yadori chords` shows it), Enter pastes where the cursor was. Started by hand, Enter puts the clip on
/// the clipboard.
#[derive(Debug, Args)]
pub(crate) struct Pick {
    /// Swap the two ways to take: Enter puts on the clipboard, Tab pastes
    #[arg(long)]
    swap: bool,
    /// Open it in a window of its own, as its chord does: for the key settings of a desktop or compositor
    #[arg(long, conflicts_with = "swap")]
    open: bool,
}

impl Pick {
    pub(crate) fn run(&self, service: &Connection) -> Result<(), Failure> {
        if self.open {
            return service.post_nothing("/picker/open");
        }
        if !io::stdout().is_terminal() || !io::stdin().is_terminal() {
            return Err(Failure::Use(said!(
                "the picker needs a terminal; `yadori list` and `yadori take` do the same for programs"
            )));
        }
        picker::run(service, self.swap)
    }
}
