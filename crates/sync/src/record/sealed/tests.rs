use std::collections::HashMap;

use proptest::prelude::*;

use super::*;
use crate::keys::{NamingKey, Subject};

struct Group {
    group: [u8; 16],
    members: HashMap<(DeviceId, u64), VerifyingKey>,
    keys: HashMap<u64, EpochKey>,
}

impl Opener for Group {
    fn group(&self) -> [u8; 16] {
        self.group
    }

    fn member(&self, device: DeviceId, epoch: u64) -> Option<VerifyingKey> {
        self.members.get(&(device, epoch)).copied()
    }

    fn epoch(&self, epoch: u64) -> Option<EpochKey> {
        self.keys.get(&epoch).cloned()
    }
}

const LAPTOP: DeviceId = DeviceId([1; 16]);

fn device() -> SigningKey {
    SigningKey::from_bytes(&[9; 32])
}

fn group() -> Group {
    Group {
        group: [7; 16],
        members: HashMap::from([((LAPTOP, 3), device().verifying_key())]),
        keys: HashMap::from([(3, EpochKey([5; 32])), (4, EpochKey([6; 32]))]),
    }
}

fn header() -> Header {
    Header {
        group: [7; 16],
        epoch: 3,
        device: LAPTOP,
        incarnation: 77,
        sequence: 12,
        seen: 40,
        subject: NamingKey([8; 32]).subject("clip", &[4; 16]),
    }
}

fn sealed(header: &Header, content: &[u8]) -> Sealed {
    seal(header, content, &EpochKey([5; 32]), &device(), [2; 24]).unwrap()
}

#[test]
fn a_record_is_opened_by_a_member_of_its_epoch_and_tells_nothing_to_others() {
    let record = sealed(&header(), b"oats and honey");
    let (known, content) = record.open(&group()).unwrap();
    assert_eq!((known, &content[..]), (header(), &b"oats and honey"[..]));
    assert_eq!(record.header(), Ok(header()));
    assert!(!record.0.windows(4).any(|some| some == b"oats" || some == b"clip"));
    // However long it is, within its class.
    assert_eq!(sealed(&header(), &[1; 10]).0.len(), sealed(&header(), &[1; 250]).0.len());
}

#[test]
fn what_is_not_the_groups_is_refused_by_its_name() {
    let record = sealed(&header(), b"oats");
    let foreign = Header { group: [8; 16], ..header() };
    assert_eq!(sealed(&foreign, b"oats").open(&group()), Err(OpenError::Foreign));
    let stranger = Header { device: DeviceId([2; 16]), ..header() };
    assert_eq!(sealed(&stranger, b"oats").open(&group()), Err(OpenError::Stranger(3)));
    // A member of another epoch.
    let later = Header { epoch: 4, ..header() };
    assert_eq!(sealed(&later, b"oats").open(&group()), Err(OpenError::Stranger(4)));
    let forged = seal(&header(), b"oats", &EpochKey([5; 32]), &SigningKey::from_bytes(&[1; 32]), [2; 24]);
    assert_eq!(forged.unwrap().open(&group()), Err(OpenError::Signature));
    let other_key = seal(&header(), b"oats", &EpochKey([6; 32]), &device(), [2; 24]).unwrap();
    assert_eq!(other_key.open(&group()), Err(OpenError::Seal));
    let mut without = group();
    without.keys.remove(&3);
    assert_eq!(record.open(&without), Err(OpenError::Epoch(3)));
    let large = seal(&header(), &vec![0; LONGEST], &EpochKey([5; 32]), &device(), [2; 24]);
    assert_eq!(large, Err(TooLarge));
    let long = Sealed(vec![0x84; LONGEST + 1]);
    assert_eq!(long.open(&group()), Err(OpenError::Malformed("it is too long")));
    let mut newer = header().to_bytes();
    newer[1] = 2;
    assert_eq!(Header::from_bytes(&newer), Err(Some(2)));
}

#[test]
fn nothing_of_a_record_can_be_put_on_another() {
    let one = sealed(&header(), b"oats");
    let other = seal(
        &Header { sequence: 13, subject: Subject([1; 32]), ..header() },
        b"gas",
        &EpochKey([5; 32]),
        &device(),
        [3; 24],
    )
    .unwrap();
    let (_, header_one, nonce_one, inside_one, signature_one) = parts(&one.0).unwrap();
    let (_, header_other, nonce_other, inside_other, signature_other) = parts(&other.0).unwrap();
    for mixed in 1..15_u8 {
        let pick = |bit: u8| mixed & (1 << bit) != 0;
        let mut encoder = Encoder::new(Vec::new());
        encoder
            .array(4)
            .unwrap()
            .bytes(if pick(0) { header_one } else { header_other })
            .unwrap()
            .bytes(if pick(1) { &nonce_one } else { &nonce_other })
            .unwrap()
            .bytes(if pick(2) { inside_one } else { inside_other })
            .unwrap()
            .bytes(if pick(3) { &signature_one } else { &signature_other })
            .unwrap();
        assert_eq!(Sealed(encoder.into_writer()).open(&group()), Err(OpenError::Signature), "{mixed:04b}");
    }
}

proptest! {
    #[test]
    fn whatever_is_sealed_is_opened(
        content in proptest::collection::vec(any::<u8>(), 0..3_000),
        incarnation: u64, sequence: u64, nonce: [u8; 24], subject: [u8; 32],
    ) {
        let header = Header { incarnation, sequence, subject: Subject(subject), ..header() };
        let record = seal(&header, &content, &EpochKey([5; 32]), &device(), nonce).unwrap();
        let (known, inside) = record.open(&group()).unwrap();
        prop_assert_eq!(known, header);
        prop_assert_eq!(&inside[..], &content[..]);
    }

    #[test]
    fn a_record_that_was_changed_anywhere_is_refused(at in 0usize..600, by in 1u8..=255, cut in 0usize..600) {
        let record = sealed(&header(), b"oats and honey");
        let mut changed = record.clone();
        let at = at % changed.0.len();
        changed.0[at] ^= by;
        prop_assert!(changed.open(&group()).is_err());
        let short = Sealed(record.0[..cut % record.0.len()].to_vec());
        prop_assert!(short.open(&group()).is_err());
        let mut longer = record.clone();
        longer.0.push(by);
        prop_assert!(longer.open(&group()).is_err());
    }

    #[test]
    fn bytes_from_anywhere_are_refused_without_harm(bytes in proptest::collection::vec(any::<u8>(), 0..800)) {
        prop_assert!(Sealed(bytes.clone()).open(&group()).is_err());
        if let Ok(header) = Header::from_bytes(&bytes) {
            prop_assert_eq!(header.to_bytes(), bytes);
        }
    }
}
