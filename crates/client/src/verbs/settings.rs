//! `yadori settings`: everything that can be set, where it comes from, and changing it.

use std::collections::BTreeMap;
use std::io::{Read, Write};
use std::path::PathBuf;

use clap::{Args, Subcommand};
use serde_json::Value;
use yadori_api::{AllSettings, ChangeSettings, Setting};

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::line;
use yadori_words::{said, word};

/// Show and change settings
#[derive(Debug, Args)]
pub(crate) struct Settings {
    #[command(subcommand)]
    what: Option<What>,
    /// For programs
    #[arg(long, global = true)]
    json: bool,
}

#[derive(Debug, Subcommand)]
enum What {
    /// Show one setting
    Get {
        /// Its name, such as limits.clips
        name: String,
    },
    /// Change a setting
    Set {
        /// Its name, such as limits.clips
        name: String,
        /// Its value: a word, a number, true, false, or JSON
        value: String,
    },
    /// Let a setting be as it is without being set
    Unset {
        /// Its name
        name: String,
    },
    /// Write what is set to a file (`-`: standard output)
    Export {
        /// The file
        file: PathBuf,
        /// Overwrite it
        #[arg(long)]
        force: bool,
    },
    /// Set what a file holds that was exported (`-`: standard input): all of it, or nothing
    Import {
        /// The file
        file: PathBuf,
    },
}

/// A value as a person writes it.
pub(super) fn value_of(text: &str) -> Value {
    let text = text.trim();
    serde_json::from_str(text).unwrap_or_else(|_| Value::String(text.trim_matches('"').to_owned()))
}

fn line_of(value: &Value) -> String {
    match value {
        Value::Null => "—".into(),
        Value::String(text) => line(text),
        value => line(&value.to_string()),
    }
}

impl Settings {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let all = || service.get::<AllSettings>("/settings");
        match &self.what {
            None => {
                let all = all()?;
                if self.json {
                    return json(out, &all);
                }
                show(out, &all)
            }
            Some(What::Get { name }) => {
                let found = all()?.settings.into_iter().find(|one| one.name == *name);
                let one = found.ok_or_else(|| {
                    Failure::Nothing(said!(
                        "there is no setting `{name}`; `yadori settings` lists them",
                        name = name
                    ))
                })?;
                if self.json {
                    return json(out, &one);
                }
                Ok(writeln!(out, "{}", line_of(&one.value))?)
            }
            Some(What::Set { name, value }) => {
                self.change(service, out, [(name.clone(), value_of(value))].into())
            }
            Some(What::Unset { name }) => self.change(service, out, [(name.clone(), Value::Null)].into()),
            Some(What::Export { file, force }) => {
                let set: Vec<Setting> =
                    all()?.settings.into_iter().filter(|one| one.from == "file").collect();
                let changes = set.into_iter().map(|one| (one.name, one.value)).collect();
                let text = serde_json::to_string_pretty(&ChangeSettings { changes })
                    .map_err(|why| Failure::Connection(why.to_string()))?;
                if file.as_os_str() == "-" {
                    return Ok(writeln!(out, "{text}")?);
                }
                if file.exists() && !force {
                    return Err(Failure::Use(said!(
                        "{file} is there already; --force overwrites it",
                        file = file.display()
                    )));
                }
                std::fs::write(file, text + "\n").map_err(|cause| Failure::file(file, cause))?;
                Ok(writeln!(out, "{}", said!("Written to {file}.", file = file.display()))?)
            }
            Some(What::Import { file }) => {
                let text = if file.as_os_str() == "-" {
                    let mut text = String::new();
                    std::io::stdin().lock().read_to_string(&mut text)?;
                    text
                } else {
                    std::fs::read_to_string(file).map_err(|cause| Failure::file(file, cause))?
                };
                let read: ChangeSettings = serde_json::from_str(&text).map_err(|why| {
                    Failure::Use(said!(
                        "{file} holds no exported settings: {why}",
                        file = file.display(),
                        why = why
                    ))
                })?;
                self.change(service, out, read.changes)
            }
        }
    }

    fn change(
        &self,
        service: &Connection,
        out: &mut dyn Write,
        changes: BTreeMap<String, Value>,
    ) -> Result<(), Failure> {
        let names: Vec<String> = changes.keys().cloned().collect();
        let all: AllSettings = service.patch("/settings", &ChangeSettings { changes })?;
        if self.json {
            return json(out, &all);
        }
        for one in all.settings.iter().filter(|one| names.contains(&one.name)) {
            let when = if one.live { "" } else { word!(" (from the next start on)") };
            writeln!(out, "{} = {}{when}", one.name, line_of(&one.value))?;
        }
        Ok(())
    }
}

fn show(out: &mut dyn Write, all: &AllSettings) -> Result<(), Failure> {
    writeln!(out, "{}", said!("In {file}", file = all.file))?;
    if let Some(mistake) = &all.mistake {
        writeln!(
            out,
            "{}",
            said!("It has a mistake, so what held before still holds: {mistake}", mistake = mistake)
        )?;
    }
    let names = all.settings.iter().map(|one| one.name.len()).max().unwrap_or(0);
    for one in &all.settings {
        let from = match (one.from.as_str(), one.live) {
            ("file", true) => "  (set)",
            ("file", false) => word!("  (set; holds from the next start on)"),
            _ => "",
        };
        writeln!(out, "{:names$}  {}{from}", one.name, line_of(&one.value))?;
        writeln!(out, "{:names$}  {}: {}", "", one.about, one.expected)?;
    }
    Ok(())
}
