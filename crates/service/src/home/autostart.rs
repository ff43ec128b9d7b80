//! Whether it starts with the desktop. `yadori autostart` knows how desktops want that, and is beside this program.

use std::path::PathBuf;
use std::process::Stdio;
use std::time::Duration;

use tokio::process::Command;

use super::place::client_program;

/// How long that program is waited for. It may ask systemd.
const PATIENCE: Duration = Duration::from_secs(10);

/// How it stands, or is to stand.
#[derive(Clone, Debug, Default)]
pub struct Autostart {
    /// The one directory of this device, where it has one.
    pub under: Option<PathBuf>,
}

/// Why it is as it was.
#[derive(Debug, thiserror::Error)]
pub enum AutostartError {
    /// The client is not installed, or can't be started.
    #[error("`yadori`, which does it, can't be started: {0}")]
    NoClient(std::io::Error),
    /// It said why.
    #[error("{0}")]
    Refused(String),
    /// It does not end, or says what nobody understands.
    #[error("`yadori autostart` gave no answer that can be read")]
    NoAnswer,
}

impl Autostart {
    /// How it stands.
    ///
    /// # Errors
    /// The client can't be asked.
    pub async fn status(&self) -> Result<yadori_api::Autostart, AutostartError> {
        self.ask("status", "en").await
    }

    /// Has it start with the desktop from the next session on, or no longer; words come in a language.
    ///
    /// # Errors
    /// It is as it was.
    pub async fn set(&self, on: bool, language: &str) -> Result<yadori_api::Autostart, AutostartError> {
        match self.ask(if on { "on" } else { "off" }, language).await {
            // It stands so already.
            Err(AutostartError::Refused(why)) => {
                self.status().await.ok().filter(|is| is.on == on).ok_or(AutostartError::Refused(why))
            }
            other => other,
        }
    }

    async fn ask(&self, what: &str, language: &str) -> Result<yadori_api::Autostart, AutostartError> {
        let mut command = Command::new(client_program());
        command.args(["--lang", language, "autostart", what, "--json"]);
        if let Some(under) = &self.under {
            command.env("YADORI_HOME", under);
        }
        command.stdin(Stdio::null()).kill_on_drop(true);
        let done = match tokio::time::timeout(PATIENCE, command.output()).await {
            Ok(done) => done.map_err(AutostartError::NoClient)?,
            Err(_) => return Err(AutostartError::NoAnswer),
        };
        if done.status.success() {
            return serde_json::from_slice(&done.stdout).map_err(|_| AutostartError::NoAnswer);
        }
        let said = String::from_utf8_lossy(&done.stderr);
        let said = said.trim().trim_start_matches("yadori: ");
        Err(if said.is_empty() { AutostartError::NoAnswer } else { AutostartError::Refused(said.to_owned()) })
    }
}
