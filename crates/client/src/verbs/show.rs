//! `yadori show`: the whole of a clip, for reading or byte for byte.

use std::io::{self, IsTerminal, Read, Write};
use std::path::PathBuf;

use clap::Args;
use clap_complete::engine::ArgValueCompleter;
use percent_encoding::{AsciiSet, NON_ALPHANUMERIC, utf8_percent_encode};
use yadori_api::{Detail, Kind, Pictured, PicturedState};

use super::{detail, json};
use crate::completing::clips;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::files::write::{Target, new_file, no_directory};
use crate::graphics::Terminal;
use crate::pixels::{fetch_png, read};
use crate::symbols::shown;
use crate::table;
use crate::when::when;
use yadori_words::{said, word};

/// Bytes of one representation that are shown.
const SHOWN: u64 = 1 << 20;

/// Show the whole of a clip
///
/// A picture is shown in terminals that can. Control characters are shown as symbols; --raw and --output give the bytes as they were copied.
#[derive(Debug, Args)]
pub(crate) struct Show {
    /// Which clip
    #[arg(default_value = "1", value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clip: String,
    /// Its facts and representations instead of its text
    #[arg(long, conflicts_with_all = ["raw", "output"])]
    details: bool,
    /// Write the bytes to standard output
    #[arg(long)]
    raw: bool,
    /// Write the bytes to a file; `-` for standard output
    #[arg(short, long, value_name = "FILE")]
    output: Option<PathBuf>,
    /// With --output: replace the file, once the new one is whole
    #[arg(long, requires = "output")]
    force: bool,
    /// Save it as a file with a fitting name in this directory
    #[arg(long, value_name = "DIR", conflicts_with_all = ["raw", "output", "details"])]
    save: Option<PathBuf>,
    /// Hand its text to the mail program
    #[arg(long, conflicts_with_all = ["raw", "output", "details", "save"])]
    mail: bool,
    /// With --mail: write the address instead of opening it
    #[arg(long, requires = "mail")]
    print: bool,
    /// Which representation
    #[arg(long = "type", value_name = "MIME", conflicts_with_all = ["details", "mail", "json"])]
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
        if self.mail {
            return self.mail(&whole, out);
        }
        if let Some(folder) = &self.save {
            let path = self.free_name(folder, &whole)?;
            let mut file = new_file(&path).map_err(|cause| no_directory(&path, cause))?;
            self.copy_bytes(service, &whole, &mut file)?;
            file.sync_all().map_err(|cause| Failure::file(&path, cause))?;
            return Ok(writeln!(out, "{}", said!("Saved as {path}.", path = path.display()))?);
        }
        if let Some(path) = &self.output {
            let target = Target::at(path, self.force)?;
            return target.write(out, |to| self.copy_bytes(service, &whole, to));
        }
        if self.raw {
            let binary = self.pick(&whole)?.1.starts_with("image/");
            if binary && io::stdout().is_terminal() {
                return Err(Failure::Use(said!("a picture's bytes would garble the terminal; use -o FILE")));
            }
            return self.copy_bytes(service, &whole, out);
        }
        if self.kind.is_some() {
            return self.one_text(service, &whole, out);
        }
        if self.details || whole.text.is_none() {
            facts(out, &whole)?;
            return if whole.row.kind == Kind::Image { picture(service, &whole, out) } else { Ok(()) };
        }
        writeln!(out, "{}", shown(whole.text.as_deref().unwrap_or_default(), true))?;
        if whole.text_cut {
            writeln!(
                io::stderr(),
                "{}",
                said!("yadori: only the first MiB is shown; --raw gives all of it")
            )?;
        }
        Ok(())
    }

    /// The words of one representation.
    fn one_text(&self, service: &Connection, whole: &Detail, out: &mut dyn Write) -> Result<(), Failure> {
        let (n, mime) = self.pick(whole)?;
        let bytes = service.download(&format!("/clips/{}/representations/{n}", whole.row.id))?;
        let mut read = Vec::new();
        bytes.take(SHOWN + 1).read_to_end(&mut read).map_err(|why| Failure::Connection(why.to_string()))?;
        let cut = read.len() as u64 > SHOWN;
        let text = match String::from_utf8(read) {
            Ok(text) => text,
            // A character that the end has parted.
            Err(why) if cut && why.utf8_error().error_len().is_none() => {
                let whole = why.utf8_error().valid_up_to();
                String::from_utf8_lossy(&why.into_bytes()[..whole]).into_owned()
            }
            Err(_) => {
                let mime = shown(&mime, false);
                return Err(Failure::Use(said!("{mime} is no text; -o FILE writes its bytes", mime = mime)));
            }
        };
        writeln!(out, "{}", shown(&text, true))?;
        if cut {
            writeln!(
                io::stderr(),
                "{}",
                said!("yadori: only the first MiB is shown; --raw gives all of it")
            )?;
        }
        Ok(())
    }

    /// A name for a file that is not there yet: the title or the id, and the extension of the type.
    fn free_name(&self, folder: &std::path::Path, whole: &Detail) -> Result<PathBuf, Failure> {
        let (n, _) = self.pick(whole)?;
        let extension =
            whole.representations.iter().find(|one| one.n == n).map_or("bin", |one| &one.extension);
        let plain = |c: char| if c.is_alphanumeric() || " -_.()".contains(c) { c } else { '-' };
        let title: String =
            whole.row.title.as_deref().unwrap_or_default().chars().map(plain).take(60).collect();
        let title = title.trim().trim_start_matches('.').to_owned();
        let stem = if title.is_empty() { format!("clip-{}", whole.row.prefix) } else { title };
        let names = std::iter::once(String::new()).chain((2..10_000).map(|n| format!(" ({n})")));
        names
            .map(|n| folder.join(format!("{stem}{n}.{extension}")))
            .find(|path| !path.exists())
            .ok_or_else(|| Failure::Use(said!("there are too many files of that name")))
    }

    fn mail(&self, whole: &Detail, out: &mut dyn Write) -> Result<(), Failure> {
        let text = whole.text.as_deref().ok_or_else(|| {
            Failure::Use(said!("a picture can't be handed to mail; save it with --save DIR"))
        })?;
        let address = if text.trim().starts_with("mailto:") {
            text.trim().to_owned()
        } else {
            mailto(whole.row.title.as_deref(), text)?
        };
        if self.print {
            return Ok(writeln!(out, "{address}")?);
        }
        let opened = std::process::Command::new("xdg-open").arg(&address).status();
        match opened {
            Ok(status) if status.success() => Ok(writeln!(out, "{}", said!("Handed to the mail program."))?),
            _ => {
                Err(Failure::Use(said!("no mail program could be opened; --mail --print gives the address")))
            }
        }
    }

    fn copy_bytes(&self, service: &Connection, whole: &Detail, out: &mut dyn Write) -> Result<(), Failure> {
        let (n, _) = self.pick(whole)?;
        let mut bytes = service.download(&format!("/clips/{}/representations/{n}", whole.row.id))?;
        io::copy(&mut bytes, out).map_err(|why| Failure::Connection(why.to_string()))?;
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
                &said!("it has no such representation; there is: {there}", there = there.join(", ")),
                false,
            ))
        })
    }
}

