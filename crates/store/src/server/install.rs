//! Setting up the data directory of the private server, and its small configuration.

use std::io::Write;
use std::os::unix::fs::{DirBuilderExt, OpenOptionsExt, PermissionsExt};
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use super::{Fault, ServerError, ServerPaths, files};

/// Marks a whole installation.
pub(super) const MARKER: &str = "installed-by-yadori";

/// Makes sure that the data directory holds a whole installation. One that holds anything else is never touched: an
/// installation is made beside its place, and moved there when it is whole.
pub(super) fn ensure(paths: &ServerPaths) -> Result<(), ServerError> {
    let at = |path: &Path| {
        let path = path.to_owned();
        move |cause| files(&path, cause)
    };
    if paths.data.join(MARKER).exists() {
        return close(&paths.data).map_err(at(&paths.data));
    }
    let holds_something = match std::fs::read_dir(&paths.data) {
        Ok(mut entries) => entries.next().is_some(),
        Err(why) if why.kind() == std::io::ErrorKind::NotFound => false,
        Err(why) => return Err(files(&paths.data, why)),
    };
    if holds_something {
        if paths.data.join("yadori").is_dir() && paths.data.join("ibdata1").is_file() {
            // Records without the mark, as a copy of a home may leave them.
            return write_mark(&paths.data).map_err(at(&paths.data));
        }
        return Err(ServerError::Unmarked(paths.data.display().to_string()));
    }
    let mut scratch = paths.data.clone().into_os_string();
    scratch.push(".installing");
    let scratch = PathBuf::from(scratch);
    // Left behind by an installation that was cut off: its name says whose it is.
    match std::fs::remove_dir_all(&scratch) {
        Err(why) if why.kind() != std::io::ErrorKind::NotFound => return Err(files(&scratch, why)),
        _ => {}
    }
    make_directory(&scratch).map_err(at(&scratch))?;
    install_into(&scratch)?;
    write_mark(&scratch).map_err(at(&scratch))?;
    match std::fs::remove_dir(&paths.data) {
        Err(why) if why.kind() != std::io::ErrorKind::NotFound => return Err(files(&paths.data, why)),
        _ => {}
    }
    std::fs::rename(&scratch, &paths.data).map_err(at(&paths.data))
}

fn install_into(directory: &Path) -> Result<(), ServerError> {
    let user = super::current_user().map_err(|cause| files(directory, cause))?;
    let mut command = Command::new(find("mariadb-install-db")?);
    command
        .arg("--no-defaults")
        .arg(format!("--datadir={}", directory.display()))
        .arg("--auth-root-authentication-method=socket")
        .arg(format!("--auth-root-socket-user={user}"))
        // It is reached by its socket alone: whether a name of this computer can be looked up does not matter.
        .arg("--force")
        .args(["--skip-test-db", "--skip-log-bin", "--skip-name-resolve"]);
    if rustix::process::geteuid().is_root() {
        command.arg("--user=root");
    }
    let done = command.stdin(Stdio::null()).output().map_err(|cause| files(directory, cause))?;
    if !done.status.success() {
        // Some of its mistakes go to its output.
        let said = [done.stdout, done.stderr].concat();
        let said = String::from_utf8_lossy(&said);
        let last =
            said.lines().rev().find(|line| !line.trim().is_empty()).unwrap_or("it said nothing").to_owned();
        return Err(ServerError::Install(last));
    }
    Ok(())
}

/// A directory for this user alone, whatever the process's umask.
fn make_directory(path: &Path) -> std::io::Result<()> {
    std::fs::DirBuilder::new().recursive(true).mode(0o700).create(path)?;
    close(path)
}

fn close(path: &Path) -> std::io::Result<()> {
    std::fs::set_permissions(path, std::fs::Permissions::from_mode(0o700))
}

fn write_mark(directory: &Path) -> std::io::Result<()> {
    write_private(&directory.join(MARKER), "")
}

/// A file for this user alone, whatever the process's umask: MariaDB ignores a configuration that others may write.
fn write_private(path: &Path, text: &str) -> std::io::Result<()> {
    let mut file =
        std::fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(path)?;
    file.set_permissions(std::fs::Permissions::from_mode(0o600))?;
    file.write_all(text.as_bytes())?;
    file.sync_all()
}

