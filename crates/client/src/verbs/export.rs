//! `yadori export`: everything, or what a query finds, to a file.

use std::fs::File;
use std::io::{self, BufWriter, IsTerminal, Read, Write};
use std::path::{Path, PathBuf};

use clap::Args;
use indicatif::{ProgressBar, ProgressStyle};

use super::ids;
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::table;

/// Write clips to a file: a zip with everything they hold, or a CSV of their texts
#[derive(Debug, Args)]
pub(crate) struct Export {
    /// Where to; a name that ends with .csv makes a CSV of texts
    file: PathBuf,
    /// Only these clips
    #[arg(value_name = "CLIP", conflicts_with = "query")]
    clips: Vec<String>,
    /// Only what a query finds
    #[arg(short, long, value_name = "QUERY")]
    query: Option<String>,
}

impl Export {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let csv = self.file.extension().is_some_and(|one| one.eq_ignore_ascii_case("csv"));
        let mut path = format!("/export?format={}", if csv { "csv" } else { "zip" });
        if let Some(query) = &self.query {
            path.push_str(&format!("&q={}", escaped(query)));
        }
        if !self.clips.is_empty() {
            path.push_str(&format!("&ids={}", ids(service, &self.clips)?.join(",")));
        }
        let bytes = service.download(&path)?;
        let bar = bar();
        let mut size = 0;
        save(&self.file, |to| {
            size = io::copy(&mut bar.wrap_read(bytes), to)?;
            Ok(())
        })?;
        bar.finish_and_clear();
        if !csv && !is_whole(&self.file) {
            let _ = std::fs::remove_file(&self.file);
            return Err(Failure::Connection("the export was cut off, so nothing was kept of it".into()));
        }
        Ok(writeln!(out, "Written to {} ({}).", self.file.display(), table::size(size))?)
    }
}

fn bar() -> ProgressBar {
    if !io::stderr().is_terminal() {
        return ProgressBar::hidden();
    }
    let style = ProgressStyle::with_template("{spinner} {bytes} written, {bytes_per_sec}");
    ProgressBar::new_spinner().with_style(style.unwrap_or_else(|_| ProgressStyle::default_spinner()))
}

/// Writes a new file whole: beside its place first, then into it.
pub(crate) fn save(path: &Path, write: impl FnOnce(&mut dyn Write) -> io::Result<()>) -> Result<(), Failure> {
    let failed = |cause| Failure::file(path, cause);
    let folder = path.parent().filter(|one| !one.as_os_str().is_empty()).unwrap_or(Path::new("."));
    let file = tempfile::Builder::new().prefix(".yadori-").tempfile_in(folder).map_err(failed)?;
    {
        let mut to = BufWriter::with_capacity(1 << 18, file.as_file());
        write(&mut to).map_err(failed)?;
        to.flush().map_err(failed)?;
    }
    file.as_file().sync_all().map_err(failed)?;
    file.persist(path).map_err(|why| failed(why.error))?;
    Ok(())
}

/// A zip ends with its directory (APPNOTE.TXT 4.3.16); one that was cut off does not.
fn is_whole(path: &Path) -> bool {
    let end = File::open(path).and_then(|mut file| {
        use std::io::Seek;
        let length = file.seek(io::SeekFrom::End(0))?;
        file.seek(io::SeekFrom::Start(length.saturating_sub(22)))?;
        let mut end = Vec::new();
        file.read_to_end(&mut end)?;
        Ok(end)
    });
    end.is_ok_and(|end| end.starts_with(b"PK\x05\x06"))
}
