//! Devices that copy, keep, remove and clear, with a hub between them: messages are lost, repeated and late, disks are
//! replaced by older copies, clocks are off by years, the hub lets go of what it need not have. Once everything has been
//! exchanged, all are the same. `YADORI_SEEDS=10000` runs more; `YADORI_SEED=n` runs one again.

use std::collections::BTreeMap;

use ed25519_dalek::{SigningKey, VerifyingKey};
use yadori_core::merge::register::Written;
use yadori_core::{ClipState, DeviceId, Digest, HybridClock, Kept, OfferRecord, RepresentationRecord};
use yadori_sync::exchange::{Due, Exchange, Made, Numbers, Pushed};
use yadori_sync::keys::{EpochKey, NamingKey};
use yadori_sync::record::{Header, Opener, Sealed, Topic, content, seal};

const GROUP: [u8; 16] = [1; 16];
const YEAR_MS: u64 = 365 * 86_400_000;

/// Numbers that are the same for the same seed.
struct Dice(blake3::OutputReader);

impl Dice {
    fn of(seed: u64) -> Self {
        Self(blake3::Hasher::new().update(&seed.to_be_bytes()).finalize_xof())
    }

    fn number(&mut self) -> u64 {
        let mut out = [0; 8];
        self.0.fill(&mut out);
        u64::from_be_bytes(out)
    }

    fn below(&mut self, most: u64) -> u64 {
        self.number() % most
    }

    fn chance(&mut self, percent: u64) -> bool {
        self.below(100) < percent
    }
}

fn signing(device: DeviceId) -> SigningKey {
    SigningKey::from_bytes(&[device.0[0]; 32])
}

/// All devices belong, in the one epoch there is.
struct Everyone;

impl Opener for Everyone {
    fn group(&self) -> [u8; 16] {
        GROUP
    }

    fn member(&self, device: DeviceId, epoch: u64) -> Option<VerifyingKey> {
        (epoch == 1).then(|| signing(device).verifying_key())
    }

    fn epoch(&self, epoch: u64) -> Option<EpochKey> {
        (epoch == 1).then_some(EpochKey([2; 32]))
    }
}

fn naming() -> NamingKey {
    NamingKey([3; 32])
}

/// What a device has on its disk.
#[derive(Clone)]
struct Disk {
    exchange: Exchange,
    /// What changed since it was last sent, and how often it has changed.
    changed: BTreeMap<Topic, u64>,
    clips: BTreeMap<u8, ClipState>,
    clock: HybridClock,
}

struct Device {
    id: DeviceId,
    disk: Disk,
    /// An older copy of it.
    copy: Option<Disk>,
    /// How far its clock is off.
    off_ms: i64,
}

fn topic(clip: u8) -> Topic {
    Topic { kind: "clip".to_owned(), id: vec![clip; 16] }
}

impl Device {
    /// Something is done here.
    fn act(&mut self, now_ms: u64, dice: &mut Dice) {
        let now_ms = now_ms.saturating_add_signed(self.off_ms);
        let clip = dice.below(6) as u8;
        let state = self.disk.clips.entry(clip).or_default();
        let at = self.disk.clock.tick(now_ms, state.newest_stamp());
        match dice.below(8) {
            0..=3 => {
                let digest = Digest([dice.below(7) as u8; 32]);
                let mime = "text/plain;charset=utf-8".to_owned();
                let representations = vec![RepresentationRecord { mime, size: 4, digest }];
                let offer = OfferRecord { representations, ..OfferRecord::default() };
                state.capture(offer, i64::try_from(now_ms).unwrap_or(0) * 1_000, at);
            }
            4 => state.remove(at),
            5 => state.clear(at),
            6 => {
                let kept =
                    if dice.chance(60) { Kept::Favorite(format!("m{}", dice.below(9))) } else { Kept::No };
                state.keep(kept, at);
            }
            _ => state.title = Some(Written { at, value: Some(format!("title {}", dice.below(5))) }),
        }
        *self.disk.changed.entry(topic(clip)).or_default() += 1;
    }

