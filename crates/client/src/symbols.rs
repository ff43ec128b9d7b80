//! Contents made safe for a terminal: control, escape and bidirectional characters become visible symbols, so that a
//! copied text can't move the cursor, change colors or reorder a line.

/// A text on one line.
pub(crate) fn line(text: &str) -> String {
    shown(text, false)
}

/// `text` with every dangerous character replaced. Line feeds and tabs stay when `keep_lines` is set, and become
/// symbols (`⏎`, a space) otherwise.
pub(crate) fn shown(text: &str, keep_lines: bool) -> String {
    text.chars()
        .map(|c| match c {
            '\n' if keep_lines => '\n',
            '\n' => '⏎',
            '\t' if keep_lines => '\t',
            '\t' => ' ',
            '\u{7f}' => '␡',
            '\0'..='\u{1f}' => char::from_u32(0x2400 + u32::from(c)).unwrap_or('\u{fffd}'),
            '\u{80}'..='\u{9f}' => '\u{fffd}',
            // Bidirectional marks, embeddings, overrides and isolates (Unicode UAX #9), and other invisible formats.
            '\u{200e}' | '\u{200f}' | '\u{061c}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' => '⁝',
            '\u{2028}' | '\u{2029}' => '⏎',
            '\u{feff}' | '\u{fff9}'..='\u{fffb}' | '\u{e0000}'..='\u{e007f}' => '⁝',
            c => c,
        })
        .collect()
}

/// A word as a shell reads it (POSIX, quoting): as it is, or in single quotes.
pub(crate) fn in_shell(word: &str) -> String {
    let plain = |c: char| c.is_ascii_alphanumeric() || "_-+=/.,:@%".contains(c);
    let word = shown(word, false);
    if !word.is_empty() && word.chars().all(plain) {
        return word;
    }
    format!("'{}'", word.replace('\'', "'\\''"))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn escapes_and_overrides_become_symbols() {
        assert_eq!(shown("\x1b[31mred\x07\r\n", false), "␛[31mred␇␍⏎");
        assert_eq!(shown("a\u{202e}b\u{9b}2J", true), "a⁝b\u{fffd}2J");
        assert_eq!(shown("a\tb\nc", true), "a\tb\nc");
    }

    #[test]
    fn words_are_quoted_where_a_shell_would_part_them() {
        assert_eq!(in_shell("f1"), "f1");
        assert_eq!(in_shell("Name=Mäki o'Hara"), "'Name=Mäki o'\\''Hara'");
        assert_eq!(in_shell(""), "''");
    }

    proptest! {
        #[test]
        fn nothing_shown_controls_a_terminal(text in any::<String>()) {
            prop_assert!(!shown(&text, false).chars().any(char::is_control));
        }
    }
}