/// The picture itself, where the terminal can show it.
fn picture(service: &Connection, whole: &Detail, out: &mut dyn Write) -> Result<(), Failure> {
    if whole.row.secret.is_some() {
        return Ok(());
    }
    out.flush()?;
    let Some(terminal) = Terminal::ask() else { return Ok(()) };
    // One that can't be unpacked is not shown; its facts are.
    let Ok(png) = fetch_png(service, &whole.row.id, terminal.most()) else { return Ok(()) };
    let Ok(pixels) = read(&png) else { return Ok(()) };
    terminal.show(&png, &pixels, out)
}

fn facts(out: &mut dyn Write, whole: &Detail) -> Result<(), Failure> {
    let row = &whole.row;
    let mut line = |name: &str, value: &str| writeln!(out, "{}{value}", table::padded(name, 11));
    line(word!("Clip"), &table::cut(&table::line(row), table::width().saturating_sub(12)))?;
    line(word!("Id"), &row.id)?;
    line(word!("Place"), &row.place.to_string())?;
    line(word!("Kind"), table::kind(row.kind))?;
    line(word!("Copied"), &format!("{}, {}", when(row.copied_at, &crate::zone::here()), times(row.copies)))?;
    let from = table::from(&row.source);
    if !from.is_empty() {
        line(word!("From"), &from)?;
    }
    if let Some(page) = &row.source.page {
        line(word!("Page"), &shown(page, false))?;
    }
    if row.kind != Kind::Image && row.kind != Kind::Files {
        line(
            word!("Length"),
            &format!("{}, {}", table::count_of(row.chars, "character"), table::count_of(row.lines, "line")),
        )?;
    }
    for one in &whole.representations {
        line(word!("Holds"), &format!("{}, {}", shown(&one.mime, false), table::size(one.size)))?;
    }
    for earlier in &whole.earlier {
        let kinds: Vec<&str> = earlier.representations.iter().map(|one| one.mime.as_str()).collect();
        line(word!("Earlier"), &shown(&kinds.join(", "), false))?;
    }
    for path in &row.files {
        line(word!("File"), &shown(path, false))?;
    }
    if let Some(pictured) = &whole.pictured {
        words_read(&mut line, pictured)?;
    }
    Ok(())
}

