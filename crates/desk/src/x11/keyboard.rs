//! The keyboard of the display: which key has which sign, which keys are held, what a press types.

use x11rb::errors::ReplyError;
use x11rb::protocol::xkb::{ConnectionExt as _, ID, PerClientFlag};
use x11rb::protocol::xproto::{ConnectionExt as _, ModMask};
use x11rb::rust_connection::RustConnection;
use yadori_core::take::chord::{Chord, Held};

const NUM_LOCK: u32 = 0xff7f;
const CONTROL: [u32; 2] = [0xffe3, 0xffe4];
const SHIFT: [u32; 2] = [0xffe1, 0xffe2];
const ALT: [u32; 2] = [0xffe9, 0xffea];
const SUPER: [u32; 2] = [0xffeb, 0xffec];
/// Keysyms that are code points (X11 protocol, appendix A).
const UNICODE: u32 = 0x0100_0000;

/// The keys of the display and what they stand for.
#[derive(Debug, Default)]
pub(crate) struct Keyboard {
    first: u8,
    each: usize,
    syms: Vec<u32>,
    /// The keys of each of the eight modifiers.
    modifiers: Vec<Vec<u8>>,
}

impl Keyboard {
    /// Asks the display. A key that is held is told of as pressed again and again, without releases between.
    pub(crate) fn read(conn: &RustConnection) -> Result<Self, ReplyError> {
        use x11rb::connection::Connection as _;
        let _ = conn.xkb_use_extension(1, 0)?.reply();
        let detect = PerClientFlag::DETECTABLE_AUTO_REPEAT;
        let none = x11rb::protocol::xkb::BoolCtrl::default();
        let _ = conn.xkb_per_client_flags(ID::USE_CORE_KBD.into(), detect, detect, none, none, none)?.reply();
        let first = conn.setup().min_keycode;
        let count = conn.setup().max_keycode.saturating_sub(first).saturating_add(1);
        let keys = conn.get_keyboard_mapping(first, count)?;
        let modifiers = conn.get_modifier_mapping()?.reply()?;
        let keys = keys.reply()?;
        let each = usize::from(modifiers.keycodes_per_modifier()).max(1);
        let held = |keys: &[u8]| keys.iter().copied().filter(|code| *code != 0).collect();
        Ok(Self {
            first,
            each: usize::from(keys.keysyms_per_keycode).max(1),
            syms: keys.keysyms,
            modifiers: modifiers.keycodes.chunks(each).map(held).collect(),
        })
    }

    fn signs(&self, code: u8) -> &[u32] {
        let at = usize::from(code.saturating_sub(self.first)) * self.each;
        self.syms.get(at..at + self.each).unwrap_or_default()
    }

    /// The key with a sign: the one that has it without anything held, or any that has it at all.
    pub(crate) fn code(&self, sym: u32) -> Option<u8> {
        let columns = (0..self.each)
            .find_map(|column| self.syms.chunks(self.each).position(|signs| signs.get(column) == Some(&sym)));
        Some(self.first.saturating_add(u8::try_from(columns?).ok()?))
    }

    /// The modifier that one of these keys stands for.
    fn mask(&self, syms: &[u32]) -> Option<u16> {
        let is_it = |code: &u8| self.signs(*code).iter().any(|sym| syms.contains(sym));
        self.modifiers.iter().position(|codes| codes.iter().any(is_it)).map(|n| 1 << n)
    }

