//! `yadori completions`: for a shell.

use std::io::Write;

use clap::{Args, ValueEnum};
use clap_complete::env::Shells;

use crate::failure::Failure;
use yadori_words::said;

/// A shell.
#[derive(Clone, Copy, Debug, ValueEnum)]
enum Shell {
    Bash,
    Elvish,
    Fish,
    Powershell,
    Zsh,
}

/// Print completions for a shell: verbs and options, drawers, filters and recent clips
///
/// Put it where the shell reads it, e.g. `yadori completions bash > ~/.local/share/bash-completion/completions/yadori`.
#[derive(Debug, Args)]
pub(crate) struct Completions {
    /// Which shell
    shell: Shell,
}

impl Completions {
    pub(crate) fn run(&self, out: &mut dyn Write) -> Result<(), Failure> {
        let name = format!("{:?}", self.shell).to_ascii_lowercase();
        let shells = Shells::builtins();
        let shell = shells.completer(&name);
        let shell =
            shell.ok_or_else(|| Failure::Use(said!("completions for {name} are not known", name = name)))?;
        let mut script = Vec::new();
        shell.write_registration("COMPLETE", "yadori", "yadori", "yadori", &mut script)?;
        Ok(out.write_all(&script)?)
    }
}
