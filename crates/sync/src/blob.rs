//! Contents that do not stand in a record: sealed in parts under a random name and a key of their own.

use chacha20poly1305::aead::{Aead, KeyInit, Payload};
use chacha20poly1305::{XChaCha20Poly1305, XNonce};
use zeroize::Zeroizing;

use crate::record::{pad, unpad};

/// Bytes of a content in one part.
pub const PART: usize = 1 << 20;
/// The longest part as it travels: padded, and sealed.
pub const LONGEST_PART: usize = PART + PART / 8 + 1_024;

/// How many parts a content of so many bytes has: one at least.
pub fn parts(size: u64) -> u64 {
    size.div_ceil(PART as u64).max(1)
}

/// The nonce of a part: its number in the last 8 of 24 bytes, and before it whether it is the last one.
fn nonce(n: u64, last: bool) -> XNonce {
    let mut nonce = [0; 24];
    nonce[15] = u8::from(last);
    nonce[16..].copy_from_slice(&n.to_be_bytes());
    XNonce::from(nonce)
}

/// Seals a part, the same way each time: whoever sends it again sends the same bytes. The last one is padded. `None` for one
/// that is too long.
pub fn seal_part(key: &[u8; 32], n: u64, last: bool, bytes: &[u8]) -> Option<Vec<u8>> {
    if bytes.len() > PART {
        return None;
    }
    let padded = if last { pad(bytes)? } else { Zeroizing::new(bytes.to_vec()) };
    let cipher = XChaCha20Poly1305::new(key.into());
    cipher.encrypt(&nonce(n, last), Payload { msg: &padded, aad: &[] }).ok()
}

/// Opens a part. `None` for one that was changed, stands in another place, or belongs to another blob.
pub fn open_part(key: &[u8; 32], n: u64, last: bool, sealed: &[u8]) -> Option<Zeroizing<Vec<u8>>> {
    let cipher = XChaCha20Poly1305::new(key.into());
    let padded = cipher.decrypt(&nonce(n, last), Payload { msg: sealed, aad: &[] }).ok()?;
    let padded = Zeroizing::new(padded);
    if !last {
        return Some(padded);
    }
    unpad(&padded).map(|bytes| Zeroizing::new(bytes.to_vec()))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_part_is_read_in_its_own_place_alone(bytes in proptest::collection::vec(any::<u8>(), 0..600), n in 0u64..9, last: bool, at: usize) {
            let key = [7; 32];
            let sealed = seal_part(&key, n, last, &bytes).unwrap();
            prop_assert_eq!(seal_part(&key, n, last, &bytes), Some(sealed.clone()), "the same each time");
            prop_assert!(sealed.len() <= LONGEST_PART);
            prop_assert_eq!(open_part(&key, n, last, &sealed).map(|one| one.to_vec()), Some(bytes));
            prop_assert!(open_part(&key, n + 1, last, &sealed).is_none());
            prop_assert!(open_part(&key, n, !last, &sealed).is_none());
            prop_assert!(open_part(&[8; 32], n, last, &sealed).is_none());
            let mut changed = sealed;
            let at = at % changed.len();
            changed[at] ^= 1;
            prop_assert!(open_part(&key, n, last, &changed).is_none());
        }
    }

    #[test]
    fn a_content_has_as_many_parts_as_it_needs() {
        let mib = PART as u64;
        assert_eq!([0, 1, mib, mib + 1, 64 * mib].map(parts), [1, 1, 1, 2, 64]);
        assert!(seal_part(&[0; 32], 0, true, &vec![0; PART + 1]).is_none());
        let longest = seal_part(&[0; 32], 0, true, &vec![0; PART]).unwrap();
        assert!(longest.len() <= LONGEST_PART, "{}", longest.len());
    }
}