    fn parts(held: Held) -> impl Iterator<Item = &'static [u32; 2]> {
        let all = [(held.control, &CONTROL), (held.shift, &SHIFT), (held.alt, &ALT), (held.super_, &SUPER)];
        all.into_iter().filter(|(is_held, _)| *is_held).map(|(_, syms)| syms)
    }

    /// The keys to hold for a chord.
    pub(crate) fn codes(&self, held: Held) -> Option<Vec<u8>> {
        Self::parts(held).map(|syms| syms.iter().find_map(|sym| self.code(*sym))).collect()
    }

    /// The modifiers of a chord, as a key event tells them.
    pub(crate) fn state(&self, held: Held) -> Option<u16> {
        Self::parts(held).try_fold(0, |state, syms| Some(state | self.mask(syms)?))
    }

    /// Locks that change nothing about a chord: none, Caps Lock, Num Lock, both.
    pub(crate) fn locks(&self) -> [u16; 4] {
        let (caps, number) = (u16::from(ModMask::LOCK), self.mask(&[NUM_LOCK]).unwrap_or(0));
        [0, caps, number, caps | number]
    }

    /// What of an event's state belongs to chords.
    pub(crate) fn without_locks(&self, state: u16) -> u16 {
        state & 0xff & !self.locks()[3]
    }

    /// The modifiers among the keys that are down.
    pub(crate) fn modifiers_down(&self, down: &[u8; 32]) -> Vec<u8> {
        let mut all: Vec<u8> =
            self.modifiers.iter().flatten().copied().filter(|code| is_down(down, *code)).collect();
        all.sort_unstable();
        all.dedup();
        all
    }

    /// Two keys stand for the same modifier, such as both Control keys.
    pub(crate) fn same_modifier(&self, one: u8, other: u8) -> bool {
        one == other || self.modifiers.iter().any(|codes| codes.contains(&one) && codes.contains(&other))
    }

    /// The keys that are down and are no modifiers.
    pub(crate) fn others_down(&self, down: &[u8; 32]) -> Vec<u8> {
        let is_modifier = |code: &u8| self.modifiers.iter().any(|codes| codes.contains(code));
        (8..=255).filter(|code| is_down(down, *code) && !is_modifier(code)).collect()
    }

    /// The sign of a key that is pressed with these modifiers; `None` for a modifier itself. Only the first two columns of
    /// the first or, where the state says so, the second group are looked at.
    pub(crate) fn pressed(&self, code: u8, state: u16) -> Option<Press> {
        if self.modifiers.iter().any(|codes| codes.contains(&code)) {
            return None;
        }
        let signs = self.signs(code);
        let group = if state & 0x6000 != 0 { 2 } else { 0 };
        let shift = state & u16::from(ModMask::SHIFT) != 0;
        let pick = |column: usize| signs.get(column).copied().filter(|sym| *sym != 0);
        let plain = pick(group).or_else(|| pick(0))?;
        let shifted = pick(group + 1).or_else(|| pick(1)).unwrap_or(plain);
        let letter = letter_of(plain).filter(|letter| letter.is_alphabetic());
        let caps = letter.is_some() && state & u16::from(ModMask::LOCK) != 0;
        let is_pad = (0xff80..=0xffb9).contains(&shifted);
        let number = is_pad && self.mask(&[NUM_LOCK]).is_some_and(|mask| state & mask != 0);
        let sym = if number || shift != caps { shifted } else { plain };
        let has = |syms: &[u32]| self.mask(syms).is_some_and(|mask| state & mask != 0);
        let held = Held { control: has(&CONTROL), shift, alt: has(&ALT), super_: has(&SUPER) };
        let text = letter_of(sym).filter(|_| !(held.control || held.alt || held.super_));
        let text = text.map(|letter| {
            if caps && shifted == plain { letter.to_uppercase().collect() } else { letter.to_string() }
        });
        Some(Press { text, chord: Chord { held, key: plain } })
    }
}

/// A key that was pressed.
#[derive(Debug, PartialEq, Eq)]
pub(crate) struct Press {
    /// What it types.
    pub(crate) text: Option<String>,
    pub(crate) chord: Chord,
}

fn is_down(down: &[u8; 32], code: u8) -> bool {
    down[usize::from(code / 8)] & (1 << (code % 8)) != 0
}

/// What a sign types (X11 protocol, appendix A): Latin-1 and code points; digits and signs of the keypad.
fn letter_of(sym: u32) -> Option<char> {
    match sym {
        0x20..=0x7e | 0xa0..=0xff => char::from_u32(sym),
        0xffaa..=0xffaf => char::from_u32(sym - 0xff80),
        0xffb0..=0xffb9 => char::from_u32(sym - 0xffb0 + 0x30),
        sym if sym & UNICODE != 0 => char::from_u32(sym & 0x00ff_ffff),
        _ => None,
    }
}
