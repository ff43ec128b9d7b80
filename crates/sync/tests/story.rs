//! A group from its first device to one that is struck off: what each can read, by the crate's own front door, and by the
//! written vectors of docs/protocol.md (`YADORI_WRITE_VECTORS=1` writes them anew).

use std::convert::Infallible;
use std::path::Path;

use ed25519_dalek::SigningKey;
use hpke::rand_core::{TryCryptoRng, TryRng};
use serde_json::{Value, json};
use yadori_core::DeviceId;
use yadori_sync::group::{Chain, ChainError, Member, Next, Phrase, RECOVERY, Reading, WrapSecret};
use yadori_sync::keys::{EpochKey, NamingKey};
use yadori_sync::record::{Header, OpenError, Sealed, seal};

/// The same numbers in every run.
struct Dice(blake3::OutputReader);

impl TryRng for Dice {
    type Error = Infallible;

    fn try_next_u32(&mut self) -> Result<u32, Infallible> {
        let mut out = [0; 4];
        self.0.fill(&mut out);
        Ok(u32::from_be_bytes(out))
    }

    fn try_next_u64(&mut self) -> Result<u64, Infallible> {
        let mut out = [0; 8];
        self.0.fill(&mut out);
        Ok(u64::from_be_bytes(out))
    }

    fn try_fill_bytes(&mut self, out: &mut [u8]) -> Result<(), Infallible> {
        self.0.fill(out);
        Ok(())
    }
}

impl TryCryptoRng for Dice {}

const GROUP: [u8; 16] = [0x11; 16];

struct Device {
    member: Member,
    signing: SigningKey,
    secret: WrapSecret,
    seed: [u8; 32],
}

fn device(n: u8) -> Device {
    let signing = SigningKey::from_bytes(&[n; 32]);
    let seed = [n + 0x80; 32];
    let (secret, wraps) = WrapSecret::derive(&seed);
    let member = Member { device: DeviceId([n; 16]), signs: signing.verifying_key(), wraps };
    Device { member, signing, secret, seed }
}

/// The entries of a group: the first device alone, with a second one, and without the first.
fn entries() -> Vec<Vec<u8>> {
    let (first, second) = (device(1), device(2));
    let recovery = Phrase::new([0x70; 16]).member();
    let mut dice = Dice(blake3::Hasher::new().update(b"a group").finalize_xof());
    let mut chain = Chain::of(GROUP);
    let keys = (EpochKey([0xe1; 32]), NamingKey([0x44; 32]));
    let mut all =
        vec![chain.begin(first.member, &first.signing, recovery, keys, &mut dice).expect("a group")];
    chain.accept(&all[0]).expect("it begins");
    for (author, members, key) in
        [(&first, vec![first.member, second.member], 0xe2), (&second, vec![second.member], 0xe3)]
    {
        let keyring = &chain.unlock(Some(author.member.device), &author.secret).expect("its keys");
        let key = EpochKey([key; 32]);
        let next = Next { author: author.member.device, signing: &author.signing, members, key, keyring };
        let entry = chain.next(next, &mut dice).expect("an entry");
        chain.accept(&entry).expect("it follows");
        all.push(entry);
    }
    all
}

#[test]
fn who_is_struck_off_reads_what_came_before_and_nothing_after() {
    let (first, second) = (device(1), device(2));
    let entries = entries();
    let mut chain = Chain::of(GROUP);
    entries.iter().for_each(|entry| chain.accept(entry).expect("it follows"));
    let old = chain.unlock(Some(first.member.device), &first.secret).expect("its keys");
    let new = chain.unlock(Some(second.member.device), &second.secret).expect("its keys");
    let record = |epoch: u64, by: &Device| -> Sealed {
        let subject = new.naming.subject("clip", &[4; 16]);
        let device = by.member.device;
        let header =
            Header { group: GROUP, epoch, device, incarnation: 1, sequence: epoch, seen: 0, subject };
        seal(&header, b"bunks", &new.epochs[&epoch], &by.signing, [epoch as u8; 24]).expect("small")
    };
    let (theirs, ours) = (Reading { chain: &chain, keyring: &old }, Reading { chain: &chain, keyring: &new });
    for epoch in [1, 2] {
        assert_eq!(&record(epoch, &first).open(&theirs).expect("it is a member's").1[..], b"bunks");
        assert_eq!(&record(epoch, &first).open(&ours).expect("it is a member's").1[..], b"bunks");
    }
    assert_eq!(record(3, &second).open(&theirs), Err(OpenError::Epoch(3)));
    // What it writes from now on is refused, though it knows its old keys.
    assert_eq!(record(3, &first).open(&ours), Err(OpenError::Stranger(3)));
    assert_eq!(record(1, &second).open(&ours), Err(OpenError::Stranger(1)), "before it belonged");
    // A hub that shows a device only the beginning is found out by the next entry.
    let mut behind = Chain::of(GROUP);
    behind.accept(&entries[0]).expect("it begins");
    assert_eq!(behind.accept(&entries[2]), Err(ChainError::NotNext(1)));
}

