//! `yadori import`: clips from a file. What is there already is left alone; one that was cut off goes on when it is
//! made again.

use std::io::{self, BufRead, BufReader, IsTerminal, Write};
use std::path::{Path, PathBuf};

use clap::{Args, ValueEnum};
use indicatif::{ProgressBar, ProgressStyle};
use yadori_api::ImportProgress;

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::files::read::opened;
use crate::interrupt;
use crate::symbols::shown;
use yadori_words::{said, word};

/// How a plain text is parted.
#[derive(Clone, Copy, Debug, ValueEnum)]
enum Split {
    /// It is one clip
    Whole,
    /// A clip a line
    Lines,
    /// A clip between empty lines
    Blocks,
}

/// Reasons that are told one by one.
const REASONS: usize = 1_000;

/// Bring clips in: from an export, a drawer's file, a CSV, or a plain text
#[derive(Debug, Args)]
pub(crate) struct Import {
    /// Where from; `-` for standard input
    file: PathBuf,
    /// How a plain text is parted
    #[arg(long, value_enum)]
    split: Option<Split>,
    /// It is a plain text, whatever it looks like
    #[arg(long)]
    text: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Import {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let split = self.split.map(|split| format!("{split:?}").to_ascii_lowercase());
        let text = self.text || split.is_some();
        let extension = self.file.extension().map(|one| one.to_string_lossy().to_ascii_lowercase());
        // Without a name that says it, the content does.
        let format = match extension.as_deref() {
            _ if text => Some("text"),
            Some("csv") => Some("csv"),
            Some("zip") => Some("zip"),
            Some("json") => Some("drawer"),
            Some("txt" | "md") => Some("text"),
            _ => None,
        };
        bring_in(service, out, &self.file, format, split.as_deref(), self.json)
    }
}

/// Sends a file, and shows how far it has come.
pub(crate) fn bring_in(
    service: &Connection,
    out: &mut dyn Write,
    path: &Path,
    format: Option<&str>,
    split: Option<&str>,
    as_json: bool,
) -> Result<(), Failure> {
    let (from, length) = opened(path)?;
    let options = [format.map(|one| format!("format={one}")), split.map(|one| format!("split={one}"))];
    let options: Vec<String> = options.into_iter().flatten().collect();
    let _begun = interrupt::words(word!("what has come stays; import the same again, and it goes on"));
    let sent = sending(length);
    let lines = service.upload_lines(&format!("/import?{}", options.join("&")), sent.wrap_read(from));
    sent.finish_and_clear();
    let bar = if io::stderr().is_terminal() { ProgressBar::new(0) } else { ProgressBar::hidden() };
    if let Ok(style) = ProgressStyle::with_template(word!("{bar:30} {pos} of {len} clips, {eta} left")) {
        bar.set_style(style);
    }
    let (mut last, mut reasons) = (ImportProgress::default(), Vec::new());
    for line in BufReader::new(lines?).lines() {
        let line = line.map_err(|why| Failure::Connection(why.to_string()))?;
        last = serde_json::from_str(&line).map_err(|why| Failure::Connection(why.to_string()))?;
        bar.set_length(last.total);
        bar.set_position(last.done);
        // Each line has what was not told before.
        for reason in last.reasons.drain(..) {
            if !as_json && reasons.len() < REASONS {
                bar.suspend(|| writeln!(io::stderr(), "  {}", shown(&reason, false)))?;
            }
            reasons.push(reason);
        }
    }
    bar.finish_and_clear();
    let (told, skipped) = (reasons.len(), last.skipped);
    last.reasons = reasons;
    if as_json {
        json(out, &last)?;
    } else {
        let known =
            if last.known > 0 { said!(", {known} known already", known = last.known) } else { String::new() };
        let could_not = if skipped > 0 {
            said!(", {skipped} could not be read", skipped = skipped)
        } else {
            String::new()
        };
        let minutes = last.grace_seconds.div_ceil(60);
        let back = match last.acts {
            0 => String::new(),
            1 => said!(" `yadori undo` takes that back, for {minutes} minutes.", minutes = minutes),
            acts => said!(
                " `yadori undo {acts}` takes that back, for {minutes} minutes.",
                acts = acts,
                minutes = minutes
            ),
        };
        writeln!(
            out,
            "{}",
            said!(
                "Brought in {added} of {total}{known}{could_not}.{back}",
                added = last.added,
                total = last.total,
                known = known,
                could_not = could_not,
                back = back
            )
        )?;
        if last.beyond > 0 {
            writeln!(
                out,
                "{}",
                said!(
                    "Clips beyond the limits now: {beyond}. `yadori limits` says which go and when.",
                    beyond = last.beyond
                )
            )?;
        }
        if told > REASONS {
            writeln!(
                io::stderr(),
                "{}",
                said!("  … and {more} more; --json has them all", more = told - REASONS)
            )?;
        }
    }
    match last.problem {
        _ if !last.over => {
            Err(Failure::Connection(said!("the import was cut off; import again and it goes on")))
        }
        Some(why) => Err(Failure::Connection(said!("{why}; import again and it goes on", why = why))),
        None if skipped > 0 => Err(Failure::Skipped { skipped, total: last.total }),
        None => Ok(()),
    }
}

/// How much of a file was sent, where somebody looks.
pub(super) fn sending(length: Option<u64>) -> ProgressBar {
    if !io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let (bar, template) = match length {
        Some(length) => (ProgressBar::new(length), word!("{bar:30} {bytes} of {total_bytes}, {eta} left")),
        None => (ProgressBar::new_spinner(), "{spinner} {bytes}, {bytes_per_sec}"),
    };
    let style = ProgressStyle::with_template(template);
    bar.with_style(style.unwrap_or_else(|_| ProgressStyle::default_bar()))
}
