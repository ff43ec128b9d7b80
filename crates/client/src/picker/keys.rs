//! What a terminal tells of keys, as chords.

use ratatui::crossterm::event::{Event, KeyCode, KeyEventKind, KeyModifiers, MouseButton, MouseEventKind};
use yadori_api::TypedKey;
use yadori_api::chord::{Chord, Held, keysym_of};
use yadori_api::picker::keys::Ask;

/// What something pressed asks for.
pub(super) fn pressed(event: &Event) -> Option<Ask> {
    match event {
        Event::Key(key) if key.kind != KeyEventKind::Release => {
            let has = |modifier| key.modifiers.contains(modifier);
            let held = Held {
                control: has(KeyModifiers::CONTROL),
                shift: has(KeyModifiers::SHIFT),
                alt: has(KeyModifiers::ALT),
                super_: has(KeyModifiers::SUPER),
            };
            if let KeyCode::Char(letter) = key.code
                && !(held.control || held.alt || held.super_)
            {
                return Some(Ask::Type(letter.to_string()));
            }
            Ask::of(Chord { held, key: keysym(key.code)? })
        }
        Event::Paste(text) => Some(Ask::Type(text.replace(['\r', '\n'], " "))),
        Event::Mouse(mouse) => match mouse.kind {
            MouseEventKind::ScrollDown => Some(Ask::Move(3)),
            MouseEventKind::ScrollUp => Some(Ask::Move(-3)),
            // Rows stand below the field and the line under it.
            MouseEventKind::Down(MouseButton::Left) => {
                usize::from(mouse.row).checked_sub(1).filter(|row| *row > 0).map(Ask::TakeRow)
            }
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

/// What a key asks for that was pressed before the picker was there.
pub(super) fn typed(key: &TypedKey) -> Option<Ask> {
    match key {
        TypedKey::Text(text) => Some(Ask::Type(text.clone())),
        TypedKey::Key(name) => Ask::of(chord_of(name)?),
    }
}

/// A chord by its name, also one that nobody would listen for, such as `Backspace`.
fn chord_of(name: &str) -> Option<Chord> {
    name.parse().ok().or_else(|| {
        let held: Chord = format!("Super+{name}").parse().ok()?;
        Some(Chord { held: Held { super_: false, ..held.held }, ..held })
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_of_before_ask_the_same_as_keys_of_the_terminal() {
        assert_eq!(typed(&TypedKey::Text("é".into())), Some(Ask::Type("é".into())));
        assert_eq!(typed(&TypedKey::Key("Backspace".into())), Some(Ask::EraseLetter));
        assert_eq!(typed(&TypedKey::Key("Return".into())), Some(Ask::Take));
        assert_eq!(typed(&TypedKey::Key("Shift+Tab".into())), Some(Ask::TakeOtherwise));
        assert_eq!(typed(&TypedKey::Key("Down".into())), Some(Ask::Move(1)));
        assert_eq!(typed(&TypedKey::Key("Ctrl+P".into())), Some(Ask::Pin));
    }
}
