//! What is inside records, as a member of another version, or a malicious one, may have written it.
#![no_main]

use libfuzzer_sys::fuzz_target;
use yadori_core::batch::shared::BatchHead;
use yadori_core::intake::shared::SharedRules;
use yadori_sync::body::{ClipBody, DeviceBody, ItemBody};

fuzz_target!(|bytes: &[u8]| {
    if let Some(body) = ClipBody::from_bytes(bytes) {
        assert!(ClipBody::from_bytes(&body.to_bytes()).is_some());
    }
    if let Some(body) = ItemBody::from_bytes(bytes) {
        assert!(ItemBody::from_bytes(&body.to_bytes()).is_some());
    }
    if let Ok(head) = serde_json::from_slice::<BatchHead>(bytes) {
        assert!(serde_json::to_vec(&head).is_ok());
    }
    if let Ok(rules) = serde_json::from_slice::<SharedRules>(bytes) {
        let mut merged = SharedRules::default();
        merged.merge(&rules);
        let _ = merged.listed();
    }
    if let Some(body) = DeviceBody::from_bytes(bytes) {
        assert!(DeviceBody::from_bytes(&body.to_bytes()).is_some());
    }
});
