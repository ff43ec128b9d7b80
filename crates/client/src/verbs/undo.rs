//! `yadori undo`: takes the last act back; lists what can be taken back.

use std::io::Write;

use clap::Args;
use yadori_api::{Acted, Acts};

use super::{json, json_line, list, name_of};
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use crate::when::when;
use yadori_words::{said, word};

/// Acts that are shown at most.
const SHOWN: usize = 12;

/// Take the last act back, or the last few
///
/// Acts are taken back one by one, newest first, wherever they were made on this device. What was removed can be
/// taken back until its grace period ends.
#[derive(Debug, Args)]
pub(crate) struct Undo {
    /// Show what can be taken back, and what can be made again
    #[arg(short, long)]
    list: bool,
    /// How many
    #[arg(value_name = "COUNT", default_value_t = 1, conflicts_with = "list", value_parser = clap::value_parser!(u16).range(1..))]
    count: u16,
    /// For programs
    #[arg(long)]
    json: bool,
}

/// Steps acts, one after the other; for programs, a line for each.
pub(super) fn step(
    service: &Connection,
    out: &mut dyn Write,
    (path, count, as_json): (&str, u16, bool),
    words: impl Fn(&str) -> String,
) -> Result<(), Failure> {
    for n in 0..count {
        let acted: Acted = match service.post_empty(path) {
            Err(Failure::Answered(problem)) if n > 0 && problem.kind == "nothing-to-do" => {
                return Err(Failure::Done(said!(
                    "after {n} there was nothing more: {detail}",
                    n = n,
                    detail = problem.detail
                )));
            }
            answer => answer?,
        };
        if as_json {
            json_line(out, &acted)?;
            continue;
        }
        writeln!(out, "{}", words(name_of(acted.act)))?;
        list::print(out, &acted.clips)?;
        out.flush()?;
    }
    Ok(())
}

impl Undo {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        if self.list {
            return self.acts(service, out);
        }
        step(service, out, ("/undo", self.count, self.json), |act| {
            said!("Taken back: {act}. `yadori redo` makes it again.", act = act)
        })
    }

    fn acts(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let acts: Acts = service.get("/acts")?;
        if self.json {
            return json(out, &acts);
        }
        if acts.acts.is_empty() {
            return Ok(writeln!(out, "{}", said!("There is nothing to take back."))?);
        }
        let zone = crate::zone::here();
        let rows = acts.acts.iter().take(SHOWN).map(|act| {
            let undone = if act.undone { word!("taken back; `yadori redo` makes it again") } else { "" };
            let until = act.until.map(|at| said!("until {at}", at = when(at, &zone))).unwrap_or_default();
            let what = match (&act.first, act.drawer.as_ref().or(act.about.as_ref())) {
                (Some(row), _) => table::line(row),
                (None, Some(name)) => shown(name, false),
                (None, None) => String::new(),
            };
            let what = if act.clips > 1 {
                said!("{clips} clips: {what}", clips = act.clips, what = what)
            } else {
                what
            };
            let (at, name) = (when(act.at, &zone), name_of(act.act).to_owned());
            vec![at, name, what, until, undone.to_owned()]
        });
        table::write(out, rows, &[0])?;
        let more = acts.acts.len().saturating_sub(SHOWN);
        if more > 0 {
            writeln!(out, "{}", said!("… and {more} before", more = more))?;
        }
        Ok(())
    }
}
