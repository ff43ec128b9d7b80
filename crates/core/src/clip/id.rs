//! Clip ids: BLAKE3 over class and primary content, cut to 16 bytes, written in Crockford base32 (26 characters).
//! The same thing copied twice, or on two devices, has the same id. Ids are guessable fingerprints: never log them.

use std::fmt;

use serde::{Deserialize, Serialize};

use crate::text::stack::hash;

const DIGITS: &[u8; 32] = b"0123456789abcdefghjkmnpqrstvwxyz";

/// How many characters a whole id has.
pub const ID_CHARS: usize = 26;

/// What an id is computed over. A link is a text; kinds are derived, classes are not.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Class {
    /// Decoded UTF-8 text, unaltered.
    Text,
    /// The bytes of the first image type in [`crate::clip::mime::IMAGE_ORDER`].
    Image,
    /// The URIs of files, with the device.
    Files,
    /// Representations no one here knows, kept and handed back as they came.
    Other,
}

impl Class {
    /// All of them, in the order of their numbers.
    pub const ALL: [Self; 4] = [Self::Text, Self::Image, Self::Files, Self::Other];

    fn tag(self) -> &'static [u8] {
        match self {
            Self::Text => b"text\0",
            Self::Image => b"image\0",
            Self::Files => b"files\0",
            Self::Other => b"other\0",
        }
    }
}

/// The 16-byte id of a clip.
#[derive(Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct ClipId(pub [u8; 16]);

impl ClipId {
    /// The id of `primary` content, given in parts, in `class`.
    pub fn of(class: Class, primary: &[&[u8]]) -> Self {
        let parts: Vec<&[u8]> = std::iter::once(class.tag()).chain(primary.iter().copied()).collect();
        let mut id = [0; 16];
        id.copy_from_slice(&hash(&parts)[..16]);
        Self(id)
    }

    /// Reads a whole id of 26 characters; `None` for anything else.
    pub fn parse(text: &str) -> Option<Self> {
        let (low, high) = prefix_range(text)?;
        (text.len() == ID_CHARS && low == high).then_some(low)
    }
}

/// Writes the id in lower-case Crockford base32.
impl fmt::Display for ClipId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        // 128 bits are 25 digits of five bits and one of three; the last is padded with zero bits.
        let number = u128::from_be_bytes(self.0);
        let mut out = [0u8; ID_CHARS];
        for (n, digit) in out.iter_mut().enumerate() {
            let shift = 123_i32 - 5 * i32::try_from(n).unwrap_or(0);
            let bits = if shift >= 0 { number >> shift } else { number << -shift };
            *digit = DIGITS[(bits & 31) as usize];
        }
        f.write_str(std::str::from_utf8(&out).unwrap_or_default())
    }
}

/// Redacted: ids are fingerprints of contents.
impl fmt::Debug for ClipId {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("ClipId(..)")
    }
}

impl Serialize for ClipId {
    fn serialize<S: serde::Serializer>(&self, to: S) -> Result<S::Ok, S::Error> {
        to.collect_str(self)
    }
}

impl<'de> Deserialize<'de> for ClipId {
    fn deserialize<D: serde::Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        let text = std::borrow::Cow::<'de, str>::deserialize(from)?;
        Self::parse(&text).ok_or_else(|| serde::de::Error::custom("not a clip id of 26 characters"))
    }
}

fn digit_value(c: u8) -> Option<u128> {
    // Crockford: case does not matter, o reads as 0, i and l as 1.
    let c = match c.to_ascii_lowercase() {
        b'o' => b'0',
        b'i' | b'l' => b'1',
        c => c,
    };
    DIGITS.iter().position(|digit| *digit == c).map(|value| value as u128)
}

/// The lowest and the highest id that begin with `prefix`; `None` when it is empty, too long, or holds characters
/// outside the alphabet.
pub fn prefix_range(prefix: &str) -> Option<(ClipId, ClipId)> {
    if prefix.is_empty() || prefix.len() > ID_CHARS {
        return None;
    }
    let mut low: u128 = 0;
    let mut known_bits = 0u32;
    for c in prefix.bytes() {
        let value = digit_value(c)?;
        let take = 5.min(128 - known_bits);
        if take < 5 && value & ((1 << (5 - take)) - 1) != 0 {
            return None; // the padding of the last digit is zero
        }
        low = (low << take) | (value >> (5 - take));
        known_bits += take;
    }
    let free = 128 - known_bits;
    let low = if free == 128 { 0 } else { low << free };
    let high = if free == 0 { low } else { low | (u128::MAX >> (128 - free)) };
    Some((ClipId(low.to_be_bytes()), ClipId(high.to_be_bytes())))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn class_is_part_of_the_id() {
        assert_ne!(ClipId::of(Class::Text, &[b"a"]), ClipId::of(Class::Image, &[b"a"]));
        assert_eq!(ClipId::of(Class::Text, &[b"a", b"b"]), ClipId::of(Class::Text, &[b"ab"]));
    }

    #[test]
    fn the_alphabet_forgives_case_and_look_alikes() {
        let id = ClipId([0x08, 0x42, 0x10, 0x84, 0x21, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0]);
        let text = id.to_string();
        assert!(text.starts_with("11111111"), "{text}");
        assert_eq!(ClipId::parse(&text.replace('1', "L").replace('0', "O")), Some(id));
    }

    proptest! {
        #[test]
        fn an_id_reads_back_from_its_text(bytes: [u8; 16]) {
            let id = ClipId(bytes);
            prop_assert_eq!(id.to_string().len(), ID_CHARS);
            prop_assert_eq!(ClipId::parse(&id.to_string()), Some(id));
        }

        #[test]
        fn every_prefix_of_an_id_covers_it(bytes: [u8; 16], n in 1usize..=26) {
            let id = ClipId(bytes);
            let (low, high) = prefix_range(&id.to_string()[..n]).unwrap();
            prop_assert!(low <= id && id <= high);
        }

        #[test]
        fn text_order_is_byte_order(a: [u8; 16], b: [u8; 16]) {
            prop_assert_eq!(a.cmp(&b), ClipId(a).to_string().cmp(&ClipId(b).to_string()));
        }

        #[test]
        fn any_text_is_read_or_refused(text in "\\PC{0,40}") {
            let _ = prefix_range(&text);
        }
    }
}
