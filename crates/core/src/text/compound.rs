//! Text as X clients of old exchange it: `STRING` is ISO 8859-1, `COMPOUND_TEXT` switches between character sets (X
//! Consortium Standard, "Compound Text Encoding", version 1.1; its section 6 has UTF-8 between two sequences).

use encoding_rs::{EUC_JP, EUC_KR, Encoding, GBK};

const ESC: u8 = 0x1b;
const TO_UTF8: &[u8] = b"\x1b%G";
const FROM_UTF8: &[u8] = b"\x1b%@";

/// ISO 8859-1 to UTF-8: the type STRING (ICCCM section 2.6.2). Some programs put UTF-8 into it; that is kept.
pub fn from_latin1(bytes: Vec<u8>) -> Vec<u8> {
    match String::from_utf8(bytes) {
        Ok(text) => text.into_bytes(),
        Err(why) => why.as_bytes().iter().map(|byte| char::from(*byte)).collect::<String>().into_bytes(),
    }
}

/// UTF-8 to ISO 8859-1, for those who ask for STRING; characters it lacks become `?`.
pub fn to_latin1(text: &[u8]) -> Vec<u8> {
    String::from_utf8_lossy(text).chars().map(|c| u8::try_from(u32::from(c)).unwrap_or(b'?')).collect()
}

/// Text as COMPOUND_TEXT: ISO 8859-1 as it stands, everything else as UTF-8 between the sequences for it.
pub fn to_compound(text: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(text.len());
    let mut in_utf8 = false;
    for c in String::from_utf8_lossy(text).chars() {
        let plain = u8::try_from(u32::from(c))
            .ok()
            .filter(|byte| matches!(byte, b'\t' | b'\n' | 0x20..=0x7e | 0xa0..=0xff));
        if plain.is_none() != in_utf8 {
            in_utf8 = !in_utf8;
            out.extend_from_slice(if in_utf8 { TO_UTF8 } else { FROM_UTF8 });
        }
        match plain {
            Some(byte) => out.push(byte),
            None => out.extend_from_slice(c.encode_utf8(&mut [0; 4]).as_bytes()),
        }
    }
    if in_utf8 {
        out.extend_from_slice(FROM_UTF8);
    }
    out
}

/// What the upper or lower half of the code stands for.
#[derive(Clone, Copy)]
enum Set {
    Ascii,
    /// The upper half of an ISO 8859 part.
    Part(&'static str),
    /// Two bytes a character, both in the lower half.
    Wide(&'static Encoding),
    Unknown,
}

impl Set {
    fn decode(self, bytes: &[u8], out: &mut String) {
        let raised = || -> Vec<u8> { bytes.iter().map(|byte| byte | 0x80).collect() };
        match self {
            Self::Ascii => out.extend(bytes.iter().map(|byte| char::from(byte & 0x7f))),
            Self::Part("iso-8859-1") => out.extend(raised().iter().map(|byte| char::from(*byte))),
            Self::Part(label) => match Encoding::for_label(label.as_bytes()) {
                Some(part) => out.push_str(&part.decode_without_bom_handling(&raised()).0),
                None => Self::Unknown.decode(bytes, out),
            },
            Self::Wide(set) => out.push_str(&set.decode_without_bom_handling(&raised()).0),
            Self::Unknown => out.extend(bytes.iter().map(|_| char::REPLACEMENT_CHARACTER)),
        }
    }
}

/// COMPOUND_TEXT to UTF-8. Of sets that nobody here knows, each byte becomes U+FFFD.
pub fn from_compound(bytes: &[u8]) -> Vec<u8> {
    let mut out = String::with_capacity(bytes.len());
    let (mut low, mut high) = (Set::Ascii, Set::Part("iso-8859-1"));
    let mut rest = bytes;
    while let Some(first) = rest.first() {
        if let Some(utf8) = rest.strip_prefix(TO_UTF8) {
            let end = memchr::memmem::find(utf8, FROM_UTF8).unwrap_or(utf8.len());
            out.push_str(&String::from_utf8_lossy(&utf8[..end]));
            rest = utf8.get(end + FROM_UTF8.len()..).unwrap_or_default();
        } else if *first == ESC {
            let end =
                rest[1..].iter().position(|byte| !(0x20..0x30).contains(byte)).map_or(rest.len(), |n| n + 2);
            match &rest[1..end] {
                [b'(', b'B' | b'J'] => low = Set::Ascii,
                [b')', ..] => high = Set::Unknown,
                [b'-', part] => high = part_of(*part),
                [b'$', b'(', set] => low = wide_of(*set),
                [b'$', b')', set] => high = wide_of(*set),
                _ => {}
            }
            rest = &rest[end..];
        } else if *first < 0x20 {
            out.push(char::from(*first));
            rest = &rest[1..];
        } else {
            let is_high = *first >= 0x80;
            let run = rest
                .iter()
                .position(|byte| *byte < 0x20 || *byte == ESC || (*byte >= 0x80) != is_high)
                .unwrap_or(rest.len());
            if is_high { high } else { low }.decode(&rest[..run], &mut out);
            rest = &rest[run..];
        }
    }
    out.into_bytes()
}

fn part_of(last: u8) -> Set {
    Set::Part(match last {
        b'A' => "iso-8859-1",
        b'B' => "iso-8859-2",
        b'C' => "iso-8859-3",
        b'D' => "iso-8859-4",
        b'F' => "iso-8859-7",
        b'G' => "iso-8859-6",
        b'H' => "iso-8859-8",
        b'L' => "iso-8859-5",
        b'M' => "windows-1254",
        b'b' => "iso-8859-15",
        _ => return Set::Unknown,
    })
}

fn wide_of(last: u8) -> Set {
    match last {
        b'A' => Set::Wide(GBK),
        b'B' => Set::Wide(EUC_JP),
        b'C' => Set::Wide(EUC_KR),
        _ => Set::Unknown,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn national_sets_are_read() {
        for (bytes, text) in [
            (&b"H\xfctte"[..], "Hütte"),
            (b"\x1b-B\xb3\xf3d\xbc", "łódź"),
            (b"\x1b$(B;3>.20\x1b(B hut", "山小屋 hut"),
            (b"\x1b$)A\xc9\xbd", "山"),
            (b"a\x1b%Gb\xe5\xb1\xb1\x1b%@c", "ab山c"),
            (b"\x1b$)Zxx", "xx"),
        ] {
            assert_eq!(String::from_utf8(from_compound(bytes)).unwrap(), text);
        }
    }

    #[test]
    fn what_latin1_has_needs_no_sequence() {
        assert_eq!(to_compound("Hütte\n".as_bytes()), b"H\xfctte\n");
        assert_eq!(to_compound("a山".as_bytes()), b"a\x1b%G\xe5\xb1\xb1\x1b%@");
    }

    proptest! {
        #[test]
        fn any_text_reads_back(text in "[^\u{1b}]{0,40}") {
            prop_assert_eq!(from_compound(&to_compound(text.as_bytes())), text.as_bytes());
        }

        #[test]
        fn anything_is_read_without_failing(bytes in proptest::collection::vec(any::<u8>(), 0..60)) {
            from_compound(&bytes);
        }
    }
}
