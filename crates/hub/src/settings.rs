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
    tls: Tls,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Tls {
    always: Option<bool>,
    certificate: Option<PathBuf>,
    key: Option<PathBuf>,
}

#[derive(Debug, Default, Deserialize)]
#[serde(deny_unknown_fields, default)]
struct Database {
    url: Option<String>,
}

/// What it shows that it is itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Certificate {
    /// One that it makes, with a key that it keeps.
    OfItsOwn,
    /// A chain and its key that were given, each in PEM.
    Given(PathBuf, PathBuf),
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
    /// How it speaks TLS; `None`: in the clear, on loopback.
    pub tls: Option<Certificate>,
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
    /// A certificate without its key, or the other way round.
    #[error("tls.certificate and tls.key belong together; give both, or neither: the hub makes its own then")]
    Half,
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
    let tls = match (file.tls.certificate, file.tls.key) {
        (Some(certificate), Some(key)) => Some(Certificate::Given(home.join(certificate), home.join(key))),
        (None, None) => {
            let wanted = file.tls.always.unwrap_or(false) || !listen.ip().is_loopback();
            wanted.then_some(Certificate::OfItsOwn)
        }
        _ => return Err(SettingsError::Half),
    };
    Ok(Settings {
        home: home.to_owned(),
        listen,
        open: file.open.unwrap_or(false),
        quota: file.quota_mib.unwrap_or(4_096).saturating_mul(1 << 20),
        tls,
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
        assert_eq!(Settings { database_url: None, tls: None, ..shown }, without);
        std::fs::write(dir.path().join("config.toml"), "listen = \"0.0.0.0:1\"").unwrap();
        let beyond = resolve(dir.path(), None).unwrap();
        assert_eq!(beyond.tls, Some(Certificate::OfItsOwn), "beyond loopback never in the clear");
        for (wrong, why) in [("[tls]\nkey = \"k.pem\"", "belong together"), ("opne = true", "has a mistake")]
        {
            std::fs::write(dir.path().join("config.toml"), wrong).unwrap();
            let told = resolve(dir.path(), None).unwrap_err().to_string();
            assert!(told.contains(why), "{told}");
        }
    }
}
