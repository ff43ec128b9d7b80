//! `yadori status`: whether copies are kept, what an ordinary paste would insert, and what is wrong.

use std::io::Write;

use clap::Args;
use jiff::tz::TimeZone;
use yadori_api::{CaptureState, DatabaseState, LiveState, Status as Answer};

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;

/// Say whether copies are kept, and what an ordinary paste would insert
#[derive(Debug, Args)]
pub(crate) struct Status {
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Status {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let status: Answer = service.get("/status")?;
        if self.json {
            return json(out, &status);
        }
        let capture = match status.capture.state {
            CaptureState::Keeping => "keeping copies",
            CaptureState::Starting => "starting",
            CaptureState::Waiting => "copies wait in memory",
            CaptureState::Broken => "copies are not being kept",
            CaptureState::Off => "off",
        };
        let display =
            status.capture.display.as_ref().map(|name| format!(" (display {name})")).unwrap_or_default();
        line(out, "Capture", &format!("{capture}{display}"))?;
        why(out, status.capture.reason.as_deref())?;
        let unsaved =
            if status.unsaved > 0 { format!(", {} not yet saved", status.unsaved) } else { String::new() };
        let loaded = if status.loaded { "" } else { " (still loading)" };
        line(out, "Clips", &format!("{}{unsaved}{loaded}", status.clips))?;
        let zone = TimeZone::system();
        if let Some(at) = status.last_copy_at {
            line(out, "Last copy", &table::when(at, &zone))?;
        }
        let live = match (status.live.state, &status.live.clip) {
            (LiveState::Clip, Some(row)) => {
                let plain = if status.live.plain { " (as plain text)" } else { "" };
                format!("{}{plain}", table::cut(&table::line(row), table::width().saturating_sub(28)))
            }
            (LiveState::Empty, _) => "nothing".into(),
            (LiveState::Unkept, _) => "something that is not in the history".into(),
            _ => "not known".into(),
        };
        line(out, "A paste gives", &live)?;
        let database = match status.database.state {
            DatabaseState::Ready => "ready",
            DatabaseState::Starting => "starting",
            DatabaseState::Away => "away",
            DatabaseState::Full => "the disk is full",
            DatabaseState::Refused => "can't be used",
        };
        line(out, "Records", database)?;
        why(out, status.database.reason.as_deref())?;
        match (&status.console, &status.console_problem) {
            (Some(address), _) => {
                line(out, "Console", &format!("{address} (sign in with `yadori console`)"))?;
            }
            (None, Some(problem)) => {
                line(out, "Console", "not served")?;
                why(out, Some(problem))?;
            }
            (None, None) => {}
        }
        for refusal in status.refusals.iter().take(5) {
            let program = refusal.program.as_ref().map(|name| format!(", from {name}")).unwrap_or_default();
            let words = format!("{}: {}{program}", table::when(refusal.at, &zone), refusal.words);
            line(out, "Not kept", &shown(&words, false))?;
        }
        Ok(())
    }
}

fn line(out: &mut dyn Write, name: &str, value: &str) -> Result<(), Failure> {
    Ok(writeln!(out, "{}{}", table::pad(name, 15), value)?)
}

fn why(out: &mut dyn Write, reason: Option<&str>) -> Result<(), Failure> {
    match reason {
        Some(reason) => Ok(writeln!(out, "{}{}", " ".repeat(15), shown(reason, false))?),
        None => Ok(()),
    }
}
