//! What a device says of itself.

use minicbor::{Decoder, Encoder};

/// The version of this layout.
const VERSION: u64 = 1;
/// Characters of a name at most.
const NAME: usize = 64;

/// What a device says of itself.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct DeviceBody {
    /// What its owner calls it.
    pub name: String,
    /// What it sends, in words.
    pub travels: String,
}

impl DeviceBody {
    /// CBOR: `[1, name, travels]`.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut encoder = Encoder::new(Vec::new());
        let written = encoder.array(3).and_then(|all| all.u64(VERSION)?.str(&self.name)?.str(&self.travels));
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`DeviceBody::to_bytes`] wrote. `None` for anything else, and for names that no person reads.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        if (decoder.array().ok()?, decoder.u64().ok()?) != (Some(3), VERSION) {
            return None;
        }
        let body = Self { name: decoder.str().ok()?.to_owned(), travels: decoder.str().ok()?.to_owned() };
        let short = body.name.chars().count() <= NAME && body.travels.chars().count() <= 4 * NAME;
        (short && decoder.position() == bytes.len()).then_some(body)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn it_is_read_as_it_was_written(name in "\\PC{0,64}", travels in "\\PC{0,64}") {
            let body = DeviceBody { name, travels };
            prop_assert_eq!(DeviceBody::from_bytes(&body.to_bytes()), Some(body.clone()));
            let long = DeviceBody { name: "a".repeat(65), ..body };
            prop_assert_eq!(DeviceBody::from_bytes(&long.to_bytes()), None);
        }
    }
}
