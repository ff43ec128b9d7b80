//! `yadori import`: clips from a file. What is there already is left alone; one that was cut off goes on when it is
//! made again.

use std::fs::File;
use std::io::{self, BufRead, BufReader, IsTerminal, Write};
use std::path::{Path, PathBuf};

use clap::{Args, ValueEnum};
use indicatif::{ProgressBar, ProgressStyle};
use yadori_api::ImportProgress;

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;

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

/// Bring clips in: from an export, a drawer's file, a CSV, or a plain text
#[derive(Debug, Args)]
pub(crate) struct Import {
    /// Where from
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
        let csv = self.file.extension().is_some_and(|one| one.eq_ignore_ascii_case("csv"));
        let format = if text {
            Some("text")
        } else if csv {
            Some("csv")
        } else {
            None
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
    let file = File::open(path).map_err(|cause| Failure::file(path, cause))?;
    let options = [format.map(|one| format!("format={one}")), split.map(|one| format!("split={one}"))];
    let options: Vec<String> = options.into_iter().flatten().collect();
    let lines = service
        .upload_lines(&format!("/import?{}", options.join("&")), BufReader::with_capacity(1 << 18, file))?;
    let bar = if io::stderr().is_terminal() { ProgressBar::new(0) } else { ProgressBar::hidden() };
    if let Ok(style) = ProgressStyle::with_template("{bar:30} {pos} of {len} clips, {eta} left") {
        bar.set_style(style);
    }
    let mut last = ImportProgress::default();
    for line in BufReader::new(lines).lines() {
        let line = line.map_err(|why| Failure::Connection(why.to_string()))?;
        last = serde_json::from_str(&line).map_err(|why| Failure::Connection(why.to_string()))?;
        bar.set_length(last.total);
        bar.set_position(last.done);
    }
    bar.finish_and_clear();
    if as_json {
        json(out, &last)?;
    } else {
        let known = if last.known > 0 { format!(", {} known already", last.known) } else { String::new() };
        let skipped =
            if last.skipped > 0 { format!(", {} could not be read", last.skipped) } else { String::new() };
        writeln!(out, "Brought in {} of {}{known}{skipped}.", last.added, last.total)?;
        for reason in &last.reasons {
            writeln!(out, "  {}", shown(reason, false))?;
        }
    }
    match last.problem {
        _ if !last.over => {
            Err(Failure::Connection("the import was cut off; import again and it goes on".into()))
        }
        Some(why) => Err(Failure::Connection(format!("{why}; import again and it goes on"))),
        None => Ok(()),
    }
}
