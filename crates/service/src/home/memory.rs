//! How the C library gives memory back. As it comes, it keeps an arena for each of several threads, and what was once a
//! large block in it stays the process's own: after a day of large copies the service would take several times what it
//! holds.

use std::ffi::OsString;
use std::os::unix::process::CommandExt;
use std::process::Command;

/// The variable that glibc reads at start ("Memory Allocation Tunables" in its manual).
const VARIABLE: &str = "GLIBC_TUNABLES";
/// Few arenas; large blocks (bytes) are mapped alone and given back at once.
const WISHES: &str =
    "glibc.malloc.arena_max=2:glibc.malloc.mmap_threshold=131072:glibc.malloc.trim_threshold=262144";

/// Starts this program once more in its place, as it was started. Returns only when that can't be done.
pub fn start_again() {
    let why = own_command().map(|mut command| command.exec());
    tracing::error!("the service could not start itself again: {why:?}");
}

fn own_command() -> Option<Command> {
    let own = std::env::current_exe().ok()?;
    let arguments: Vec<OsString> = std::env::args_os().collect();
    let mut command = Command::new(own);
    if let Some((name, rest)) = arguments.split_first() {
        command.arg0(name).args(rest);
    }
    Some(command)
}

/// Starts this program once more in its place, with the wishes in force; returns when they are, when the person has wishes
/// of their own, or when it can't be done. The process keeps its number.
pub fn settle() {
    if std::env::var_os(VARIABLE).is_some() {
        return;
    }
    let Some(mut command) = own_command() else { return };
    let why = command.env(VARIABLE, WISHES).exec();
    tracing::debug!("memory is given back as the C library does by itself: {why}");
}
