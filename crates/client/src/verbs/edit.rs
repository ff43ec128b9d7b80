//! `yadori edit`: a kept text, changed in the person's own editor; its original compared or put back.

use std::io::Write;
use std::process::Command;

use anstyle::AnsiColor;
use clap::Args;
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{Acted, Compared, Edit as Changed, Part};

use super::{detail, json, told};
use crate::completing::clips;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use yadori_words::said;

/// Change a text in $VISUAL or $EDITOR
///
/// The changed text takes over the place, title and color of the clip; the original stays in the history.
#[derive(Debug, Args)]
pub(crate) struct Edit {
    /// Which clip
    #[arg(value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clip: String,
    /// The changed text, instead of an editor
    #[arg(long, value_name = "TEXT", conflicts_with_all = ["compare", "put_back"])]
    text: Option<String>,
    /// Formatting may be lost
    #[arg(long)]
    plain: bool,
    /// Show what was changed, word by word; without colors, ‹what went› and «what came»
    #[arg(long)]
    compare: bool,
    /// Put the original back in its place
    #[arg(long, conflicts_with = "compare")]
    put_back: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Edit {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let whole = detail(service, &self.clip)?;
        let path = format!("/clips/{}", whole.row.id);
        if self.compare {
            return self.show_changes(service, out, &path);
        }
        if self.put_back {
            let acted: Acted = service.post_empty(&format!("{path}/put-back"))?;
            return told(out, &acted, self.json);
        }
        if whole.text_cut {
            return Err(Failure::Use(said!(
                "it is longer than a MiB; change it with --text, or save and add it anew"
            )));
        }
        let other = whole
            .representations
            .iter()
            .any(|one| !one.mime.starts_with("text/plain") && !one.mime.ends_with("STRING"));
        if other && !self.plain {
            // Said before anything is typed.
            return Err(Failure::Use(said!(
                "it holds formatting or other forms, and an edited text is plain; say that this is meant with --plain (the original stays in the history)"
            )));
        }
        let old =
            whole.text.as_deref().ok_or_else(|| Failure::Use(said!("only texts and links can be edited")))?;
        let text = match &self.text {
            Some(text) => text.clone(),
            None => in_editor(old)?,
        };
        let changed = Changed { text, plain: self.plain };
        let acted: Acted = match service.post(&format!("{path}/edit"), &changed) {
            Err(why) if self.text.is_none() && changed.text != old => return Err(saved(&changed.text, why)),
            outcome => outcome?,
        };
        told(out, &acted, self.json)
    }

    fn show_changes(&self, service: &Connection, out: &mut dyn Write, path: &str) -> Result<(), Failure> {
        let compared: Compared = service.get(&format!("{path}/compare"))?;
        if self.json {
            return json(out, &compared);
        }
        let color = table::styled();
        let dropped = AnsiColor::Red.on_default().strikethrough();
        let added = AnsiColor::Green.on_default();
        for part in &compared.parts {
            let text = shown(&part.text, true);
            match (part.part, color) {
                (Part::Dropped, true) => write!(out, "{dropped}{text}{dropped:#}")?,
                (Part::Added, true) => write!(out, "{added}{text}{added:#}")?,
                (Part::Dropped, false) => write!(out, "‹{text}›")?,
                (Part::Added, false) => write!(out, "«{text}»")?,
                _ => write!(out, "{text}")?,
            }
        }
        Ok(writeln!(out)?)
    }
}

/// What was typed is not lost when it can't be saved.
pub(crate) fn saved(text: &str, why: Failure) -> Failure {
    let kept =
        tempfile::Builder::new().prefix("yadori-edit-").suffix(".txt").tempfile().and_then(|mut file| {
            file.write_all(text.as_bytes())?;
            Ok(file.keep()?.1)
        });
    match kept {
        Ok(path) => {
            Failure::Connection(said!("{why}. What you typed is in {path}", why = why, path = path.display()))
        }
        Err(_) => why,
    }
}

/// The text as it was left in the person's editor. Whatever goes wrong afterwards, the file with it stays.
pub(crate) fn in_editor(old: &str) -> Result<String, Failure> {
    let editor = ["VISUAL", "EDITOR"]
        .iter()
        .find_map(|name| std::env::var(name).ok().filter(|one| !one.trim().is_empty()));
    let editor = editor.unwrap_or_else(|| "sensible-editor".into());
    let failed = |cause| Failure::File { path: said!("the text to edit"), cause };
    // Made by this user alone to be read by this user alone, and gone when all went well.
    let mut file = tempfile::Builder::new().prefix("yadori-").suffix(".txt").tempfile().map_err(failed)?;
    file.write_all(old.as_bytes()).map_err(failed)?;
    file.flush().map_err(failed)?;
    let path = file.path().to_owned();
    let status =
        Command::new("sh").args(["-c", &format!("{editor} \"$1\""), "sh"]).arg(&path).status().map_err(
            |cause| {
                Failure::Editor(said!(
                    "the editor ({editor}) can't be started: {cause}",
                    editor = editor,
                    cause = cause
                ))
            },
        )?;
    let bytes = std::fs::read(&path).map_err(|cause| Failure::file(&path, cause));
    let untouched = bytes.as_ref().is_ok_and(|bytes| bytes == old.as_bytes());
    let keep = |why: String| {
        if untouched {
            return Failure::Editor(why);
        }
        match file.keep() {
            Ok((_, path)) => {
                Failure::Editor(said!("{why}. What you typed is in {path}", why = why, path = path.display()))
            }
            Err(_) => Failure::Editor(why),
        }
    };
    if !status.success() {
        return Err(keep(said!(
            "the editor ({editor}) ended with an error, so nothing was changed; set $EDITOR or use --text",
            editor = editor
        )));
    }
    let text = String::from_utf8(bytes?);
    let Ok(mut text) = text else {
        return Err(keep(said!("the editor saved bytes that are no UTF-8 text, so nothing was changed")));
    };
    // Editors end a file with a line break that the text did not have.
    if !old.ends_with('\n') && text.ends_with('\n') {
        text.pop();
    }
    Ok(text)
}
