//! The hub's settings: flags, over a file in its home.

use std::net::SocketAddr;
use std::path::{Path, PathBuf};

use clap::{Parser, Subcommand};
use serde::Deserialize;

/// The commented example, also the documentation of every setting.
pub const EXAMPLE: &str = include_str!("../config.example.toml");

/// Carries sealed records between a person's own devices
#[derive(Debug, Parser)]
#[command(name = "yadori-hub", version)]
pub struct Flags {
    /// Where the hub keeps its files
    #[arg(long, env = "YADORI_HUB_HOME", value_name = "DIR")]
    pub home: PathBuf,
    /// Answer here instead of at the file's address; port 0 chooses a free one
    #[arg(long, value_name = "ADDR")]
    pub listen: Option<SocketAddr>,
    /// What to do; to serve, when nothing is said
    #[command(subcommand)]
    pub verb: Option<Verb>,
}

/// What to do.
#[derive(Debug, Clone, PartialEq, Eq, Subcommand)]
pub enum Verb {
    /// Serve
    Serve,
    /// Print an invitation, with which somebody may bring a group here, once
    Invite {
        /// For how many days it holds
        #[arg(long, default_value_t = 7)]
        days: u32,
    },
    /// Print an example of the configuration
    Example,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct File {
    listen: Option<SocketAddr>,
    open: Option<bool>,
    quota_mib: Option<u64>,
    pace: Option<u32>,
    quiet_days: Option<u32>,
    database: Database,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Database {
    url: Option<String>,
}

/// Settings that hold.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Settings {
    /// Where its files are.
    pub home: PathBuf,
    /// Where it answers.
    pub listen: SocketAddr,
    /// Groups come to be without an invitation.
    pub open: bool,
    /// Bytes that a group may have.
    pub quota: u64,
    /// Requests that a group may make each second, in the long run.
    pub pace: u32,
    /// For how many days a group stays that nobody asks for.
    pub quiet_days: u32,
    /// A database that was given; `None`: a private server.
    pub database_url: Option<String>,
}

/// Why settings do not hold.
#[derive(Debug, thiserror::Error)]
pub enum SettingsError {
    /// The file can't be read.
    #[error("the configuration {0} can't be read: {1}")]
    Unreadable(PathBuf, std::io::Error),
    /// The file is not what it should be.
    #[error("the configuration {0} has a mistake: {1}\n`yadori-hub example` shows every setting")]
    Malformed(PathBuf, Box<toml::de::Error>),
    /// Beyond loopback without TLS.
    #[error(
        "the hub would answer at {0} without TLS; it does so on loopback alone. Choose a loopback address, with \
         something that speaks TLS in front of it"
    )]
    Open(SocketAddr),
}

/// Brings flags and the file together.
///
/// # Errors
/// When they do not hold.
pub fn resolve(home: &Path, listen: Option<SocketAddr>) -> Result<Settings, SettingsError> {
    let path = home.join("config.toml");
    let file: File = match std::fs::read_to_string(&path) {
        Ok(text) => toml::from_str(&text).map_err(|why| SettingsError::Malformed(path, Box::new(why)))?,
        Err(why) if why.kind() == std::io::ErrorKind::NotFound => File::default(),
        Err(why) => return Err(SettingsError::Unreadable(path, why)),
    };
    let listen = listen.or(file.listen).unwrap_or_else(|| SocketAddr::from(([127, 0, 0, 1], 8930)));
    if !listen.ip().is_loopback() {
        return Err(SettingsError::Open(listen));
    }
    Ok(Settings {
        home: home.to_owned(),
        listen,
        open: file.open.unwrap_or(false),
        quota: file.quota_mib.unwrap_or(4_096).saturating_mul(1 << 20),
        pace: file.pace.unwrap_or(200),
        quiet_days: file.quiet_days.unwrap_or(540).max(180),
        database_url: file.database.url,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_example_says_what_holds_without_it() {
        let dir = tempfile::tempdir().unwrap();
        let without = resolve(dir.path(), None).unwrap();
        std::fs::write(dir.path().join("config.toml"), EXAMPLE).unwrap();
        assert_eq!(resolve(dir.path(), None).unwrap(), without);
        let shown: String =
            EXAMPLE.lines().map(|line| line.strip_prefix("#: ").unwrap_or(line).to_owned() + "\n").collect();
        std::fs::write(dir.path().join("config.toml"), &shown).unwrap();
        let shown = resolve(dir.path(), None).unwrap();
        assert_eq!(Settings { database_url: None, ..shown }, without);
        for (wrong, why) in [("listen = \"0.0.0.0:1\"", "without TLS"), ("opne = true", "has a mistake")] {
            std::fs::write(dir.path().join("config.toml"), wrong).unwrap();
            let told = resolve(dir.path(), None).unwrap_err().to_string();
            assert!(told.contains(why), "{told}");
        }
    }
}
