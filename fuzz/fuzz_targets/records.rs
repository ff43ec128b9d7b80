//! Records as a hub or a stranger may hand them on: nothing is believed, and a header is spelled in one way.
#![no_main]

use ed25519_dalek::{SigningKey, VerifyingKey};
use libfuzzer_sys::fuzz_target;
use yadori_core::DeviceId;
use yadori_sync::blob::open_part;
use yadori_sync::keys::EpochKey;
use yadori_sync::record::{Opener, Sealed, content, header_of};

/// A group that believes every device to be the one whose key it knows.
struct Any(VerifyingKey, EpochKey, [u8; 16]);

impl Opener for Any {
    fn group(&self) -> [u8; 16] {
        self.2
    }

    fn member(&self, _: DeviceId, _: u64) -> Option<VerifyingKey> {
        Some(self.0)
    }

    fn epoch(&self, _: u64) -> Option<EpochKey> {
        Some(EpochKey(self.1.0))
    }
}

fuzz_target!(|bytes: &[u8]| {
    let header = header_of(bytes);
    if let Ok(header) = &header {
        // It stands in the record as it is spelled, and in no other way.
        let spelled = header.to_bytes();
        assert!(bytes.windows(spelled.len()).any(|some| some == spelled));
    }
    let group = header.as_ref().map_or([0; 16], |header| header.group);
    let any = Any(SigningKey::from_bytes(&[7; 32]).verifying_key(), EpochKey([8; 32]), group);
    // Nobody here has signed anything.
    assert!(Sealed(bytes.to_vec()).open(&any).is_err());
    let _ = content::read(bytes);
    assert!(open_part(&[9; 32], 0, true, bytes).is_none());
});
