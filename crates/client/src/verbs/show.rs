//! `yadori show`: the whole of a clip, for reading or byte for byte.

use std::fs::File;
use std::io::{self, IsTerminal, Write};
use std::path::PathBuf;

use clap::Args;
use jiff::tz::TimeZone;
use yadori_api::{Detail, Kind};

use super::{detail, json};
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;

/// Show the whole of a clip
///
/// Control characters are shown as symbols; --raw and --output give the bytes as they were copied.
#[derive(Debug, Args)]
pub(crate) struct Show {
    /// Which clip
    #[arg(default_value = "1", value_name = "CLIP")]
    clip: String,
    /// Its facts and representations instead of its text
    #[arg(long, conflicts_with_all = ["raw", "output"])]
    details: bool,
    /// Write the bytes to standard output
    #[arg(long)]
    raw: bool,
    /// Write the bytes to a file
    #[arg(short, long, value_name = "FILE")]
    output: Option<PathBuf>,
    /// Which representation, for --raw and --output
    #[arg(long = "type", value_name = "MIME")]
    kind: Option<String>,
    /// For programs
    #[arg(long, conflicts_with_all = ["raw", "output"])]
    json: bool,
}

impl Show {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let whole = detail(service, &self.clip)?;
        if self.json {
            return json(out, &whole);
        }
        if let Some(path) = &self.output {
            let mut file = File::create(path).map_err(|cause| Failure::file(path, cause))?;
            self.copy_bytes(service, &whole, &mut file).map_err(|why| match why {
                Failure::Output(cause) => Failure::file(path, cause),
                why => why,
            })?;
            return file.sync_all().map_err(|cause| Failure::file(path, cause));
        }
        if self.raw {
            let binary = self.pick(&whole)?.1.starts_with("image/");
            if binary && io::stdout().is_terminal() {
                return Err(Failure::Use("a picture's bytes would garble the terminal; use -o FILE".into()));
            }
            return self.copy_bytes(service, &whole, out);
        }
        if self.details || whole.text.is_none() {
            return facts(out, &whole);
        }
        writeln!(out, "{}", shown(whole.text.as_deref().unwrap_or_default(), true))?;
        if whole.text_cut {
            writeln!(io::stderr(), "yadori: only the first MiB is shown; --raw gives all of it")?;
        }
        Ok(())
    }

    fn copy_bytes(&self, service: &Connection, whole: &Detail, out: &mut dyn Write) -> Result<(), Failure> {
        let (n, _) = self.pick(whole)?;
        let mut bytes = service.download(&format!("/clips/{}/representations/{n}", whole.row.id))?;
        io::copy(&mut bytes, out)?;
        Ok(())
    }

    /// The representation that was asked for, or the one the clip is known by.
    fn pick(&self, whole: &Detail) -> Result<(u32, String), Failure> {
        let named = |wanted: &str| {
            whole
                .representations
                .iter()
                .find(|one| one.mime == wanted || one.mime.split(';').next() == Some(wanted))
        };
        let found = match &self.kind {
            Some(kind) => named(kind),
            None => match whole.row.picture.as_ref().filter(|_| whole.row.kind == Kind::Image) {
                Some(picture) => named(&picture.mime),
                None => whole.representations.first(),
            },
        };
        found.map(|one| (one.n, one.mime.clone())).ok_or_else(|| {
            let there: Vec<&str> = whole.representations.iter().map(|one| one.mime.as_str()).collect();
            Failure::Use(shown(
                &format!("it has no such representation; there is: {}", there.join(", ")),
                false,
            ))
        })
    }
}

fn facts(out: &mut dyn Write, whole: &Detail) -> Result<(), Failure> {
    let row = &whole.row;
    let mut line = |name: &str, value: &str| writeln!(out, "{}{}", table::pad(name, 11), value);
    line("Clip", &table::cut(&table::line(row), table::width().saturating_sub(12)))?;
    line("Id", &row.id)?;
    line("Place", &row.place.to_string())?;
    line("Kind", table::kind(row.kind))?;
    line("Copied", &format!("{}, {}", table::when(row.copied_at, &TimeZone::system()), times(row.copies)))?;
    let from = table::from(&row.source);
    if !from.is_empty() {
        line("From", &from)?;
    }
    if let Some(page) = &row.source.page {
        line("Page", &shown(page, false))?;
    }
    if row.kind != Kind::Image && row.kind != Kind::Files {
        line("Length", &format!("{} characters, {} lines", row.chars, row.lines))?;
    }
    for one in &whole.representations {
        line("Holds", &format!("{}, {}", shown(&one.mime, false), table::size(one.size)))?;
    }
    for earlier in &whole.earlier {
        let kinds: Vec<&str> = earlier.representations.iter().map(|one| one.mime.as_str()).collect();
        line("Earlier", &shown(&kinds.join(", "), false))?;
    }
    for path in &row.files {
        line("File", &shown(path, false))?;
    }
    Ok(())
}

fn times(copies: u64) -> String {
    match copies {
        1 => "once".into(),
        n => format!("{n} times"),
    }
}
