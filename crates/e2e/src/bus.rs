//! A message bus of a test's own (D-Bus).

use std::io::{BufRead, BufReader};
use std::process::{Child, Command, Stdio};

use anyhow::{Context, Result};

/// It ends with its owner.
#[derive(Debug)]
pub struct Bus {
    daemon: Child,
    /// Where it is.
    pub address: String,
}

impl Bus {
    /// Starts one.
    ///
    /// # Errors
    /// dbus-daemon (Debian package dbus) is not there.
    pub fn start() -> Result<Self> {
        let mut daemon = Command::new("dbus-daemon")
            .args(["--session", "--nofork", "--print-address=1"])
            .stdout(Stdio::piped())
            .spawn()
            .context("dbus-daemon")?;
        let out = daemon.stdout.take().context("its output")?;
        let mut address = String::new();
        BufReader::new(out).read_line(&mut address)?;
        Ok(Self { daemon, address: address.trim().to_owned() })
    }
}

impl Drop for Bus {
    fn drop(&mut self) {
        let _ = self.daemon.kill();
        let _ = self.daemon.wait();
    }
}