#[test]
fn the_written_entries_are_what_is_made_and_their_keys_unlock() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/vectors/membership.json");
    let device_of = |n: u8| {
        let one = device(n);
        json!({
            "device": hex::encode(one.member.device.0),
            "signing_key": hex::encode(one.signing.to_bytes()),
            "wrapping_seed": hex::encode(one.seed),
            "wrapping_key": hex::encode(one.member.wraps.0),
        })
    };
    let epoch_keys = [0xe1, 0xe2, 0xe3].map(|byte: u8| hex::encode([byte; 32]));
    let made = json!({
        "group": hex::encode(GROUP),
        "devices": [device_of(1), device_of(2)],
        "recovery_phrase": Phrase::new([0x70; 16]).to_string(),
        "naming_key": hex::encode([0x44; 32]),
        "epoch_keys": epoch_keys,
        "entries": entries().iter().map(hex::encode).collect::<Vec<_>>(),
    });
    if std::env::var_os("YADORI_WRITE_VECTORS").is_some() {
        std::fs::write(&path, serde_json::to_string_pretty(&made).expect("JSON") + "\n").expect("written");
    }
    let bytes = std::fs::read(&path).expect("docs/vectors/membership.json");
    let written: Value = serde_json::from_slice(&bytes).expect("JSON");
    assert_eq!(written, made);
    let mut chain = Chain::of(GROUP);
    for entry in written["entries"].as_array().expect("entries") {
        chain
            .accept(&hex::decode(entry.as_str().expect("a text")).expect("hexadecimal"))
            .expect("it follows");
    }
    let keys = chain.unlock(None, &Phrase::new([0x70; 16]).secret()).expect("the recovery key has all");
    let keys: Vec<String> = keys.epochs.values().map(|key| hex::encode(key.0)).collect();
    assert_eq!(json!(keys), written["epoch_keys"]);
}

#[test]
fn whoever_has_the_phrase_lets_a_new_device_in_and_nobody_else_does() {
    let entries = entries();
    let mut chain = Chain::of(GROUP);
    entries.iter().for_each(|entry| chain.accept(entry).expect("it follows"));
    let (phrase, new) = (Phrase::new([0x70; 16]), device(3));
    let phrase: Phrase = phrase.to_string().parse().expect("as it stands on the paper");
    let keyring = &chain.unlock(None, &phrase.secret()).expect("all keys");
    let entry = |signing: &SigningKey| {
        let mut dice = Dice(blake3::Hasher::new().update(b"found again").finalize_xof());
        let members = [chain.members(), &[new.member]].concat();
        let key = EpochKey([0xe4; 32]);
        chain.next(Next { author: RECOVERY, signing, members, key, keyring }, &mut dice)
    };
    assert_eq!(entry(&Phrase::new([0x71; 16]).signing()), Err(ChainError::Signature));
    assert_eq!(entry(&device(2).signing), Err(ChainError::Signature));
    let entry = entry(&phrase.signing()).expect("an entry");
    chain.accept(&entry).expect("it follows");
    let theirs = chain.unlock(Some(new.member.device), &new.secret).expect("its keys");
    assert_eq!(theirs.epochs.len(), 4, "and all that came before");
    // Nobody can be a member under the phrase's own name.
    let mut dice = Dice(blake3::Hasher::new().update(b"disguised").finalize_xof());
    let disguised = Member { device: RECOVERY, ..device(4).member };
    let members = [chain.members(), &[disguised]].concat();
    let keyring = &chain.unlock(Some(new.member.device), &new.secret).expect("its keys");
    let next = Next {
        author: new.member.device,
        signing: &new.signing,
        members,
        key: EpochKey([0xe5; 32]),
        keyring,
    };
    assert_eq!(chain.next(next, &mut dice), Err(ChainError::Members));
}
