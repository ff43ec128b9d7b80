//! `yadori manual`: the manual pages, made from what the program knows of its arguments.

use std::io::Write;
use std::path::{Path, PathBuf};

use clap::{Args, Command};
use clap_mangen::Man;

use crate::failure::Failure;
use crate::files::write::Target;
use yadori_words::said;

/// The exit codes, as docs/client.md has them.
const EXIT_CODES: &str = include_str!("exit-codes.roff");

/// Print a manual page, e.g. `yadori manual take | man -l -`
#[derive(Debug, Args)]
pub(crate) struct Manual {
    /// Of which verb; the page of the whole, if none is said
    verb: Option<String>,
    /// Write all pages into this directory, replacing older ones
    #[arg(long, value_name = "DIR", conflicts_with = "verb")]
    into: Option<PathBuf>,
}

impl Manual {
    pub(crate) fn run(&self, mut all: Command, out: &mut dyn Write) -> Result<(), Failure> {
        all.build();
        if let Some(folder) = &self.into {
            let mut pages = vec![("yadori".to_owned(), page(&all)?)];
            for verb in all.get_subcommands().filter(|verb| verb.get_name() != "help") {
                pages.push((format!("yadori-{}", verb.get_name()), page(verb)?));
            }
            for (name, page) in &pages {
                put(&folder.join(format!("{name}.1")), page, out)?;
            }
            return Ok(writeln!(
                out,
                "{}",
                said!("Wrote {pages} pages into {folder}.", pages = pages.len(), folder = folder.display())
            )?);
        }
        let Some(name) = &self.verb else { return Ok(out.write_all(&page(&all)?)?) };
        let verb = all.find_subcommand(name).filter(|verb| verb.get_name() != "help");
        let verb = verb.ok_or_else(|| {
            Failure::Nothing(said!("there is no verb `{name}`; `yadori --help` lists them", name = name))
        })?;
        Ok(out.write_all(&page(verb)?)?)
    }
}

fn put(path: &Path, page: &[u8], out: &mut dyn Write) -> Result<(), Failure> {
    Target::at(path, true)?.write(out, |to| Ok(to.write_all(page)?))
}

/// A page (man(7)).
fn page(command: &Command) -> Result<Vec<u8>, Failure> {
    let mut page = Vec::new();
    Man::new(command.clone()).render(&mut page)?;
    page.extend_from_slice(EXIT_CODES.as_bytes());
    Ok(page)
}
