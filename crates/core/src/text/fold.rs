//! Folding: the form in which texts are compared when searching. Case, accents, width and ligatures do not matter
//! (compatibility decomposition, UAX #15 NFKD, then marks dropped and lower case), nor do strokes of letters, letters made of
//! two, and the shapes of quotation marks and dashes; the voicing marks of kana do. docs/folding.md has all of it in a table.
//!
//! A mark is dropped by its combining class: overlays (1) and everything from 10 on, which are the accents of Latin,
//! Greek and Cyrillic and the points of Hebrew and Arabic. Nukta (7), kana voicing (8) and virama (9) tell letters
//! apart and stay.

use unicode_normalization::char::{canonical_combining_class, decompose_compatible};

/// Parts of a searched document (text, title, program, …) are separated by this byte, which folded text never holds.
pub const PART: u8 = 0x1f;

/// Appends the folded form of `text` to `out`. NUL and the part separator become spaces.
pub fn fold_into(text: &str, out: &mut Vec<u8>) {
    let bytes = text.as_bytes();
    let mut at = 0;
    while at < bytes.len() {
        let ascii = bytes[at..].iter().take_while(|byte| byte.is_ascii()).count();
        out.extend(bytes[at..at + ascii].iter().map(|byte| match byte {
            0 | &PART => b' ',
            byte => byte.to_ascii_lowercase(),
        }));
        at += ascii;
        let Some(rest) = text.get(at..) else { break };
        for c in rest.chars().take_while(|c| !c.is_ascii()) {
            fold_char(c, &mut |folded| {
                out.extend_from_slice(folded.encode_utf8(&mut [0; 4]).as_bytes());
            });
            at += c.len_utf8();
        }
    }
}

/// The folded form of `text`.
pub fn fold(text: &str) -> String {
    let mut out = Vec::with_capacity(text.len());
    fold_into(text, &mut out);
    String::from_utf8(out).unwrap_or_default()
}

/// The folded form of a text, and for each of its bytes the byte range of the character it came from.
pub fn fold_with_sources(text: &str) -> (String, Vec<(u32, u32)>) {
    let mut out = String::with_capacity(text.len());
    let mut sources = Vec::with_capacity(text.len());
    for (at, c) in text.char_indices() {
        let source = (narrow(at), narrow(at + c.len_utf8()));
        fold_char(c, &mut |folded| {
            out.push(folded);
            sources.resize(out.len(), source);
        });
    }
    (out, sources)
}

fn narrow(n: usize) -> u32 {
    u32::try_from(n).unwrap_or(u32::MAX)
}

fn fold_char(c: char, emit: &mut impl FnMut(char)) {
    if c.is_ascii() {
        return emit(match c {
            '\0' | '\x1f' => ' ',
            c => c.to_ascii_lowercase(),
        });
    }
    decompose_compatible(c, |part| {
        for lower in part.to_lowercase() {
            match lower {
                lower if is_dropped(lower) => {}
                lower => match spelled(lower) {
                    Some(spelled) => spelled.chars().for_each(&mut *emit),
                    None => emit(lower),
                },
            }
        }
    });
}

/// How a letter that has no decomposition is written without its stroke, or in two; and one shape of quotation marks, dashes
/// and spaces.
fn spelled(lower: char) -> Option<&'static str> {
    Some(match lower {
        'ß' => "ss",
        'ς' => "σ",
        'æ' => "ae",
        'œ' => "oe",
        'þ' => "th",
        'ø' => "o",
        'ł' => "l",
        'đ' | 'ð' => "d",
        'ħ' => "h",
        'ŧ' => "t",
        'ı' => "i",
        'ŋ' => "n",
        'ĸ' => "k",
        '‘'..='‛' | '‹' | '›' | 'ʼ' => "'",
        '“'..='‟' | '«' | '»' => "\"",
        '‐'..='―' | '−' => "-",
        '\u{1680}' => " ",
        _ => return None,
    })
}

fn is_dropped(c: char) -> bool {
    let invisible =
        matches!(c, '\u{ad}' | '\u{200b}'..='\u{200d}' | '\u{2060}' | '\u{feff}' | '\u{fe00}'..='\u{fe0f}');
    invisible || matches!(canonical_combining_class(c), 1 | 10..)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn case_accents_width_and_ligatures_do_not_matter() {
        for (text, folded) in [
            ("Mäkinen ÉCOLE", "makinen ecole"),
            ("Straße STRASSE ẞ", "strasse strasse ss"),
            ("ΟΔΟΣ οδός", "οδοσ οδοσ"),
            ("ﬁne ½ Ⅻ", "fine 1⁄2 xii"),
            ("ＡＢＣ１２", "abc12"),
            ("ｶﾞｲﾄﾞ ガイド", "カ\u{3099}イト\u{3099} カ\u{3099}イト\u{3099}"),
            ("İstanbul ıslak", "istanbul islak"),
            ("soft\u{ad}hyphen zero\u{200b}width", "softhyphen zerowidth"),
            ("שָׁלוֹם", "שלום"),
        ] {
            assert_eq!(fold(text), folded, "{text}");
        }
        assert_ne!(fold("か"), fold("が"), "voicing tells kana apart");
        assert_eq!(fold("한국"), fold("한국".chars().collect::<String>().as_str()));
    }

    /// Rows of the tables of docs/folding.md: what stands in their first two columns.
    fn table(begins: &str) -> Vec<(String, String)> {
        let text = include_str!("../../../../docs/folding.md");
        let (_, rest) = text.split_once(begins).unwrap();
        let rows = rest.lines().skip(2).take_while(|line| line.starts_with('|'));
        rows.map(|row| {
            let cells: Vec<&str> = row.split('|').map(str::trim).collect();
            (cells[1].to_owned(), cells[2].to_owned())
        })
        .collect()
    }

    #[test]
    fn what_is_documented_is_what_is_folded() {
        let same = table("| written | found by | because |");
        assert!(same.len() > 15);
        for (written, found_by) in same {
            assert_eq!(fold(&written), fold(&found_by), "{written}");
            assert_eq!(fold(&found_by), found_by.to_lowercase(), "{found_by} is typed without any of it");
        }
        let apart = table("| written | not found by | because |");
        assert!(apart.len() > 5);
        for (written, other) in apart {
            for one in written.split(' ') {
                assert_ne!(fold(one), fold(&other), "{one} and {other}");
            }
        }
    }

    #[test]
    fn separators_never_survive() {
        assert_eq!(fold("a\0b\x1fc"), "a b c");
    }

    proptest! {
        #[test]
        fn folding_again_changes_nothing(text in "\\PC{0,60}") {
            prop_assert_eq!(fold(&fold(&text)), fold(&text));
        }

        #[test]
        fn the_sources_of_a_folding_cover_the_same_characters(text in "\\PC{0,60}") {
            let (folded, sources) = fold_with_sources(&text);
            prop_assert_eq!(&folded, &fold(&text));
            prop_assert_eq!(sources.len(), folded.len());
            for (from, to) in sources {
                prop_assert!(text.get(from as usize..to as usize).is_some());
            }
        }
    }
}
