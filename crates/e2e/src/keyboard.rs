//! A real keyboard on a display (the XTEST extension), and the windows its keys go to.

use anyhow::{Context, Result, bail};
use x11rb::connection::Connection;
use x11rb::protocol::xproto::{
    AtomEnum, ClientMessageEvent, ConnectionExt as _, EventMask, GrabMode, KEY_PRESS_EVENT,
    KEY_RELEASE_EVENT, ModMask,
};
use x11rb::protocol::xtest::ConnectionExt as _;
use x11rb::rust_connection::RustConnection;

use crate::{Display, until};

/// Keysyms of keys that are no letters (X11's keysymdef.h).
const KEYS: [(&str, u32); 17] = [
    ("ctrl", 0xffe3),
    ("shift", 0xffe1),
    ("alt", 0xffe9),
    ("super", 0xffeb),
    ("Tab", 0xff09),
    ("Insert", 0xff63),
    ("Escape", 0xff1b),
    ("Down", 0xff54),
    ("BackSpace", 0xff08),
    ("space", 0x0020),
    ("Return", 0xff0d),
    ("Delete", 0xffff),
    ("Home", 0xff50),
    ("End", 0xff57),
    ("F2", 0xffbf),
    ("F4", 0xffc1),
    ("F8", 0xffc5),
];

/// The keyboard of a display.
#[derive(Debug)]
pub struct Keyboard {
    conn: RustConnection,
    root: u32,
}

/// A window that the window manager knows.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Window {
    /// Its number.
    pub id: u32,
    /// The class part of WM_CLASS.
    pub class: String,
    /// Its title.
    pub title: String,
}

impl Keyboard {
    /// The keyboard of this display. Its keys go to the active window: it needs a window manager.
    pub fn of(display: &Display) -> Result<Self> {
        Self::named(&display.name())
    }

    /// Starts a window manager on this display and waits for it: a program that comes before it may never be managed.
    pub fn managed(display: &mut Display) -> Result<Self> {
        display.run("openbox", &[]);
        let keyboard = Self::of(display)?;
        until("the window manager", || keyboard.has_manager().ok()?.then_some(()));
        Ok(keyboard)
    }

    /// The keyboard of the display with this name.
    pub fn named(display: &str) -> Result<Self> {
        let (conn, screen) = x11rb::connect(Some(display))?;
        let root = conn.setup().roots[screen].root;
        Ok(Self { conn, root })
    }

    fn code(&self, keysym: u32) -> Result<u8> {
        let setup = self.conn.setup();
        let count = setup.max_keycode - setup.min_keycode + 1;
        let map = self.conn.get_keyboard_mapping(setup.min_keycode, count)?.reply()?;
        let each = usize::from(map.keysyms_per_keycode);
        let found = map.keysyms.chunks(each).position(|syms| syms.first() == Some(&keysym));
        let found = found.with_context(|| format!("no key for {keysym:#x}"))?;
        Ok(setup.min_keycode + u8::try_from(found)?)
    }

    fn codes(&self, chord: &str) -> Result<Vec<u8>> {
        let mut codes = Vec::new();
        for key in chord.split('+') {
            let named = KEYS.iter().find(|(name, _)| *name == key).map(|(_, keysym)| *keysym);
            let letter = key.chars().next().filter(|_| key.chars().count() == 1).map(u32::from);
            let Some(keysym) = named.or(letter) else { bail!("no such key: {key}") };
            codes.push(self.code(keysym)?);
        }
        Ok(codes)
    }

    fn send(&self, kind: u8, codes: impl IntoIterator<Item = u8>) -> Result<()> {
        for code in codes {
            self.conn.xtest_fake_input(kind, code, 0, self.root, 0, 0, 0)?;
        }
        self.conn.query_pointer(self.root)?.reply()?;
        Ok(())
    }

    /// Presses a chord such as `ctrl+v` and lets go of it.
    pub fn press(&self, chord: &str) -> Result<()> {
        let codes = self.codes(chord)?;
        self.send(KEY_PRESS_EVENT, codes.iter().copied())?;
        self.send(KEY_RELEASE_EVENT, codes.iter().rev().copied())
    }

    /// Presses keys and keeps them down.
    pub fn down(&self, chord: &str) -> Result<()> {
        self.send(KEY_PRESS_EVENT, self.codes(chord)?)
    }

