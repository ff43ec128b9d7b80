//! `yadori stop`: ends the service.

use std::io::Write;

use clap::Args;

use crate::connection::Connection;
use crate::failure::Failure;

/// End the service; copies are not kept until it is started again
#[derive(Debug, Args)]
pub(crate) struct Stop {}

impl Stop {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        service.post_nothing("/stop")?;
        writeln!(
            out,
            "The service is stopping. Until `yadorid` runs again, copies are not kept, what was taken can't be pasted, chords are \
             not heard, and standing orders do not act."
        )?;
        Ok(())
    }
}
