//! The test vectors of docs/protocol.md, for whoever writes another client: what this program makes is what stands in the
//! file, and it opens what stands there. `YADORI_WRITE_VECTORS=1` writes the file anew.

use std::path::Path;

use ed25519_dalek::{SigningKey, VerifyingKey};
use serde_json::{Value, json};
use yadori_core::DeviceId;
use yadori_sync::keys::{EpochKey, NamingKey, RECORDS, SUBJECTS};
use yadori_sync::record::{Header, Opener, Sealed, Topic, content, seal};

const GROUP: [u8; 16] = [0x11; 16];
const DEVICE: DeviceId = DeviceId([0x22; 16]);
const EPOCH_KEY: [u8; 32] = [0x33; 32];
const NAMING_KEY: [u8; 32] = [0x44; 32];
const SIGNING_KEY: [u8; 32] = [0x55; 32];

struct Vectors;

impl Opener for Vectors {
    fn group(&self) -> [u8; 16] {
        GROUP
    }

    fn member(&self, device: DeviceId, epoch: u64) -> Option<VerifyingKey> {
        (device == DEVICE && epoch == 1).then(|| SigningKey::from_bytes(&SIGNING_KEY).verifying_key())
    }

    fn epoch(&self, epoch: u64) -> Option<EpochKey> {
        (epoch == 1).then_some(EpochKey(EPOCH_KEY))
    }
}

fn made() -> Value {
    let device = SigningKey::from_bytes(&SIGNING_KEY);
    let naming = NamingKey(NAMING_KEY);
    let records: Vec<Value> = [("", 0_u8, 1_u64), ("oats and honey", 1, 2), (&"long ".repeat(200), 2, 300)]
        .into_iter()
        .map(|(body, n, sequence)| {
            let inside = content::content(&Topic { kind: "clip".into(), id: vec![n; 16] }, body.as_bytes());
            let subject = naming.subject("clip", &[n; 16]);
            let header = Header {
                group: GROUP,
                epoch: 1,
                device: DEVICE,
                incarnation: 0x0102_0304,
                sequence,
                seen: 5,
                subject,
            };
            let nonce = [0x60 + n; 24];
            let record = seal(&header, &inside, &EpochKey(EPOCH_KEY), &device, nonce);
            json!({
                "body": body,
                "inside": hex::encode(&inside),
                "id": hex::encode([n; 16]),
                "sequence": sequence,
                "seen": 5,
                "nonce": hex::encode(nonce),
                "subject": hex::encode(subject.0),
                "header": hex::encode(header.to_bytes()),
                "record": hex::encode(record.expect("it is small").0),
            })
        })
        .collect();
    json!({
        "contexts": { "records": RECORDS, "subjects": SUBJECTS },
        "group": hex::encode(GROUP),
        "epoch": 1,
        "device": hex::encode(DEVICE.0),
        "incarnation": 0x0102_0304,
        "kind": "clip",
        "epoch_key": hex::encode(EPOCH_KEY),
        "record_key": hex::encode(blake3::derive_key(RECORDS, &EPOCH_KEY)),
        "naming_key": hex::encode(NAMING_KEY),
        "signing_key": hex::encode(SIGNING_KEY),
        "verifying_key": hex::encode(device.verifying_key().to_bytes()),
        "records": records,
    })
}

#[test]
fn the_written_vectors_are_what_is_made_and_they_open() {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../../docs/vectors/records.json");
    let made = made();
    if std::env::var_os("YADORI_WRITE_VECTORS").is_some() {
        std::fs::create_dir_all(path.parent().expect("a directory")).expect("made");
        std::fs::write(&path, serde_json::to_string_pretty(&made).expect("JSON") + "\n").expect("written");
    }
    let written: Value =
        serde_json::from_slice(&std::fs::read(&path).expect("docs/vectors/records.json")).expect("JSON");
    assert_eq!(written, made);
    for record in written["records"].as_array().expect("records") {
        let bytes = hex::decode(record["record"].as_str().expect("a record")).expect("hexadecimal");
        let (header, inside) = Sealed(bytes).open(&Vectors).expect("it opens");
        assert_eq!(header.sequence, record["sequence"].as_u64().expect("a number"));
        assert_eq!(
            &inside[..],
            hex::decode(record["inside"].as_str().expect("a text")).expect("hexadecimal")
        );
    }
}
