//! Padding, so that the length of what is sealed tells little of what is inside: at most 12 % more, and the lengths that
//! occur are few (the rounding of Nikitin et al., "Reducing Metadata Leakage from Encrypted Files and Communication with
//! PURBs", 2019, section 4).

use zeroize::Zeroizing;

/// Nothing is shorter than this.
const SHORTEST: usize = 256;
/// The length of what was padded stands before it: 4 bytes, big-endian.
const BEFORE: usize = 4;

/// The length to which something of this length is padded.
pub(super) fn padded(length: usize) -> usize {
    let length = length.max(SHORTEST);
    let exponent = length.ilog2();
    let free = exponent - (exponent.ilog2() + 1);
    let mask = (1_usize << free) - 1;
    (length + mask) & !mask
}

/// Its length, itself, and zeros. `None` when it has 4 GiB or more.
pub(crate) fn pad(bytes: &[u8]) -> Option<Zeroizing<Vec<u8>>> {
    let length = u32::try_from(bytes.len()).ok()?;
    let whole = padded(BEFORE + bytes.len());
    let mut out = Zeroizing::new(Vec::with_capacity(whole));
    out.extend_from_slice(&length.to_be_bytes());
    out.extend_from_slice(bytes);
    out.resize(whole, 0);
    Some(out)
}

/// What was padded; `None` when it was padded in another way.
pub(crate) fn unpad(padded_bytes: &[u8]) -> Option<&[u8]> {
    let (length, rest) = padded_bytes.split_first_chunk::<BEFORE>()?;
    let length = usize::try_from(u32::from_be_bytes(*length)).ok()?;
    let (bytes, zeros) = rest.split_at_checked(length)?;
    let whole = padded(BEFORE + length) == padded_bytes.len() && zeros.iter().all(|byte| *byte == 0);
    whole.then_some(bytes)
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lengths_are_few() {
        let lengths: std::collections::BTreeSet<usize> = (0..1_000_000).map(padded).collect();
        assert!(lengths.len() < 260, "{}", lengths.len());
    }

    proptest! {
        #[test]
        fn it_comes_back_and_costs_little(bytes in proptest::collection::vec(any::<u8>(), 0..5_000)) {
            let padded = pad(&bytes).unwrap();
            prop_assert_eq!(unpad(&padded), Some(&bytes[..]));
            prop_assert!(padded.len() <= 256.max((bytes.len() + BEFORE) * 112 / 100 + 1));
            let mut longer = padded.to_vec();
            longer.push(0);
            prop_assert_eq!(unpad(&longer), None);
        }

        #[test]
        fn whatever_is_read_is_read_without_harm(bytes in proptest::collection::vec(any::<u8>(), 0..600)) {
            if let Some(inside) = unpad(&bytes) {
                let again = pad(inside).unwrap();
                prop_assert_eq!(&again[..], &bytes[..]);
            }
        }
    }
}