    fn prepare(&mut self, most: usize, dice: &mut Dice) {
        let (device, clips) = (self.id, &self.disk.clips);
        let due = self.disk.changed.iter().take(most);
        let due = due.map(|(topic, version)| Due { topic: topic.clone(), version: *version }).collect();
        let sealed = self.disk.exchange.prepare(due, |topic, numbers| {
            let Some(state) = clips.get(&topic.id[0]) else { return Ok(None) };
            let subject = naming().subject(&topic.kind, &topic.id);
            let Numbers { incarnation, sequence, seen } = numbers;
            let header = Header { group: GROUP, epoch: 1, device, incarnation, sequence, seen, subject };
            let body = serde_json::to_vec(state).expect("JSON");
            let mut nonce = [0; 24];
            dice.0.fill(&mut nonce);
            seal(&header, &content::content(topic, &body), &EpochKey([2; 32]), &signing(device), nonce)
                .map(|record| Some(Made { record, blobs: Vec::new() }))
        });
        for nothing in sealed.expect("records are small") {
            self.disk.changed.remove(&nothing.topic);
        }
    }

    fn pushed(&mut self, answer: Pushed, dice: &mut Dice) {
        for sent in self.disk.exchange.pushed(answer, dice.number()).unwrap_or_default() {
            // What has changed since then is sent again.
            if self.disk.changed.get(&sent.due.topic) == Some(&sent.due.version) {
                self.disk.changed.remove(&sent.due.topic);
            }
        }
    }

    fn pulled(&mut self, page: &[(u64, Sealed)], now_ms: u64, dice: &mut Dice) {
        let now_ms = now_ms.saturating_add_signed(self.off_ms);
        let pulled = self.disk.exchange.pulled(page, &Everyone, &naming());
        assert!(pulled.refused.is_empty(), "{:?}", pulled.refused);
        for taken in pulled.taken {
            let theirs: ClipState = serde_json::from_slice(&taken.body).expect("a state");
            if let Some(newest) = theirs.newest_stamp() {
                self.disk.clock.witness(now_ms, newest);
            }
            self.disk.clips.entry(taken.topic.id[0]).or_default().merge(&theirs);
        }
        if pulled.older {
            self.disk.exchange.renew(dice.number());
        }
    }
}

#[derive(Default)]
struct Hub {
    last: u64,
    log: BTreeMap<u64, Sealed>,
    /// By device, incarnation and sequence: what was taken.
    taken: BTreeMap<(DeviceId, u64, u64), Sealed>,
}

impl Hub {
    fn push(&mut self, records: &[Sealed]) -> Pushed {
        let named: Vec<Header> = records.iter().map(|one| one.header().expect("a record")).collect();
        for (header, record) in named.iter().zip(records) {
            let life = (header.device, header.incarnation);
            let highest = self.taken.range((life.0, life.1, 0)..=(life.0, life.1, u64::MAX)).next_back();
            let known = self.taken.get(&(life.0, life.1, header.sequence));
            let later = highest.is_some_and(|(key, _)| key.2 >= header.sequence);
            if later && known != Some(record) {
                return Pushed::Older;
            }
        }
        for (header, record) in named.iter().zip(records) {
            let key = (header.device, header.incarnation, header.sequence);
            if self.taken.insert(key, record.clone()).is_none() {
                self.last += 1;
                self.log.insert(self.last, record.clone());
            }
        }
        Pushed::Taken
    }

    fn after(&self, seen: u64, most: usize) -> Vec<(u64, Sealed)> {
        self.log.range(seen + 1..).take(most).map(|(number, record)| (*number, record.clone())).collect()
    }

    /// Lets go of what a newer record holds.
    fn compact(&mut self) {
        let all: Vec<(u64, Header)> =
            self.log.iter().map(|(number, record)| (*number, record.header().expect("a record"))).collect();
        let holds = |(number, old): &(u64, Header)| {
            all.iter().any(|(later, new)| {
                let same = (new.device, new.incarnation) == (old.device, old.incarnation);
                later > number && new.subject == old.subject && (same || new.seen >= *number)
            })
        };
        let gone: Vec<u64> = all.iter().filter(|one| holds(one)).map(|(number, _)| *number).collect();
        gone.iter().for_each(|number| drop(self.log.remove(number)));
    }
}

/// Messages that come late: pushes, and pages for a device.
enum Late {
    Push(Vec<Sealed>),
    Page(usize, Vec<(u64, Sealed)>),
}

