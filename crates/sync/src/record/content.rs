//! What is inside a record: what it is about, and the state of that.

use minicbor::{Decoder, Encoder};

/// What a record is about: a kind (`clip`, `drawer`, …), and an id of that kind.
#[derive(Clone, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Topic {
    /// The kind.
    pub kind: String,
    /// The id.
    pub id: Vec<u8>,
}

/// What is sealed of a topic and its state.
pub fn content(topic: &Topic, body: &[u8]) -> Vec<u8> {
    let mut encoder = Encoder::new(Vec::with_capacity(body.len() + 64));
    let written = encoder.array(3).and_then(|all| all.str(&topic.kind)?.bytes(&topic.id)?.bytes(body));
    debug_assert!(written.is_ok());
    encoder.into_writer()
}

/// Reads what [`content`] wrote, in that one spelling.
pub fn read(bytes: &[u8]) -> Option<(Topic, &[u8])> {
    let mut decoder = Decoder::new(bytes);
    if decoder.array().ok()? != Some(3) {
        return None;
    }
    let topic = Topic { kind: decoder.str().ok()?.to_owned(), id: decoder.bytes().ok()?.to_vec() };
    let body = decoder.bytes().ok()?;
    (content(&topic, body) == bytes).then_some((topic, body))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn it_is_read_as_it_was_written(kind in "[a-z]{0,9}", id: Vec<u8>, body: Vec<u8>) {
            let topic = Topic { kind, id };
            let bytes = content(&topic, &body);
            prop_assert_eq!(read(&bytes), Some((topic, &body[..])));
            prop_assert_eq!(read(&bytes[..bytes.len() - 1]), None);
        }

        #[test]
        fn bytes_from_anywhere_are_refused_or_have_one_spelling(bytes: Vec<u8>) {
            if let Some((topic, body)) = read(&bytes) {
                prop_assert_eq!(content(&topic, body), bytes);
            }
        }
    }
}
