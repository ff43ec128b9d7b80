//! Where the service's socket is: under `--home`, or in the run-time directory of the XDG base directories.

use std::path::PathBuf;

use crate::failure::Failure;
use yadori_words::said;

const SOCKET: &str = "yadori.sock";

pub(crate) fn socket(
    home: Option<PathBuf>,
    environment: impl Fn(&str) -> Option<PathBuf>,
) -> Result<PathBuf, Failure> {
    if let Some(home) = home {
        return Ok(home.join("run").join(SOCKET));
    }
    let absolute = |name: &str| environment(name).filter(|path| path.is_absolute());
    if let Some(run) = absolute("XDG_RUNTIME_DIR") {
        return Ok(run.join("yadori").join(SOCKET));
    }
    let state = absolute("XDG_STATE_HOME").or_else(|| Some(environment("HOME")?.join(".local/state")));
    let state = state
        .ok_or_else(|| Failure::Use(said!("no home directory is known: set HOME, or pass --home DIR")))?;
    Ok(state.join("yadori/run").join(SOCKET))
}

/// The service's configuration file.
pub(crate) fn configuration(
    home: Option<PathBuf>,
    environment: impl Fn(&str) -> Option<PathBuf>,
) -> Option<PathBuf> {
    if let Some(home) = home {
        return Some(home.join("config.toml"));
    }
    let absolute = |name: &str| environment(name).filter(|path| path.is_absolute());
    let base = absolute("XDG_CONFIG_HOME").or_else(|| Some(absolute("HOME")?.join(".config")))?;
    Some(base.join("yadori/config.toml"))
}

/// The folders that belong to the service: its records', the first, its configuration's and its state's.
pub(crate) fn folders(home: Option<PathBuf>, environment: impl Fn(&str) -> Option<PathBuf>) -> Vec<PathBuf> {
    if let Some(home) = home {
        return ["data", "run"].map(|name| home.join(name)).into();
    }
    let absolute = |name: &str| environment(name).filter(|path| path.is_absolute());
    let usual = [
        ("XDG_DATA_HOME", ".local/share"),
        ("XDG_CONFIG_HOME", ".config"),
        ("XDG_STATE_HOME", ".local/state"),
    ];
    let folder = |(name, usual): (&str, &str)| absolute(name).or_else(|| Some(absolute("HOME")?.join(usual)));
    usual.into_iter().filter_map(folder).map(|folder| folder.join("yadori")).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_socket_is_looked_for_under_the_home_or_where_xdg_says() {
        let set = |pairs: &'static [(&str, &str)]| {
            move |name: &str| {
                pairs.iter().find(|(known, _)| *known == name).map(|(_, value)| PathBuf::from(value))
            }
        };
        let found = |home: Option<&str>, pairs| socket(home.map(PathBuf::from), set(pairs)).unwrap();
        assert_eq!(found(Some("/h"), &[]), PathBuf::from("/h/run/yadori.sock"));
        assert_eq!(
            found(None, &[("XDG_RUNTIME_DIR", "/r"), ("HOME", "/u")]),
            PathBuf::from("/r/yadori/yadori.sock")
        );
        assert_eq!(found(None, &[("HOME", "/u")]), PathBuf::from("/u/.local/state/yadori/run/yadori.sock"));
        assert!(socket(None, set(&[])).is_err());
    }
}
