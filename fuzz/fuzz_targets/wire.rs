//! What devices and hubs say to each other: whatever comes is read or refused, and what is read is spelled in one way.
#![no_main]

use libfuzzer_sys::fuzz_target;
use yadori_sync::wire::{Come, Found, Page, Sent, Signature, list, read_list};

fuzz_target!(|bytes: &[u8]| {
    if let Some(all) = read_list(bytes, 100) {
        assert!(all.len() <= 100);
        assert_eq!(read_list(&list(all.iter().copied()), 100), Some(all));
    }
    if let Some(sent) = Sent::from_bytes(bytes, (50, 10)) {
        assert!(sent.0.len() <= 50 && sent.0.iter().all(|(_, blobs)| blobs.len() <= 10));
        assert!(Sent::from_bytes(&sent.to_bytes(), (50, 10)).is_some());
    }
    if let Some(page) = Page::from_bytes(bytes) {
        assert!(Page::from_bytes(&page.to_bytes()).is_some());
    }
    if let Some(come) = Come::from_bytes(bytes) {
        assert!(Come::from_bytes(&come.to_bytes()).is_some());
    }
    if let Some(found) = Found::from_bytes(bytes) {
        assert!(Found::from_bytes(&found.to_bytes()).is_some());
    }
    if let Ok(text) = std::str::from_utf8(bytes)
        && let Ok(signature) = Signature::from_header(text)
    {
        assert!(Signature::from_header(&signature.to_header()).is_ok());
    }
});
