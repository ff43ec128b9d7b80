//! What a server opened and where it listens, looked at from outside before anybody speaks to it: a server that did not
//! follow its configuration is not ours.

use std::io;
use std::os::unix::fs::MetadataExt;
use std::path::Path;

use super::{ServerError, ServerPaths};

/// Makes sure that the server runs in its data directory and listens on its own socket alone.
pub(super) fn own(paths: &ServerPaths, supervisor: u32) -> Result<(), ServerError> {
    let not_own = |why: String| Err(ServerError::NotItsOwn(why));
    // The server changes into its data directory when it has read its configuration.
    // Nothing can be said of a process that may not be looked at, or has ended.
    let Ok(directory) = working_directory(supervisor) else { return Ok(()) };
    if !same(&directory, &paths.data) {
        return not_own(format!("it opened {}", directory.display()));
    }
    let ports = listening(supervisor).unwrap_or_default();
    if let Some(port) = ports.first() {
        return not_own(format!("it listens on port {port}"));
    }
    Ok(())
}

fn working_directory(pid: u32) -> io::Result<std::path::PathBuf> {
    std::fs::read_link(format!("/proc/{pid}/cwd"))
}

fn same(a: &Path, b: &Path) -> bool {
    let id = |path: &Path| path.metadata().map(|one| (one.dev(), one.ino())).ok();
    id(a).is_some() && id(a) == id(b)
}

/// TCP ports on which a process listens: sockets of its that are in the state LISTEN in the kernel's tables.
fn listening(pid: u32) -> io::Result<Vec<u16>> {
    let mut own = Vec::new();
    for entry in std::fs::read_dir(format!("/proc/{pid}/fd"))? {
        let Ok(target) = std::fs::read_link(entry?.path()) else { continue };
        let name = target.to_string_lossy().into_owned();
        own.extend(name.strip_prefix("socket:[").and_then(|rest| rest.strip_suffix("]")).map(str::to_owned));
    }
    let mut ports = Vec::new();
    for table in ["tcp", "tcp6"] {
        let text = std::fs::read_to_string(format!("/proc/{pid}/net/{table}")).unwrap_or_default();
        for line in text.lines().skip(1) {
            let fields: Vec<&str> = line.split_whitespace().collect();
            let (Some(address), Some(&"0A"), Some(inode)) = (fields.get(1), fields.get(3), fields.get(9))
            else {
                continue;
            };
            if own.iter().any(|one| one == inode) {
                let port = address.rsplit(':').next().and_then(|port| u16::from_str_radix(port, 16).ok());
                ports.extend(port);
            }
        }
    }
    Ok(ports)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_process_that_listens_is_found_out() {
        let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
        let port = listener.local_addr().unwrap().port();
        assert!(listening(std::process::id()).unwrap().contains(&port));
        drop(listener);
        assert!(!listening(std::process::id()).unwrap().contains(&port));
    }

    #[test]
    fn a_server_in_another_directory_is_not_our_own() {
        let dir = tempfile::tempdir().unwrap();
        let paths = ServerPaths {
            data: dir.path().join("records"),
            socket: dir.path().join("s"),
            log: dir.path().join("log"),
        };
        std::fs::create_dir(&paths.data).unwrap();
        let why = own(&paths, std::process::id()).unwrap_err();
        assert!(matches!(why, ServerError::NotItsOwn(_)), "{why}");
    }
}
