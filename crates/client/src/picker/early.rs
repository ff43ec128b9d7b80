//! Keys that came while the terminal was asked what it can, before anybody listened: as the terminal sent them (XTerm Control
//! Sequences, "PC-Style Function Keys").

use ratatui::crossterm::event::{Event, KeyCode, KeyEvent, KeyModifiers};

/// What was pressed.
pub(super) fn events(typed: &[u8]) -> Vec<Event> {
    let text = String::from_utf8_lossy(typed);
    let (mut rest, mut events) = (text.as_ref(), Vec::new());
    while let Some((key, after)) = next(rest) {
        events.extend(key.map(Event::Key));
        rest = after;
    }
    events
}

/// The first key, and what comes after it. Keys that are none of the picker's are left out.
fn next(text: &str) -> Option<(Option<KeyEvent>, &str)> {
    let letter = text.chars().next()?;
    let after = &text[letter.len_utf8()..];
    if letter != '\x1b' {
        return Some((Some(plain(letter)), after));
    }
    if let Some(sequence) = after.strip_prefix('[') {
        let end = sequence.find(|byte: char| ('@'..='~').contains(&byte))?;
        let (numbers, last) = (&sequence[..end], &sequence[end..=end]);
        return Some((sent(numbers, last), &sequence[end + 1..]));
    }
    if let Some(last) = after.strip_prefix('O').and_then(|rest| rest.get(..1)) {
        return Some((sent("", last), &after[2..]));
    }
    // A letter with Alt comes as Escape and the letter.
    let with_alt = after.chars().next().filter(|one| *one != '\x1b');
    Some(match with_alt {
        Some(letter) => {
            let mut key = plain(letter);
            key.modifiers |= KeyModifiers::ALT;
            (Some(key), &after[letter.len_utf8()..])
        }
        None => (Some(KeyEvent::from(KeyCode::Esc)), after),
    })
}

fn plain(letter: char) -> KeyEvent {
    let with_control = |code: u8| KeyEvent::new(KeyCode::Char(char::from(code)), KeyModifiers::CONTROL);
    match letter {
        '\r' => KeyCode::Enter.into(),
        '\t' => KeyCode::Tab.into(),
        '\x7f' => KeyCode::Backspace.into(),
        '\0' => with_control(b' '),
        '\x01'..='\x1a' => with_control(u8::try_from(letter).unwrap_or(1) - 1 + b'a'),
        '\x1c'..='\x1f' => with_control(u8::try_from(letter).unwrap_or(0x1c) - 0x1c + b'4'),
        letter => KeyCode::Char(letter).into(),
    }
}

/// A key that is sent as a sequence: numbers, the second of which tells what is held, and a last letter.
fn sent(numbers: &str, last: &str) -> Option<KeyEvent> {
    let mut numbers = numbers.split(';').map(|number| number.parse::<u8>().ok());
    let (first, held) = (numbers.next().flatten(), numbers.next().flatten().unwrap_or(1));
    let code = match (last, first) {
        ("A", _) => KeyCode::Up,
        ("B", _) => KeyCode::Down,
        ("C", _) => KeyCode::Right,
        ("D", _) => KeyCode::Left,
        ("H", _) | ("~", Some(1 | 7)) => KeyCode::Home,
        ("F", _) | ("~", Some(4 | 8)) => KeyCode::End,
        ("Z", _) => KeyCode::BackTab,
        ("~", Some(2)) => KeyCode::Insert,
        ("~", Some(3)) => KeyCode::Delete,
        ("~", Some(5)) => KeyCode::PageUp,
        ("~", Some(6)) => KeyCode::PageDown,
        _ => return None,
    };
    let bits = held.saturating_sub(1);
    let all = [(1, KeyModifiers::SHIFT), (2, KeyModifiers::ALT), (4, KeyModifiers::CONTROL)];
    let modifiers = all.into_iter().filter(|(bit, _)| bits & bit != 0).map(|(_, one)| one).collect();
    Some(KeyEvent::new(code, modifiers))
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn keys(typed: &str) -> Vec<(KeyCode, KeyModifiers)> {
        let key = |event: Event| event.as_key_event().map(|key| (key.code, key.modifiers));
        events(typed.as_bytes()).into_iter().filter_map(key).collect()
    }

    #[test]
    fn keys_are_what_the_terminal_sent() {
        let plain = |code| (code, KeyModifiers::NONE);
        let with = |code, held| (code, held);
        assert_eq!(
            keys("b\x1b[B\x1bOA\x1b[1;5D\x1b[3;2~\x1b[5~\x1bp\x10\r\x7f\t\x1b"),
            [
                plain(KeyCode::Char('b')),
                plain(KeyCode::Down),
                plain(KeyCode::Up),
                with(KeyCode::Left, KeyModifiers::CONTROL),
                with(KeyCode::Delete, KeyModifiers::SHIFT),
                plain(KeyCode::PageUp),
                with(KeyCode::Char('p'), KeyModifiers::ALT),
                with(KeyCode::Char('p'), KeyModifiers::CONTROL),
                plain(KeyCode::Enter),
                plain(KeyCode::Backspace),
                plain(KeyCode::Tab),
                plain(KeyCode::Esc),
            ]
        );
        // Two in a row are two; what nobody knows is nothing.
        assert_eq!(keys("\x1b\x1b").len(), 2);
        assert_eq!(keys("\x1b[97;9uz"), [plain(KeyCode::Char('z'))]);
    }

    proptest! {
        #[test]
        fn letters_stay_what_they_are(text in "[^\\x00-\\x1f\\x7f]{0,40}") {
            let letters: String = keys(&text)
                .into_iter()
                .filter_map(|(code, _)| if let KeyCode::Char(letter) = code { Some(letter) } else { None })
                .collect();
            prop_assert_eq!(letters, text);
        }

        #[test]
        fn nothing_that_comes_is_too_much(typed in proptest::collection::vec(any::<u8>(), 0..200)) {
            prop_assert!(events(&typed).len() <= typed.len());
        }
    }
}
