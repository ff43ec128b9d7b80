//! `yadori completions`: for a shell.

use std::io::Write;

use clap::{Args, CommandFactory};
use clap_complete::Shell;

use crate::failure::Failure;

/// Print completions for a shell
#[derive(Debug, Args)]
pub(crate) struct Completions {
    /// Which shell
    shell: Shell,
}

impl Completions {
    pub(crate) fn run<C: CommandFactory>(&self, out: &mut dyn Write) -> Result<(), Failure> {
        let mut script = Vec::new();
        clap_complete::generate(self.shell, &mut C::command(), "yadori", &mut script);
        Ok(out.write_all(&script)?)
    }
}
