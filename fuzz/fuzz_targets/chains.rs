//! Entries of the chain that says who belongs: nothing that the founder has not signed is taken.
#![no_main]

use std::sync::OnceLock;

use ed25519_dalek::SigningKey;
use libfuzzer_sys::fuzz_target;
use yadori_core::DeviceId;
use yadori_sync::UnwrapErr;
use yadori_sync::group::{Chain, Member, Phrase, WrapSecret};
use yadori_sync::keys::{EpochKey, NamingKey};

static CHAIN: OnceLock<Chain> = OnceLock::new();

fn founded() -> Chain {
    let phrase = Phrase::new([5; 16]);
    let signing = SigningKey::from_bytes(&[6; 32]);
    let (_, wraps) = WrapSecret::derive(&[7; 32]);
    let member = Member { device: DeviceId([1; 16]), signs: signing.verifying_key(), wraps };
    let keys = (EpochKey([8; 32]), NamingKey([9; 32]));
    let mut random = UnwrapErr(getrandom::SysRng);
    let mut chain = Chain::of(phrase.group());
    let entry = chain.begin(member, &signing, phrase.member(), keys, &mut random).expect("an entry");
    chain.accept(&entry).expect("the first entry");
    chain
}

fuzz_target!(|bytes: &[u8]| {
    let mut chain = CHAIN.get_or_init(founded).clone();
    assert!(chain.accept(bytes).is_err());
    assert_eq!(chain.epoch(), 1);
    let _ = Chain::of([3; 16]).accept(bytes);
    if let Ok(text) = std::str::from_utf8(bytes) {
        let _ = text.parse::<Phrase>();
    }
});
