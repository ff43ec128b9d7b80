//! Keys that are pressed for the person, on a keyboard of our own (`virtual-keyboard-unstable-v1`): what is held on the real
//! one does not mix with them. One keyboard for as long as the connection lasts; programs take a moment to get used to one.

use std::os::fd::{AsFd, OwnedFd};
use std::time::Instant;

use rustix::fs::SealFlags;
use wayland_client::protocol::wl_keyboard::KeymapFormat;
use wayland_protocols_misc::zwp_virtual_keyboard_v1::client::zwp_virtual_keyboard_v1::ZwpVirtualKeyboardV1;
use yadori_core::take::chord::{Chord, Held};

use super::wire::sealed_file;

/// The keys of a usual keyboard, by the compositor's own tables (xkbcommon, text format version 1).
const KEYMAP: &str = "xkb_keymap {
xkb_keycodes { include \"evdev+aliases(qwerty)\" };
xkb_types { include \"complete\" };
xkb_compat { include \"complete\" };
xkb_symbols { include \"pc+us+inet(evdev)\" };
};
";

/// Modifiers: key (Linux input event code), and its bit (X11 protocol, section on keyboards: Shift, Lock, Control, Mod1 to 5).
const CONTROL: (u32, u32) = (29, 1 << 2);
const SHIFT: (u32, u32) = (42, 1);
const ALT: (u32, u32) = (56, 1 << 3);
const SUPER: (u32, u32) = (125, 1 << 6);

/// The rows of letters, with the code of the first; the others follow.
const ROWS: [(&str, u32); 5] =
    [("1234567890-=", 2), ("qwertyuiop[]", 16), ("asdfghjkl;'`", 30), ("\\zxcvbnm,./", 43), (" ", 57)];
/// Keys with names: keysym, code.
const NAMED: [(u32, u32); 24] = [
    (0xff08, 14),
    (0xff09, 15),
    (0xff0d, 28),
    (0xff1b, 1),
    (0xff13, 119),
    (0xff14, 70),
    (0xff50, 102),
    (0xff51, 105),
    (0xff52, 103),
    (0xff53, 106),
    (0xff54, 108),
    (0xff55, 104),
    (0xff56, 109),
    (0xff57, 107),
    (0xff61, 99),
    (0xff63, 110),
    (0xff67, 127),
    (0xff8d, 96),
    (0xffff, 111),
    (0xffc8, 87),
    (0xffc9, 88),
    (0xffca, 183),
    (0xffcb, 184),
    (0xffcc, 185),
];

/// The code of the key with a sign (Linux, input-event-codes.h); `None` where a usual keyboard has no such key.
fn code_of(sym: u32) -> Option<u32> {
    if let Some(letter) = char::from_u32(sym).filter(|_| sym < 0x80) {
        let in_row = |(row, first): &(&str, u32)| Some(first + u32::try_from(row.find(letter)?).ok()?);
        if let Some(code) = ROWS.iter().find_map(in_row) {
            return Some(code);
        }
    }
    // F1 to F10 stand in a row.
    if (0xffbe..=0xffc7).contains(&sym) {
        return Some(59 + sym - 0xffbe);
    }
    NAMED.iter().find(|(known, _)| *known == sym).map(|(_, code)| *code)
}

/// The keyboard.
#[derive(Debug)]
pub struct Keyboard {
    board: ZwpVirtualKeyboardV1,
    began: Instant,
}

impl Keyboard {
    /// Gives a new keyboard its keys.
    ///
    /// # Errors
    /// No file for them can be made.
    pub fn new(board: ZwpVirtualKeyboardV1) -> std::io::Result<Self> {
        let file = keymap()?;
        let size = u32::try_from(KEYMAP.len() + 1).unwrap_or(0);
        board.keymap(KeymapFormat::XkbV1.into(), file.as_fd(), size);
        Ok(Self { board, began: Instant::now() })
    }

    /// Presses a chord and lets it go. False where a usual keyboard has no such key.
    pub fn press(&self, chord: Chord) -> bool {
        // The plus stands above the equals sign.
        let (key, shift) = if chord.key == 0x2b { (0x3d, true) } else { (chord.key, chord.held.shift) };
        let Some(code) = code_of(key) else { return false };
        let Held { control, alt, super_, .. } = chord.held;
        let all = [(control, CONTROL), (shift, SHIFT), (alt, ALT), (super_, SUPER)];
        let held: Vec<(u32, u32)> = all.into_iter().filter(|(is, _)| *is).map(|(_, key)| key).collect();
        let mut mask = 0;
        for (code, bit) in &held {
            self.key(*code, true);
            mask |= bit;
            self.board.modifiers(mask, 0, 0, 0);
        }
        self.key(code, true);
        self.key(code, false);
        for (code, bit) in held.iter().rev() {
            self.key(*code, false);
            mask &= !bit;
            self.board.modifiers(mask, 0, 0, 0);
        }
        true
    }

    fn key(&self, code: u32, down: bool) {
        let time = u32::try_from(self.began.elapsed().as_millis()).unwrap_or(0);
        self.board.key(time, code, u32::from(down));
    }
}

/// The keymap as a file that nobody can change.
fn keymap() -> std::io::Result<OwnedFd> {
    let seals = SealFlags::SHRINK | SealFlags::GROW | SealFlags::WRITE | SealFlags::SEAL;
    sealed_file("keys", &[KEYMAP.as_bytes(), &[0]].concat(), seals)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_have_the_codes_of_a_usual_keyboard() {
        for (sym, code) in [
            (0x76, 47),    // v
            (0x71, 16),    // q
            (0x31, 2),     // 1
            (0x20, 57),    // the space bar
            (0x2f, 53),    // the slash
            (0xff63, 110), // Insert
            (0xffbe, 59),  // F1
            (0xffc7, 68),  // F10
            (0xffc9, 88),  // F12
        ] {
            assert_eq!(code_of(sym), Some(code), "{sym:x}");
        }
        assert_eq!(code_of(0x0100_0439), None);
    }
}
