//! Where a copy came from, as far as X tells: the process that owns the selection, and its window. What has the focus
//! counts only when it belongs to that process.

use std::time::{Duration, Instant};

use x11rb::connection::Connection as _;
use x11rb::cookie::Cookie;
use x11rb::protocol::res::{ClientIdMask, ClientIdSpec, ConnectionExt as _, QueryClientIdsReply};
use x11rb::protocol::xproto::{AtomEnum, ConnectionExt as _, GetPropertyReply, Window};
use x11rb::rust_connection::RustConnection;
use yadori_core::Source;

use super::atoms::Atoms;
use super::process;

/// The longest title or address kept, in characters.
const TITLE_CHARS: usize = 400;
/// How many windows are looked at.
const MOST_WINDOWS: u32 = 200;

/// How long what is known of a program is believed.
const FRESH: Duration = Duration::from_secs(1);
/// Of how many programs something is remembered.
const PROGRAMS: usize = 8;

/// A program that copies, as far as it is known.
#[derive(Clone, Debug)]
struct Program {
    /// The part of its windows' numbers that is its own.
    client: u32,
    pid: u32,
    family: Vec<u32>,
    /// Its window, if it has one alone. Looked for when another program's has the focus.
    window: Option<Option<Window>>,
    until: Instant,
}

/// The programs that copied last: what is known of them is not asked for at every copy of a burst.
#[derive(Debug, Default)]
pub(crate) struct Programs(Vec<Program>);

type Asked<'c> = Option<Cookie<'c, RustConnection, GetPropertyReply>>;

/// Asks for a number; its answer is waited for later.
fn ask(conn: &RustConnection, window: Window, atom: u32, kind: AtomEnum) -> Asked<'_> {
    conn.get_property(false, window, atom, kind, 0, 1).ok()
}

fn number(asked: Asked<'_>) -> Option<u32> {
    asked?.reply().ok()?.value32()?.next()
}

impl Programs {
    /// The source of what `owner` has just put on the clipboard, and its process.
    pub(crate) fn source_of(
        &mut self,
        conn: &RustConnection,
        atoms: &Atoms,
        root: Window,
        owner: Window,
    ) -> (Source, Option<u32>) {
        let active = ask(conn, root, atoms._NET_ACTIVE_WINDOW, AtomEnum::WINDOW);
        let Some(program) = self.program(conn, atoms, owner) else {
            let source = Source { program: class_of(conn, owner), ..Source::default() };
            return (source.bounded(TITLE_CHARS), None);
        };
        let active = number(active).filter(|window| *window != 0);
        let active = active.filter(|window| {
            let of = number(ask(conn, *window, atoms._NET_WM_PID, AtomEnum::CARDINAL));
            of.or_else(|| pid_of_client(conn, *window)).is_some_and(|of| program.family.contains(&of))
        });
        let window = active.or_else(|| {
            *program.window.get_or_insert_with(|| {
                let own = windows_of(conn, atoms, root, &program.family);
                // Of several, nobody knows in which it was copied.
                own.first().copied().filter(|_| own.len() == 1)
            })
        });
        let source = Source {
            program: window
                .and_then(|window| class_of(conn, window))
                .or_else(|| class_of(conn, owner))
                .or_else(|| process::name(program.pid)),
            window: window.and_then(|window| title_of(conn, atoms, window)),
            page: None,
        };
        (source.bounded(TITLE_CHARS), Some(program.pid))
    }

    /// The process that a window belongs to.
    pub(crate) fn process_of(&mut self, conn: &RustConnection, atoms: &Atoms, owner: Window) -> Option<u32> {
        self.program(conn, atoms, owner).map(|program| program.pid)
    }

    fn program(&mut self, conn: &RustConnection, atoms: &Atoms, owner: Window) -> Option<&mut Program> {
        let client = owner & !conn.setup().resource_id_mask;
        let now = Instant::now();
        self.0.retain(|one| one.until > now && process::is_alive(one.pid));
        if let Some(known) = self.0.iter().position(|one| one.client == client) {
            return self.0.get_mut(known);
        }
        let spec = ClientIdSpec { client: owner, mask: ClientIdMask::LOCAL_CLIENT_PID };
        let connected = conn.res_query_client_ids(&[spec]).ok();
        let named = ask(conn, owner, atoms._NET_WM_PID, AtomEnum::CARDINAL);
        let pid = connected.and_then(|asked| pid_in(&asked.reply().ok()?)).or_else(|| number(named))?;
        let pid = if process::is_alive(pid) { pid } else { process::heir(pid)? };
        let family = process::family(pid);
        if self.0.len() >= PROGRAMS {
            self.0.remove(0);
        }
        self.0.push(Program { client, pid, family, window: None, until: now + FRESH });
        self.0.last_mut()
    }
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
    pid_in(&conn.res_query_client_ids(&[spec]).ok()?.reply().ok()?)
}

fn pid_in(reply: &QueryClientIdsReply) -> Option<u32> {
    reply.ids.iter().find(|id| id.spec.mask == ClientIdMask::LOCAL_CLIENT_PID)?.value.first().copied()
}

/// The class part of WM_CLASS (ICCCM section 4.1.2.5).
pub(crate) fn class_of(conn: &RustConnection, window: Window) -> Option<String> {
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
