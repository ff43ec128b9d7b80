//! A day of a group, with the exchange machine of each device and a hub that is modelled in memory: how many requests and bytes
//! a device causes, and what the hub holds afterwards. `cargo run --release -p yadori-sync --example day [COPIES] [DEVICES]`

use std::collections::BTreeMap;
use std::io::Write;

use ed25519_dalek::{SigningKey, VerifyingKey};
use yadori_core::DeviceId;
use yadori_sync::exchange::{Due, Exchange, Made, Numbers, Pushed};
use yadori_sync::keys::{EpochKey, NamingKey};
use yadori_sync::record::{Header, Opener, Sealed, Topic, content, header_of, seal};
use yadori_sync::wire::{Page, Sent};

const GROUP: [u8; 16] = [1; 16];
/// A request and its answer beside their bodies: request line, signature, headers (measured on loopback).
const AROUND: u64 = 430;
/// For how long a hub holds a request, in seconds.
const HELD: u64 = 25;
/// For how long a device is on, in seconds of the day.
const ON: u64 = 10 * 3_600;
/// Of a hundred copies, so many are copied again, pinned, titled or removed later.
const AGAIN: u64 = 30;

/// Numbers that are the same each time.
struct Dice(blake3::OutputReader);

impl Dice {
    fn below(&mut self, most: u64) -> u64 {
        let mut out = [0; 8];
        self.0.fill(&mut out);
        u64::from_be_bytes(out) % most
    }

    /// Bytes of a clip's record: short texts mostly, pages and pictures at times.
    fn size(&mut self) -> usize {
        let bytes = match self.below(100) {
            0..=69 => 600 + self.below(400),
            70..=94 => 1_000 + self.below(4_000),
            _ => 20_000 + self.below(200_000),
        };
        usize::try_from(bytes).unwrap_or(600)
    }
}

struct Everyone;

fn signing(device: DeviceId) -> SigningKey {
    SigningKey::from_bytes(&[device.0[0]; 32])
}

impl Opener for Everyone {
    fn group(&self) -> [u8; 16] {
        GROUP
    }

    fn member(&self, device: DeviceId, _: u64) -> Option<VerifyingKey> {
        Some(signing(device).verifying_key())
    }

    fn epoch(&self, _: u64) -> Option<EpochKey> {
        Some(EpochKey([2; 32]))
    }
}

/// What was counted, of all devices.
#[derive(Default)]
struct Counted {
    pushes: u64,
    pulls: u64,
    up: u64,
    down: u64,
}

fn main() {
    let number =
        |n: usize, usual: u64| std::env::args().nth(n).and_then(|text| text.parse().ok()).unwrap_or(usual);
    let (copies, count) = (number(1, 150), number(2, 3).clamp(1, 200));
    let mut dice = Dice(blake3::Hasher::new().update(b"a day").finalize_xof());
    let naming = NamingKey([3; 32]);
    let ids: Vec<DeviceId> = (1..=count).map(|n| DeviceId([u8::try_from(n).unwrap_or(1); 16])).collect();
    let mut machines: Vec<Exchange> = ids.iter().map(|id| Exchange::new(*id, 1)).collect();
    let mut log: BTreeMap<u64, Sealed> = BTreeMap::new();
    let (mut last, mut counted, mut clips) = (0_u64, Counted::default(), 0_u64);
    // What happens when: a copy, or something that is done to an earlier clip.
    let mut acts: Vec<(u64, usize)> = Vec::new();
    for device in 0..ids.len() {
        acts.extend((0..copies + copies * AGAIN / 100).map(|_| (dice.below(ON), device)));
    }
    acts.sort_unstable();
    for (_, device) in &acts {
        let fresh = clips == 0 || dice.below(100 + AGAIN) < 100;
        clips += u64::from(fresh);
        let clip = if fresh { clips } else { 1 + dice.below(clips) };
        let topic = Topic {
            kind: "clip".to_owned(),
            id: blake3::hash(&clip.to_be_bytes()).as_bytes()[..16].to_vec(),
        };
        let body = vec![0; dice.size()];
        let id = ids[*device];
        let made = machines[*device].prepare(vec![Due { topic, version: 1 }], |topic, numbers| {
            let Numbers { incarnation, sequence, seen } = numbers;
            let subject = naming.subject(&topic.kind, &topic.id);
            let header = Header { group: GROUP, epoch: 1, device: id, incarnation, sequence, seen, subject };
            seal(&header, &content::content(topic, &body), &EpochKey([2; 32]), &signing(id), [7; 24])
                .map(|record| Some(Made { record, blobs: Vec::new() }))
        });
        made.expect("small enough");
        let records: Vec<Sealed> =
            machines[*device].pending().iter().map(|one| one.made.record.clone()).collect();
        let sent = Sent(records.iter().map(|one| (&one.0[..], Vec::new())).collect()).to_bytes();
        counted.pushes += 1;
        counted.up += sent.len() as u64 + AROUND;
        for record in records {
            last += 1;
            log.insert(last, record);
        }
        machines[*device].pushed(Pushed::Taken, 2);
        // Everyone is told at once: the request that each holds is answered.
        for machine in &mut machines {
            let page: Vec<(u64, Sealed)> =
                log.range(machine.seen() + 1..).map(|(number, one)| (*number, one.clone())).collect();
            counted.pulls += 1;
            counted.down += Page { epoch: 1, last, records: page.clone() }.to_bytes().len() as u64 + AROUND;
            let pulled = machine.pulled(&page, &Everyone, &naming);
            assert!(pulled.refused.is_empty(), "{:?}", pulled.refused);
        }
    }
    let idle = ids.len() as u64 * ON / HELD;
    counted.pulls += idle;
    counted.down += idle * AROUND;
    let all: u64 = log.values().map(|one| one.0.len() as u64).sum();
    let mut newest: BTreeMap<[u8; 32], u64> = BTreeMap::new();
    for one in log.values() {
        let subject = header_of(&one.0).expect("a record").subject.0;
        newest.insert(subject, one.0.len() as u64);
    }
    let each = |total: u64| total / ids.len() as u64;
    let lines = [
        format!("| of one device in a day | {count} devices, {copies} copies each |"),
        "| --- | --- |".to_owned(),
        format!("| pushes | {} |", each(counted.pushes)),
        format!("| requests for news, held {HELD} s | {} |", each(counted.pulls)),
        format!("| bytes sent | {} |", each(counted.up)),
        format!("| bytes received | {} |", each(counted.down)),
        format!("| bytes of records at the hub, before letting go | {} |", each(all)),
        format!("| bytes of records at the hub, newest of each subject | {} |", each(newest.values().sum())),
    ];
    // Nobody may be reading any more.
    let _ = writeln!(std::io::stdout(), "{}", lines.join("\n"));
}
