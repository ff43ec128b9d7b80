//! Where a copy came from, as far as X tells: the window that has the focus, held against the process that owns the
//! selection. Focus is a hint, not proof.

use x11rb::protocol::res::{ClientIdMask, ClientIdSpec, ConnectionExt as _};
use x11rb::protocol::xproto::{AtomEnum, ConnectionExt as _, Window};
use x11rb::rust_connection::RustConnection;
use yadori_core::Source;

use super::session::Atoms;

/// The longest title or address kept, in characters.
const TITLE_CHARS: usize = 400;

/// The source of what `owner` has just put on the clipboard.
pub(crate) fn source_of(conn: &RustConnection, atoms: &Atoms, root: Window, owner: Window) -> Source {
    // Programs that go to the background after copying (xclip) were connected by a process that is gone.
    let alive = |pid: &u32| std::path::Path::new(&format!("/proc/{pid}")).exists();
    let owner_pid =
        pid_of_client(conn, owner).or_else(|| cardinal(conn, owner, atoms._NET_WM_PID)).filter(alive);
    let active = cardinal_of(conn, root, atoms._NET_ACTIVE_WINDOW, AtomEnum::WINDOW.into())
        .filter(|window| *window != 0);
    let active_pid = active
        .and_then(|window| cardinal(conn, window, atoms._NET_WM_PID).or_else(|| pid_of_client(conn, window)));
    let same = match (owner_pid, active_pid) {
        (Some(owner), Some(active)) => {
            owner == active || executable(owner).is_some_and(|path| Some(path) == executable(active))
        }
        (None, Some(_)) => true,
        _ => false,
    };
    let source = if same {
        let window = active.unwrap_or(owner);
        Source {
            program: class_of(conn, window).or_else(|| owner_pid.and_then(process_name)),
            window: title_of(conn, atoms, window),
            page: None,
        }
    } else {
        Source {
            program: owner_pid.and_then(process_name).or_else(|| class_of(conn, owner)),
            ..Source::default()
        }
    };
    source.bounded(TITLE_CHARS)
}

fn pid_of_client(conn: &RustConnection, window: Window) -> Option<u32> {
    let spec = ClientIdSpec { client: window, mask: ClientIdMask::LOCAL_CLIENT_PID };
    let reply = conn.res_query_client_ids(&[spec]).ok()?.reply().ok()?;
    reply.ids.iter().find(|id| id.spec.mask == ClientIdMask::LOCAL_CLIENT_PID)?.value.first().copied()
}

fn cardinal(conn: &RustConnection, window: Window, atom: u32) -> Option<u32> {
    cardinal_of(conn, window, atom, AtomEnum::CARDINAL.into())
}

fn cardinal_of(conn: &RustConnection, window: Window, atom: u32, kind: u32) -> Option<u32> {
    conn.get_property(false, window, atom, kind, 0, 1).ok()?.reply().ok()?.value32()?.next()
}

/// The class part of WM_CLASS (ICCCM section 4.1.2.5).
fn class_of(conn: &RustConnection, window: Window) -> Option<String> {
    let reply =
        conn.get_property(false, window, AtomEnum::WM_CLASS, AtomEnum::STRING, 0, 256).ok()?.reply().ok()?;
    let mut parts = reply.value.split(|byte| *byte == 0);
    let instance = parts.next()?;
    let class = parts.next().filter(|class| !class.is_empty()).unwrap_or(instance);
    Some(String::from_utf8_lossy(class).into_owned()).filter(|class| !class.is_empty())
}

fn title_of(conn: &RustConnection, atoms: &Atoms, window: Window) -> Option<String> {
    let named = |atom: u32, kind: u32| {
        let reply = conn.get_property(false, window, atom, kind, 0, 1_024).ok()?.reply().ok()?;
        Some(String::from_utf8_lossy(&reply.value).into_owned()).filter(|title| !title.is_empty())
    };
    named(atoms._NET_WM_NAME, atoms.UTF8_STRING)
        .or_else(|| named(AtomEnum::WM_NAME.into(), AtomEnum::STRING.into()))
}

fn executable(pid: u32) -> Option<std::path::PathBuf> {
    std::fs::read_link(format!("/proc/{pid}/exe")).ok()
}

fn process_name(pid: u32) -> Option<String> {
    let from_path = executable(pid).and_then(|path| Some(path.file_name()?.to_string_lossy().into_owned()));
    from_path.map(|name| name.trim_end_matches(" (deleted)").to_owned()).or_else(|| {
        std::fs::read_to_string(format!("/proc/{pid}/comm")).ok().map(|name| name.trim().to_owned())
    })
}
