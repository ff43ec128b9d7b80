//! The text of bytes that come from a file: UTF-8, or UTF-16 with its mark (Unicode, section 23.8).

/// The text, without a mark; `None` for bytes in any other encoding.
pub fn decoded(bytes: Vec<u8>) -> Option<String> {
    let units = |of: fn([u8; 2]) -> u16, rest: &[u8]| {
        let (pairs, left) = rest.as_chunks::<2>();
        let text: Result<String, _> = char::decode_utf16(pairs.iter().map(|pair| of(*pair))).collect();
        text.ok().filter(|_| left.is_empty())
    };
    match &bytes[..] {
        [0xff, 0xfe, rest @ ..] => units(u16::from_le_bytes, rest),
        [0xfe, 0xff, rest @ ..] => units(u16::from_be_bytes, rest),
        _ => {
            let text = String::from_utf8(bytes).ok()?;
            Some(text.strip_prefix('\u{feff}').map(str::to_owned).unwrap_or(text))
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_is_cut_or_in_another_encoding_is_no_text() {
        for bytes in [&b"\xff\xfe\0"[..], b"\xff\xfe\0\xd8", b"caf\xe9", b"\xfe\xff\xdc\0\0a"] {
            assert_eq!(decoded(bytes.to_vec()), None);
        }
        assert_eq!(decoded(b"\xef\xbb\xbfHut".to_vec()).as_deref(), Some("Hut"));
        assert_eq!(decoded(Vec::new()).as_deref(), Some(""));
    }

    proptest! {
        #[test]
        fn a_text_is_read_in_each_of_its_encodings(text in "\\PC{0,40}") {
            prop_assume!(!text.starts_with('\u{feff}'));
            let in_units = |mark: [u8; 2], to: fn(u16) -> [u8; 2]| -> Vec<u8> {
                mark.into_iter().chain(text.encode_utf16().flat_map(to)).collect()
            };
            let all = [
                text.clone().into_bytes(),
                in_units([0xff, 0xfe], u16::to_le_bytes),
                in_units([0xfe, 0xff], u16::to_be_bytes),
            ];
            for bytes in all {
                prop_assert_eq!(decoded(bytes), Some(text.clone()));
            }
        }
    }
}
