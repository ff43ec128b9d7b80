//! `yadori undo`: takes the last act back; lists what can be taken back.

use std::io::Write;

use clap::Args;
use jiff::tz::TimeZone;
use yadori_api::{Acted, Acts};

use super::{json, list, name_of};
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;

/// Acts that are shown at most.
const SHOWN: usize = 12;

/// Take the last act back
///
/// Acts are taken back one by one, newest first, wherever they were made on this device. What was removed can be
/// taken back until its grace period ends.
#[derive(Debug, Args)]
pub(crate) struct Undo {
    /// Show what can be taken back, and what can be made again
    #[arg(short, long)]
    list: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Undo {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        if self.list {
            return self.acts(service, out);
        }
        let acted: Acted = service.post_empty("/undo")?;
        if self.json {
            return json(out, &acted);
        }
        writeln!(out, "Taken back: {}. `yadori redo` makes it again.", name_of(acted.act))?;
        list::print(out, &acted.clips)
    }

    fn acts(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let acts: Acts = service.get("/acts")?;
        if self.json {
            return json(out, &acts);
        }
        if acts.acts.is_empty() {
            return Ok(writeln!(out, "There is nothing to take back.")?);
        }
        let zone = TimeZone::system();
        let rows = acts.acts.iter().take(SHOWN).map(|act| {
            let undone = if act.undone { "taken back; `yadori redo` makes it again" } else { "" };
            let until = act.until.map(|at| format!("until {}", table::when(at, &zone))).unwrap_or_default();
            let what = match (&act.first, act.drawer.as_ref().or(act.about.as_ref())) {
                (Some(row), _) => table::line(row),
                (None, Some(name)) => shown(name, false),
                (None, None) => String::new(),
            };
            let what = if act.clips > 1 { format!("{} clips: {what}", act.clips) } else { what };
            let (at, name) = (table::when(act.at, &zone), name_of(act.act).to_owned());
            vec![at, name, what, until, undone.to_owned()]
        });
        table::write(out, rows, &[0])?;
        let more = acts.acts.len().saturating_sub(SHOWN);
        if more > 0 {
            writeln!(out, "… and {more} before")?;
        }
        Ok(())
    }
}
