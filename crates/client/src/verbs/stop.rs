//! `yadori stop`: ends the service, and returns when it has ended.

use std::io::Write;
use std::time::Duration;

use clap::Args;
use rustix::event::{PollFd, PollFlags, Timespec, poll};
use rustix::io::Errno;
use rustix::process::{PidfdFlags, pidfd_open};

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::said;

/// After how long it is said what is waited for.
const SOON: Duration = Duration::from_secs(2);

/// End the service; copies are not kept until it is started again
#[derive(Debug, Args)]
pub(crate) struct Stop {
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Stop {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let process = pidfd_open(service.process()?, PidfdFlags::empty());
        service.post_nothing("/stop")?;
        if let Ok(process) = process {
            let soon = Timespec { tv_sec: SOON.as_secs().cast_signed(), tv_nsec: 0 };
            let mut waits = Some(&soon);
            // A process that has ended can be read (pidfd_open(2)).
            loop {
                match poll(&mut [PollFd::new(&process, PollFlags::IN)], waits) {
                    Ok(0) => {
                        writeln!(
                            std::io::stderr(),
                            "{}",
                            said!("yadori: what it has begun is being brought to its end …")
                        )?;
                        waits = None;
                    }
                    Ok(_) => break,
                    Err(Errno::INTR) => {}
                    Err(why) => return Err(Failure::Connection(why.to_string())),
                }
            }
        }
        if self.json {
            return json(out, &serde_json::json!({ "ended": true }));
        }
        writeln!(
            out,
            "{}",
            said!(
                "The service has ended. Until `yadorid` runs again, copies are not kept, what was taken can't be pasted, chords are not heard, and standing orders do not act."
            )
        )?;
        Ok(())
    }
}