/// Writes the configuration file and returns its path.
pub(super) fn write_settings(paths: &ServerPaths) -> Result<PathBuf, ServerError> {
    let scratch = paths.data.join("scratch");
    make_directory(&scratch).map_err(|cause| files(&scratch, cause))?;
    let path = paths.data.join("yadori.cnf");
    let text = format!(
        "# Written by yadorid at each start; changes are lost.\n\
         [mariadbd]\n\
         datadir={data}\n\
         socket={socket}\n\
         log-error={log}\n\
         pid-file={data}/server.pid\n\
         tmpdir={scratch}\n\
         skip-networking\n\
         skip-name-resolve\n\
         skip-log-bin\n\
         skip-slow-query-log\n\
         skip-general-log\n\
         local-infile=0\n\
         character-set-server=utf8mb4\n\
         collation-server=utf8mb4_nopad_bin\n\
         max-connections=24\n\
         max-allowed-packet=64M\n\
         innodb-buffer-pool-size=64M\n\
         innodb-log-file-size=32M\n\
         innodb-flush-log-at-trx-commit=1\n\
         innodb-immediate-scrub-data-uncompressed=ON\n\
         key-buffer-size=256K\n\
         aria-pagecache-buffer-size=4M\n\
         query-cache-type=0\n\
         query-cache-size=0\n\
         performance-schema=OFF\n",
        data = paths.data.display(),
        socket = paths.socket.display(),
        log = paths.log.display(),
        scratch = scratch.display(),
    );
    write_private(&path, &text).map_err(|cause| files(&path, cause))?;
    Ok(path)
}

/// Finds a program on the path, or where Debian keeps servers.
pub(super) fn find(program: &'static str) -> Result<PathBuf, ServerError> {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path)
        .chain(["/usr/sbin", "/usr/bin", "/usr/local/sbin"].map(PathBuf::from))
        .map(|dir| dir.join(program))
        .find(|candidate| candidate.is_file())
        .ok_or(ServerError::Missing(program))
}

/// What the server's log complains of since its last start: the first and the last of it.
pub(super) fn last_error(log: &Path) -> String {
    let errors = errors(log);
    let mut lines = errors.lines();
    match (lines.next(), lines.next_back()) {
        (None, _) => "no error logged".into(),
        (Some(first), Some(last)) if last != first => format!("{first} … {last}"),
        (Some(first), _) => first.to_owned(),
    }
}

/// All errors in the server's log since its last start, a line each.
pub(super) fn errors(log: &Path) -> String {
    let text = tail(log).unwrap_or_default();
    let since = text.rfind("starting as process").map_or(text.as_str(), |at| &text[at..]);
    let errors: Vec<&str> =
        since.lines().filter_map(|line| Some(line.split("[ERROR]").nth(1)?.trim())).collect();
    errors.join("\n")
}

/// The last part of a log.
fn tail(log: &Path) -> std::io::Result<String> {
    use std::io::{Read, Seek, SeekFrom};
    let mut file = std::fs::File::open(log)?;
    let length = file.seek(SeekFrom::End(0))?;
    file.seek(SeekFrom::Start(length.saturating_sub(TAIL)))?;
    let mut bytes = Vec::new();
    file.take(TAIL).read_to_end(&mut bytes)?;
    Ok(String::from_utf8_lossy(&bytes).into_owned())
}

/// Bytes at the end of a log in which errors are looked for.
const TAIL: u64 = 64 << 10;

/// What sort of thing the server complains of.
pub(super) fn fault_of(said: &str) -> Fault {
    let said = said.to_ascii_lowercase();
    let has = |words: &[&str]| words.iter().any(|one| said.contains(one));
    if has(&["no space left", "disk full", "errcode: 28", "errno: 28", "error number 28", "os error 28"]) {
        Fault::Full
    } else if has(&["read-only file system", "read only file system", "errcode: 30", "error number 30"]) {
        Fault::ReadOnly
    } else if has(&[
        "corrupt",
        "damaged",
        "checksum mismatch",
        "page read from tablespace",
        "cannot find tablespace",
        "missing",
        "doesn't exist",
        "does not exist",
        "not found",
        "incorrect information in file",
        "can't open and lock privilege tables",
        "wrong space id",
        "page no stored in the page",
        "only 0 bytes",
        "the size of",
    ]) {
        Fault::Damaged
    } else {
        Fault::Other
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_server_complains_of_is_told_apart() {
        for (said, fault) in [
            ("InnoDB: Error number 28 means 'No space left on device'", Fault::Full),
            ("mariadbd: Can't create/write to file (Errcode: 30 \"Read-only file system\")", Fault::ReadOnly),
            ("InnoDB: Database page corruption on disk or a failed read of file './ibdata1'", Fault::Damaged),
            (
                "InnoDB: Page [page id: space=0, page number=5] log sequence number is in the future",
                Fault::Other,
            ),
            ("Can't start server: Bind on unix socket: Address already in use", Fault::Other),
        ] {
            assert_eq!(fault_of(said), fault, "{said}");
        }
    }

    #[test]
    fn what_went_wrong_is_read_off_the_end_of_the_log() {
        let dir = tempfile::tempdir().unwrap();
        let log = dir.path().join("log");
        std::fs::write(
            &log,
            "[ERROR] old\nmariadbd: starting as process 7\n [Note] x\n [ERROR] InnoDB: first\n [ERROR] Aborting\n",
        )
        .unwrap();
        assert_eq!(last_error(&log), "InnoDB: first … Aborting");
        assert_eq!(last_error(&dir.path().join("none")), "no error logged");
    }
}