/// What was read in a picture, or why nothing was.
fn words_read(
    line: &mut dyn FnMut(&str, &str) -> io::Result<()>,
    pictured: &Pictured,
) -> Result<(), Failure> {
    let words = match pictured.state {
        PicturedState::Read if pictured.text.is_empty() => word!("no words"),
        PicturedState::Read => {
            for (n, words) in pictured.text.lines().enumerate() {
                line(if n == 0 { word!("Read in it") } else { "" }, &shown(words, false))?;
            }
            return Ok(());
        }
        PicturedState::Waits => word!("its words are read soon"),
        PicturedState::Off => {
            word!("words in pictures are not read (yadori settings set pictures.read true)")
        }
        PicturedState::NoReader => {
            word!("words in pictures are read once Debian's tesseract-ocr is installed")
        }
        PicturedState::Never => return Ok(()),
    };
    Ok(line(word!("Read in it"), words)?)
}

fn times(copies: u64) -> String {
    match copies {
        1 => "once".into(),
        n => said!("{n} times", n = n),
    }
}

/// The longest address that mail programs can be counted on to take, in bytes.
const MAILTO_MOST: usize = 30_000;

/// What is written as it is (RFC 3986).
const UNRESERVED: &AsciiSet = &NON_ALPHANUMERIC.remove(b'-').remove(b'.').remove(b'_').remove(b'~');

/// A mail with this text (RFC 6068).
fn mailto(subject: Option<&str>, body: &str) -> Result<String, Failure> {
    let encoded = |text: &str| -> String {
        let text = text.replace("\r\n", "\n").replace('\n', "\r\n");
        utf8_percent_encode(&text, UNRESERVED).to_string()
    };
    let subject = subject.map(|one| format!("subject={}&", encoded(one))).unwrap_or_default();
    let address = format!("mailto:?{subject}body={}", encoded(body));
    if address.len() > MAILTO_MOST {
        return Err(Failure::Use(said!(
            "it is too long to be handed to mail; save it with --save DIR and attach it"
        )));
    }
    Ok(address)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_text_is_handed_to_mail_with_its_lines_and_letters() {
        let address = mailto(Some("Hut & bunks"), "é\nb").unwrap();
        assert_eq!(address, "mailto:?subject=Hut%20%26%20bunks&body=%C3%A9%0D%0Ab");
        assert!(mailto(None, &"x".repeat(40_000)).is_err());
    }
}
