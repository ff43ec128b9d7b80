//! Setting up the data directory of the private server, and its small configuration.

use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};

use super::{ServerError, ServerPaths, files};

/// Written last, so that an installation that was interrupted is started over.
const MARKER: &str = "installed-by-yadori";

/// Makes sure that the data directory holds a whole installation.
pub(super) fn ensure(paths: &ServerPaths) -> Result<(), ServerError> {
    if paths.data.join(MARKER).exists() {
        return Ok(());
    }
    if paths.data.join("yadori").exists() {
        // Records without the marker: never overwrite them.
        return std::fs::write(paths.data.join(MARKER), "").map_err(|cause| files(&paths.data, cause));
    }
    let installer = find("mariadb-install-db")?;
    if paths.data.exists() {
        std::fs::remove_dir_all(&paths.data).map_err(|cause| files(&paths.data, cause))?;
    }
    std::fs::create_dir_all(&paths.data).map_err(|cause| files(&paths.data, cause))?;
    let user = super::current_user().map_err(|cause| files(&paths.data, cause))?;
    let mut command = Command::new(installer);
    command
        .arg("--no-defaults")
        .arg(format!("--datadir={}", paths.data.display()))
        .arg("--auth-root-authentication-method=socket")
        .arg(format!("--auth-root-socket-user={user}"))
        .args(["--skip-test-db", "--skip-log-bin", "--skip-name-resolve"]);
    if rustix::process::geteuid().is_root() {
        command.arg("--user=root");
    }
    let done = command.stdin(Stdio::null()).output().map_err(|cause| files(&paths.data, cause))?;
    if !done.status.success() {
        let said = String::from_utf8_lossy(&done.stderr);
        let last =
            said.lines().rev().find(|line| !line.trim().is_empty()).unwrap_or("it said nothing").to_owned();
        return Err(ServerError::Install(last));
    }
    std::fs::write(paths.data.join(MARKER), "").map_err(|cause| files(&paths.data, cause))
}

/// Writes the configuration file and returns its path.
pub(super) fn write_settings(paths: &ServerPaths) -> Result<PathBuf, ServerError> {
    let scratch = paths.data.join("scratch");
    std::fs::create_dir_all(&scratch).map_err(|cause| files(&scratch, cause))?;
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
    std::fs::write(&path, text).map_err(|cause| files(&path, cause))?;
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

/// The last line of the server's log that reports an error.
pub(super) fn last_error(log: &Path) -> String {
    let text =
        std::fs::read(log).map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).unwrap_or_default();
    let last = text.lines().rev().take(80).find(|line| line.contains("[ERROR]"));
    last.and_then(|line| line.split("[ERROR]").nth(1))
        .map_or_else(|| "no error logged".into(), |line| line.trim().to_owned())
}