    /// Lets go of keys.
    pub fn up(&self, chord: &str) -> Result<()> {
        self.send(KEY_RELEASE_EVENT, self.codes(chord)?.into_iter().rev())
    }

    /// Types letters, one after another: those that need no Shift.
    pub fn type_text(&self, text: &str) -> Result<()> {
        text.chars().try_for_each(|letter| self.press(&letter.to_string()))
    }

    /// The keys that are down.
    pub fn keys_down(&self) -> Result<usize> {
        let keys = self.conn.query_keymap()?.reply()?.keys;
        Ok(keys.iter().map(|byte| byte.count_ones() as usize).sum())
    }

    fn atom(&self, name: &str) -> Result<u32> {
        Ok(self.conn.intern_atom(false, name.as_bytes())?.reply()?.atom)
    }

    fn text(&self, window: u32, property: u32) -> Result<String> {
        let reply = self.conn.get_property(false, window, property, AtomEnum::ANY, 0, 4_096)?.reply()?;
        Ok(String::from_utf8_lossy(&reply.value).into_owned())
    }

    /// All windows, the newest last.
    pub fn windows(&self) -> Result<Vec<Window>> {
        let list = self.atom("_NET_CLIENT_LIST")?;
        let reply = self.conn.get_property(false, self.root, list, AtomEnum::WINDOW, 0, 1_000)?.reply()?;
        let mut windows = Vec::new();
        for id in reply.value32().into_iter().flatten() {
            // One that closes meanwhile is none.
            let Ok(class) = self.text(id, AtomEnum::WM_CLASS.into()) else { continue };
            let class = class.trim_end_matches('\0').rsplit('\0').next().unwrap_or_default().to_owned();
            let title = self.text(id, self.atom("_NET_WM_NAME")?).unwrap_or_default();
            let of_old = || self.text(id, AtomEnum::WM_NAME.into()).unwrap_or_default();
            let title = if title.is_empty() { of_old() } else { title };
            windows.push(Window { id, class, title });
        }
        Ok(windows)
    }

    /// The window that has the keyboard.
    pub fn active(&self) -> Result<u32> {
        let active = self.atom("_NET_ACTIVE_WINDOW")?;
        let reply = self.conn.get_property(false, self.root, active, AtomEnum::WINDOW, 0, 1)?.reply()?;
        Ok(reply.value32().and_then(|mut ids| ids.next()).unwrap_or(0))
    }

    /// A window manager runs.
    fn has_manager(&self) -> Result<bool> {
        let check = self.atom("_NET_SUPPORTING_WM_CHECK")?;
        let reply = self.conn.get_property(false, self.root, check, AtomEnum::WINDOW, 0, 1)?.reply()?;
        Ok(reply.value_len == 1)
    }

    fn tell(&self, window: u32, what: &str, data: [u32; 5]) -> Result<()> {
        let word = ClientMessageEvent::new(32, window, self.atom(what)?, data);
        let mask = EventMask::SUBSTRUCTURE_REDIRECT | EventMask::SUBSTRUCTURE_NOTIFY;
        self.conn.send_event(false, self.root, mask, word)?;
        self.conn.query_pointer(self.root)?.reply()?;
        Ok(())
    }

    /// Waits for a window and gives it the keyboard.
    pub fn focus(&self, what: &str, wanted: impl Fn(&Window) -> bool) -> Result<Window> {
        let window = until(what, || self.windows().ok()?.into_iter().rev().find(&wanted));
        self.tell(window.id, "_NET_ACTIVE_WINDOW", [2, 0, 0, 0, 0])?;
        until(&format!("{what} to have the keyboard"), || (self.active().ok()? == window.id).then_some(()));
        Ok(window)
    }

    /// Closes a window, as its own button does.
    pub fn close(&self, window: &Window) -> Result<()> {
        self.tell(window.id, "_NET_CLOSE_WINDOW", [0, 2, 0, 0, 0])
    }
}

/// Another program holds a chord, until this is dropped.
pub fn hold(display: &Display, chord: &str) -> Result<RustConnection> {
    let keyboard = Keyboard::of(display)?;
    let codes = keyboard.codes(chord)?;
    let (key, _) = codes.split_last().context("a key")?;
    let state = ModMask::CONTROL | ModMask::M1;
    let mode = GrabMode::ASYNC;
    keyboard.conn.grab_key(false, keyboard.root, state, *key, mode, mode)?.check()?;
    Ok(keyboard.conn)
}
