//! `yadori console`: a sign-in link for the browser.

use std::io::Write;
use std::process::{Command, Stdio};

use clap::Args;
use yadori_api::SignInLink;

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;

/// Print a sign-in link for the console, good once and for a minute
#[derive(Debug, Args)]
pub(crate) struct Console {
    /// Open it in the browser instead
    #[arg(long)]
    open: bool,
    /// For programs
    #[arg(long, conflicts_with = "open")]
    json: bool,
}

impl Console {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let link: SignInLink = service.post_empty("/sign-in-links")?;
        if self.json {
            return json(out, &link);
        }
        if !self.open {
            writeln!(out, "{}", link.url)?;
            return Ok(());
        }
        let opened = Command::new("xdg-open")
            .arg(&link.url)
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .status();
        match opened {
            Ok(status) if status.success() => Ok(writeln!(out, "Opened in the browser.")?),
            _ => Err(Failure::Use(format!(
                "no browser could be opened; open this within a minute:\n{}",
                link.url
            ))),
        }
    }
}
