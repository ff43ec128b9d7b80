//! What is inside records, as a member of another version, or a malicious one, may have written it.
#![no_main]

use libfuzzer_sys::fuzz_target;
use yadori_sync::body::{ClipBody, DeviceBody};

fuzz_target!(|bytes: &[u8]| {
    if let Some(body) = ClipBody::from_bytes(bytes) {
        assert!(ClipBody::from_bytes(&body.to_bytes()).is_some());
    }
    if let Some(body) = DeviceBody::from_bytes(bytes) {
        assert!(DeviceBody::from_bytes(&body.to_bytes()).is_some());
    }
});
