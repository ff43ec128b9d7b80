//! `yadori export`: everything, or what a query finds, to a file.

use std::io::{self, IsTerminal, Write};
use std::path::PathBuf;

use clap::{Args, ValueEnum};
use clap_complete::engine::ArgValueCompleter;
use indicatif::{ProgressBar, ProgressStyle};

use super::ids;
use super::list::pointed;
use crate::completing::{clips, words};
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::files::write::Target;
use crate::table;
use crate::transfer::{receive, told, whole, written};
use yadori_words::{said, word};

/// What is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq, ValueEnum)]
enum Format {
    /// Everything that they hold
    Zip,
    /// Their texts, as a table
    Csv,
}

/// Write clips to a file: a zip with everything they hold, or a CSV of their texts
#[derive(Debug, Args)]
pub(crate) struct Export {
    /// Where to: a name that ends with .zip or .csv; `-` is standard output
    file: PathBuf,
    /// What to write, where the name does not say it
    #[arg(long, value_enum, value_name = "FORMAT")]
    format: Option<Format>,
    /// Only these clips
    #[arg(value_name = "CLIP", add = ArgValueCompleter::new(clips), conflicts_with = "query")]
    clips: Vec<String>,
    /// Only what a query finds
    #[arg(short, long, value_name = "QUERY", add = ArgValueCompleter::new(words))]
    query: Option<String>,
    /// Replace the file, once the new one is whole
    #[arg(long)]
    force: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Export {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let target = Target::at(&self.file, self.force)?;
        let format = self.format(&target)?;
        let mut path = format!("/export?format={}", if format == Format::Csv { "csv" } else { "zip" });
        if let Some(query) = &self.query {
            let what = format!("q={}{}", escaped(query), crate::zone::parameter());
            let first = service.found(&format!("/search?{what}&limit=1"));
            if first.map_err(|why| pointed(why, query))?.hits.is_empty() {
                return Err(Failure::Nothing(said!("nothing matches, so nothing was written")));
            }
            path.push_str(&format!("&{what}"));
        }
        if !self.clips.is_empty() {
            path.push_str(&format!("&ids={}", ids(service, &self.clips)?.join(",")));
        }
        let bar = bar();
        let end = receive(service, &path, &target, out, |bytes| bar.wrap_read(bytes));
        bar.finish_and_clear();
        let end = end?;
        written(out, &end, &target, self.json, || {
            said!("Written to {file} ({bytes}).", file = told(&self.file), bytes = table::size(end.bytes))
        })?;
        whole(&end, &target)
    }
}

impl Export {
    /// What the name says, unless it is said otherwise.
    fn format(&self, target: &Target) -> Result<Format, Failure> {
        if let Some(format) = self.format {
            return Ok(format);
        }
        let Target::File(..) = target else { return Ok(Format::Zip) };
        let extension = self.file.extension().map(|one| one.to_string_lossy().to_ascii_lowercase());
        match extension.as_deref() {
            Some("zip") => Ok(Format::Zip),
            Some("csv") => Ok(Format::Csv),
            _ => Err(Failure::Use(said!(
                "{file} ends neither with .zip nor with .csv; say what to write with --format zip or --format csv",
                file = told(&self.file)
            ))),
        }
    }
}

pub(super) fn bar() -> ProgressBar {
    if !io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let style = ProgressStyle::with_template(word!("{spinner} {bytes} written, {bytes_per_sec}"));
    ProgressBar::new_spinner().with_style(style.unwrap_or_else(|_| ProgressStyle::default_spinner()))
}
