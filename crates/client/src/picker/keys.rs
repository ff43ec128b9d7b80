//! What a terminal tells of keys, as chords.

use ratatui::crossterm::event::{Event, KeyCode, KeyEventKind, KeyModifiers, MouseButton, MouseEventKind};
use yadori_api::chord::{Chord, Held, keysym_of};
use yadori_api::picker::keys::Ask;

/// The line of the list that was clicked, from 0; rows stand below the field and the line under it.
pub(super) fn clicked(event: &Event) -> Option<usize> {
    match event {
        Event::Mouse(mouse) if mouse.kind == MouseEventKind::Down(MouseButton::Left) => {
            usize::from(mouse.row).checked_sub(2)
        }
        _ => None,
    }
}

/// What something pressed asks for.
pub(super) fn pressed(event: &Event) -> Option<Ask> {
    match event {
        Event::Key(key) if key.kind != KeyEventKind::Release => {
            let has = |modifier| key.modifiers.contains(modifier);
            // Enter that was pressed before the picker had the terminal came through as a line feed (termios(3), ICRNL).
            let is_line = key.code == KeyCode::Char('j') && has(KeyModifiers::CONTROL);
            let code = if is_line { KeyCode::Enter } else { key.code };
            let held = Held {
                control: has(KeyModifiers::CONTROL) && !is_line,
                shift: has(KeyModifiers::SHIFT),
                alt: has(KeyModifiers::ALT),
                super_: has(KeyModifiers::SUPER),
            };
            if let KeyCode::Char(letter) = code
                && !(held.control || held.alt || held.super_)
            {
                return Some(Ask::Type(letter.to_string()));
            }
            Ask::of(Chord { held, key: keysym(code)? })
        }
        Event::Paste(text) => Some(Ask::Type(text.replace(['\r', '\n'], " "))),
        Event::Mouse(mouse) => match mouse.kind {
            MouseEventKind::ScrollDown => Some(Ask::Move(3)),
            MouseEventKind::ScrollUp => Some(Ask::Move(-3)),
            _ => None,
        },
        _ => None,
    }
}

fn keysym(code: KeyCode) -> Option<u32> {
    Some(match code {
        KeyCode::Char(letter) => keysym_of(letter)?,
        KeyCode::Backspace => 0xff08,
        KeyCode::Tab => 0xff09,
        KeyCode::Enter => 0xff0d,
        KeyCode::Esc => 0xff1b,
        KeyCode::Home => 0xff50,
        KeyCode::Left => 0xff51,
        KeyCode::Up => 0xff52,
        KeyCode::Right => 0xff53,
        KeyCode::Down => 0xff54,
        KeyCode::PageUp => 0xff55,
        KeyCode::PageDown => 0xff56,
        KeyCode::End => 0xff57,
        KeyCode::Delete => 0xffff,
        _ => return None,
    })
}
