//! `yadori list`: the history, newest first.

use std::io::Write;

use clap::Args;
use jiff::tz::TimeZone;
use yadori_api::{Page, Row};

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::table;

/// What a page of the interface holds at most.
const PAGE: usize = 500;

/// List the history, newest first
#[derive(Debug, Args)]
pub(crate) struct List {
    /// How many
    #[arg(short = 'n', long, default_value_t = 20, value_name = "COUNT", value_parser = clap::value_parser!(u32).range(1..))]
    number: u32,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl List {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let wanted = usize::try_from(self.number).unwrap_or(usize::MAX);
        let mut clips: Vec<Row> = Vec::new();
        let mut path = format!("/clips?limit={}", wanted.min(PAGE));
        let total = loop {
            let page: Page = service.get(&path)?;
            clips.extend(page.clips);
            match page.next {
                Some(next) if clips.len() < wanted => {
                    path = format!("/clips?limit={}&after={next}", (wanted - clips.len()).min(PAGE));
                }
                _ => break page.total,
            }
        };
        if self.json {
            return json(out, &clips);
        }
        if clips.is_empty() {
            writeln!(
                out,
                "Nothing was copied yet. Copy something, or bring something in with `yadori add`."
            )?;
            return Ok(());
        }
        print(out, &clips)?;
        let more = total.saturating_sub(clips.len() as u64);
        if more > 0 {
            writeln!(out, "… and {more} more (-n {total} shows all)")?;
        }
        Ok(())
    }
}

/// A table of clips.
pub(crate) fn print(out: &mut dyn Write, clips: &[Row]) -> Result<(), Failure> {
    let zone = TimeZone::system();
    let place_width = clips.iter().map(|row| row.place.to_string().len()).max().unwrap_or(1);
    let id_width = clips.iter().map(|row| row.prefix.len()).max().unwrap_or(4);
    let times: Vec<String> = clips.iter().map(|row| table::when(row.copied_at, &zone)).collect();
    let time_width = times.iter().map(String::len).max().unwrap_or(5);
    let width = table::width();
    let fixed = place_width + id_width + time_width + 5 + 4 * 2;
    let room = width.saturating_sub(fixed).max(20);
    let from_width = if room >= 60 { 22 } else { 0 };
    let what_width = room - if from_width > 0 { from_width + 2 } else { 0 };
    for (row, time) in clips.iter().zip(&times) {
        let copies = if row.copies > 1 { format!(" ×{}", row.copies) } else { String::new() };
        let unsaved = if row.saved { "" } else { " (not saved yet)" };
        let marks = format!("{copies}{unsaved}");
        let what = table::cut(&table::line(row), what_width.saturating_sub(marks.chars().count()));
        let what = table::pad(&format!("{what}{marks}"), what_width);
        let from = table::cut(&table::from(&row.source), from_width);
        let text = format!(
            "{:>place_width$}  {:id_width$}  {:>time_width$}  {:5}  {what}  {from}",
            row.place,
            row.prefix,
            time,
            table::kind(row.kind),
        );
        writeln!(out, "{}", text.trim_end())?;
    }
    Ok(())
}
