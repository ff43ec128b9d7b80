//! `yadori export`: everything, or what a query finds, to a file.

use std::io::{self, IsTerminal, Write};
use std::path::PathBuf;

use clap::Args;
use indicatif::{ProgressBar, ProgressStyle};

use super::ids;
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::files::write::Target;
use crate::table;
use crate::transfer::{receive, told, whole};

/// Write clips to a file: a zip with everything they hold, or a CSV of their texts
#[derive(Debug, Args)]
pub(crate) struct Export {
    /// Where to; a name that ends with .csv makes a CSV of texts, `-` is standard output
    file: PathBuf,
    /// Only these clips
    #[arg(value_name = "CLIP", conflicts_with = "query")]
    clips: Vec<String>,
    /// Only what a query finds
    #[arg(short, long, value_name = "QUERY")]
    query: Option<String>,
    /// Replace the file, once the new one is whole
    #[arg(long)]
    force: bool,
}

impl Export {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let target = Target::at(&self.file, self.force)?;
        let csv = self.file.extension().is_some_and(|one| one.eq_ignore_ascii_case("csv"));
        let mut path = format!("/export?format={}", if csv { "csv" } else { "zip" });
        if let Some(query) = &self.query {
            path.push_str(&format!("&q={}{}", escaped(query), crate::zone::parameter()));
        }
        if !self.clips.is_empty() {
            path.push_str(&format!("&ids={}", ids(service, &self.clips)?.join(",")));
        }
        let bar = bar();
        let end = receive(service, &path, &target, out, |bytes| bar.wrap_read(bytes));
        bar.finish_and_clear();
        let end = end?;
        if !matches!(target, Target::Standard) {
            writeln!(out, "Written to {} ({}).", told(&self.file), table::size(end.bytes))?;
        }
        whole(&end, &target)
    }
}

fn bar() -> ProgressBar {
    if !io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let style = ProgressStyle::with_template("{spinner} {bytes} written, {bytes_per_sec}");
    ProgressBar::new_spinner().with_style(style.unwrap_or_else(|_| ProgressStyle::default_spinner()))
}