fn run(seed: u64) {
    let mut dice = Dice::of(seed);
    let mut now_ms = 60 * YEAR_MS;
    let mut hub = Hub::default();
    let mut late: Vec<Late> = Vec::new();
    let count = 2 + dice.below(7) as usize;
    let mut devices: Vec<Device> = (0..count)
        .map(|n| {
            let id = DeviceId([n as u8 + 1; 16]);
            let off_ms = match dice.below(5) {
                0 => -(dice.below(3 * YEAR_MS) as i64),
                1 => dice.below(3 * YEAR_MS) as i64,
                _ => dice.below(2_000) as i64,
            };
            let clock = HybridClock::resume(id, None);
            let exchange = Exchange::new(id, dice.number());
            let disk = Disk { exchange, changed: BTreeMap::new(), clips: BTreeMap::new(), clock };
            Device { id, disk, copy: None, off_ms }
        })
        .collect();
    for _ in 0..300 + dice.below(400) {
        now_ms += dice.below(5_000);
        let at = dice.below(count as u64) as usize;
        match dice.below(100) {
            0..=49 => devices[at].act(now_ms, &mut dice),
            50..=67 => {
                let most = 1 + dice.below(4) as usize;
                devices[at].prepare(most, &mut dice);
                let records: Vec<Sealed> =
                    devices[at].disk.exchange.pending().iter().map(|one| one.made.record.clone()).collect();
                if records.is_empty() {
                    continue;
                }
                if dice.chance(30) {
                    late.push(Late::Push(records.clone()));
                }
                // It may be lost on its way, and so may the answer.
                if dice.chance(80) {
                    let answer = hub.push(&records);
                    if dice.chance(70) {
                        devices[at].pushed(answer, &mut dice);
                    }
                }
            }
            68..=85 => {
                let most = 1 + dice.below(8) as usize;
                let page = hub.after(devices[at].disk.exchange.seen(), most);
                if dice.chance(30) {
                    late.push(Late::Page(at, page.clone()));
                }
                if dice.chance(80) {
                    devices[at].pulled(&page, now_ms, &mut dice);
                }
            }
            86..=91 if !late.is_empty() => {
                let n = dice.below(late.len() as u64) as usize;
                match late.swap_remove(n) {
                    Late::Push(records) => drop(hub.push(&records)),
                    // A page of long ago: what it has is known, or it begins where nothing is missing.
                    Late::Page(to, page) => {
                        let seen = devices[to].disk.exchange.seen();
                        if page.first().is_some_and(|(first, _)| {
                            hub.after(seen, 1).iter().all(|(next, _)| next >= first)
                        }) {
                            devices[to].pulled(&page, now_ms, &mut dice);
                        }
                    }
                }
            }
            92..=94 => devices[at].copy = Some(devices[at].disk.clone()),
            95..=96 => {
                if let Some(copy) = devices[at].copy.clone() {
                    devices[at].disk = copy;
                }
            }
            _ => hub.compact(),
        }
    }
    let before: Vec<BTreeMap<u8, ClipState>> = devices.iter().map(|one| one.disk.clips.clone()).collect();
    // Everything is exchanged.
    for round in 0.. {
        assert!(round < 200, "seed {seed}: it never ends");
        let mut quiet = true;
        for device in &mut devices {
            device.prepare(16, &mut dice);
            let records: Vec<Sealed> =
                device.disk.exchange.pending().iter().map(|one| one.made.record.clone()).collect();
            if !records.is_empty() {
                quiet = false;
                device.pushed(hub.push(&records), &mut dice);
            }
            let page = hub.after(device.disk.exchange.seen(), 16);
            quiet &= page.is_empty() && device.disk.changed.is_empty();
            device.pulled(&page, now_ms, &mut dice);
        }
        if quiet {
            break;
        }
    }
    let all = &devices[0].disk.clips;
    for device in &devices {
        assert_eq!(&device.disk.clips, all, "seed {seed}: device {} is not as the first", device.id.0[0]);
    }
    // Nothing that any of them had is missing.
    for (n, one) in before.iter().enumerate() {
        for (clip, state) in one {
            let mut merged = all.get(clip).cloned().unwrap_or_default();
            merged.merge(state);
            assert_eq!(Some(&merged), all.get(clip), "seed {seed}: clip {clip} of device {n} is missing");
        }
    }
}

#[test]
fn whatever_is_lost_late_repeated_or_restored_all_are_the_same_once_everything_is_exchanged() {
    let number = |name: &str| std::env::var(name).ok().and_then(|text| text.parse().ok());
    if let Some(seed) = number("YADORI_SEED") {
        return run(seed);
    }
    for seed in 0..number("YADORI_SEEDS").unwrap_or(25) {
        run(seed);
    }
    // An older copy of a disk gave a number again, and met the first record under it before it had sent the second.
    run(107);
    // An older copy of a disk gave a stamp again, to another offer.
    run(2236);
}
