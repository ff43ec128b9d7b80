//! Where a copy came from, as far as X tells: the process that owns the selection, and its window. What has the focus
//! counts only when it belongs to that process.

use x11rb::protocol::res::{ClientIdMask, ClientIdSpec, ConnectionExt as _};
use x11rb::protocol::xproto::{AtomEnum, ConnectionExt as _, GetPropertyReply, Window};
use x11rb::rust_connection::RustConnection;
use yadori_core::Source;

use super::process;
use super::session::Atoms;

/// The longest title or address kept, in characters.
const TITLE_CHARS: usize = 400;
/// How many windows are looked at.
const MOST_WINDOWS: u32 = 200;

/// The source of what `owner` has just put on the clipboard, and its process.
pub(crate) fn source_of(
    conn: &RustConnection,
    atoms: &Atoms,
    root: Window,
    owner: Window,
) -> (Source, Option<u32>) {
    let connected = pid_of_client(conn, owner).or_else(|| cardinal(conn, owner, atoms._NET_WM_PID));
    let pid = connected.and_then(|pid| if process::is_alive(pid) { Some(pid) } else { process::heir(pid) });
    let Some(pid) = pid else {
        return (Source { program: class_of(conn, owner), ..Source::default() }.bounded(TITLE_CHARS), None);
    };
    let family = process::family(pid);
    let active = cardinal_of(conn, root, atoms._NET_ACTIVE_WINDOW, AtomEnum::WINDOW.into())
        .filter(|window| *window != 0)
        .filter(|window| {
            let of = cardinal(conn, *window, atoms._NET_WM_PID).or_else(|| pid_of_client(conn, *window));
            of.is_some_and(|of| family.contains(&of))
        });
    let window = active.or_else(|| {
        let own = windows_of(conn, atoms, root, &family);
        // Of several, nobody knows in which it was copied.
        own.first().copied().filter(|_| own.len() == 1)
    });
    let source = Source {
        program: window
            .and_then(|window| class_of(conn, window))
            .or_else(|| class_of(conn, owner))
            .or_else(|| process::name(pid)),
        window: window.and_then(|window| title_of(conn, atoms, window)),
        page: None,
    };
    (source.bounded(TITLE_CHARS), Some(pid))
}

/// The windows of some processes, among those that the window manager knows (Extended Window Manager Hints,
/// `_NET_CLIENT_LIST` and `_NET_WM_PID`).
fn windows_of(conn: &RustConnection, atoms: &Atoms, root: Window, family: &[u32]) -> Vec<Window> {
    let asked =
        conn.get_property(false, root, atoms._NET_CLIENT_LIST, AtomEnum::WINDOW, 0, MOST_WINDOWS).ok();
    let reply = asked.and_then(|asked| asked.reply().ok());
    let windows: Vec<Window> = reply.and_then(|reply| Some(reply.value32()?.collect())).unwrap_or_default();
    // All are asked for before the first answer is waited for.
    let kind = AtomEnum::CARDINAL;
    let asked: Vec<_> = windows
        .into_iter()
        .filter_map(|window| {
            Some((window, conn.get_property(false, window, atoms._NET_WM_PID, kind, 0, 1).ok()?))
        })
        .collect();
    let pid = |reply: GetPropertyReply| reply.value32()?.next();
    asked
        .into_iter()
        .filter_map(|(window, asked)| Some((window, asked.reply().ok().and_then(pid)?)))
        .filter(|(_, pid)| family.contains(pid))
        .map(|(window, _)| window)
        .collect()
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
