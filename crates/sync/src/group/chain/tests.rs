use proptest::prelude::*;

use super::*;
use crate::dice::Dice;
use crate::group::WrapTo;

/// A device with its secrets.
struct Device {
    id: DeviceId,
    signing: SigningKey,
    secret: WrapSecret,
    wraps: WrapTo,
}

impl Device {
    fn of(n: u8) -> Self {
        let mut dice = Dice::of(u64::from(n) + 1_000);
        let (secret, wraps) = WrapSecret::derive(&dice.bytes());
        Self { id: DeviceId([n + 1; 16]), signing: SigningKey::from_bytes(&dice.bytes()), secret, wraps }
    }

    fn member(&self) -> Member {
        Member { device: self.id, signs: self.signing.verifying_key(), wraps: self.wraps }
    }

    fn keys(&self, chain: &Chain) -> Result<Keyring, KeyringError> {
        chain.unlock(Some(self.id), &self.secret)
    }
}

const GROUP: [u8; 16] = [7; 16];

struct World {
    chain: Chain,
    devices: Vec<Device>,
    recovery: WrapSecret,
    dice: Dice,
    /// The key of each epoch as it was made, and who belonged then.
    made: Vec<([u8; 32], Vec<u8>)>,
}

impl World {
    fn new(seed: u64) -> Self {
        let mut dice = Dice::of(seed);
        let (recovery, wraps) = WrapSecret::derive(&dice.bytes());
        let signs = SigningKey::from_bytes(&dice.bytes()).verifying_key();
        let phrase = Member { device: RECOVERY, signs, wraps };
        let devices: Vec<Device> = (0..6).map(Device::of).collect();
        let mut chain = Chain::of(GROUP);
        let key = dice.bytes();
        let keys = (EpochKey(key), NamingKey([9; 32]));
        let first = chain.begin(devices[0].member(), &devices[0].signing, phrase, keys, &mut dice).unwrap();
        chain.accept(&first).unwrap();
        Self { chain, devices, recovery, dice, made: vec![(key, vec![0])] }
    }

    /// The next entry, by a device, with these members.
    fn entry(&mut self, author: usize, members: &[u8]) -> Result<([u8; 32], Vec<u8>), ChainError> {
        let device = &self.devices[author];
        let stranger = Keyring { naming: NamingKey([0; 32]), epochs: BTreeMap::new() };
        let keyring = device.keys(&self.chain).unwrap_or(stranger);
        let key = self.dice.bytes();
        let members = members.iter().map(|n| self.devices[usize::from(*n)].member()).collect();
        let (author, signing) = (device.id, &device.signing);
        let next = Next { author, signing, members, key: EpochKey(key), keyring: &keyring };
        Ok((key, self.chain.next(next, &mut self.dice)?))
    }

    fn belongs(&self, device: usize) -> bool {
        self.made.last().is_some_and(|(_, members)| members.contains(&(device as u8)))
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]
    #[test]
    fn members_have_every_key_and_nobody_who_was_struck_off_has_a_later_one(
        seed: u64, steps in proptest::collection::vec((0usize..6, proptest::collection::btree_set(0u8..6, 0..6)), 0..8),
    ) {
        let mut world = World::new(seed);
        for (author, members) in steps {
            let members: Vec<u8> = members.into_iter().collect();
            let outcome = world.entry(author, &members);
            if !world.belongs(author) {
                prop_assert_eq!(outcome.map(|_| ()), Err(ChainError::Stranger));
                continue;
            }
            if members.is_empty() {
                prop_assert_eq!(outcome.map(|_| ()), Err(ChainError::Members));
                continue;
            }
            let (key, entry) = outcome.unwrap();
            world.chain.accept(&entry).unwrap();
            world.made.push((key, members));
            let epoch = world.made.len() as u64;
            prop_assert_eq!(world.chain.epoch(), epoch);
            for (n, device) in world.devices.iter().enumerate() {
                let last = world.made.iter().rposition(|(_, members)| members.contains(&(n as u8)));
                match (device.keys(&world.chain), last) {
                    (Ok(keys), Some(last)) => {
                        let known: Vec<[u8; 32]> = keys.epochs.values().map(|key| key.0).collect();
                        let made: Vec<[u8; 32]> = world.made[..=last].iter().map(|(key, _)| *key).collect();
                        prop_assert_eq!(known, made, "device {}", n);
                        prop_assert_eq!(keys.naming.0, [9; 32]);
                    }
                    (keys, last) => prop_assert!(keys.is_err() && last.is_none(), "device {n}: {keys:?} {last:?}"),
                }
                for (at, (_, members)) in world.made.iter().enumerate() {
                    let signs = world.chain.member(device.id, at as u64 + 1);
                    prop_assert_eq!(signs.is_some(), members.contains(&(n as u8)));
                }
            }
            let recovered = world.chain.unlock(None, &world.recovery).unwrap();
            prop_assert_eq!(recovered.epochs.len() as u64, epoch);
            // Nobody unlocks with another's secret.
            prop_assert!(world.chain.unlock(None, &world.devices[0].secret).is_err());
        }
    }

    #[test]
    fn an_entry_that_was_changed_anywhere_is_refused_and_changes_nothing(at: usize, by in 1u8..=255, cut: usize) {
        let mut world = World::new(1);
        let (_, entry) = world.entry(0, &[0, 1, 2]).unwrap();
        let before = world.chain.clone();
        let mut changed = entry.clone();
        changed[at % entry.len()] ^= by;
        prop_assert!(world.chain.accept(&changed).is_err());
        prop_assert!(world.chain.accept(&entry[..cut % entry.len()]).is_err());
        changed = entry.clone();
        changed.push(by);
        prop_assert!(world.chain.accept(&changed).is_err());
        prop_assert_eq!(&world.chain, &before);
        prop_assert!(world.chain.accept(&entry).is_ok());
    }

    #[test]
    fn bytes_from_anywhere_are_refused_without_harm(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
        prop_assert!(World::new(1).chain.accept(&bytes).is_err());
        if let Ok(entry) = Entry::from_bytes(&bytes) {
            prop_assert_eq!(entry.to_bytes(), bytes);
        }
    }
}

#[test]
fn what_does_not_follow_the_last_entry_is_refused_by_its_name() {
    let mut world = World::new(3);
    let (_, one) = world.entry(0, &[0, 1]).unwrap();
    let (_, other) = world.entry(0, &[0, 2]).unwrap();
    let mut elsewhere = Chain::of([8; 16]);
    assert_eq!(elsewhere.accept(&one), Err(ChainError::Foreign));
    world.chain.accept(&one).unwrap();
    // Made at the same time: one of the two counts.
    assert_eq!(world.chain.accept(&other), Err(ChainError::NotNext(2)));
    assert_eq!(world.chain.accept(&one), Err(ChainError::NotNext(2)), "nor does one count twice");
    // By one that has been struck off, or never belonged.
    world.made.push(([0; 32], vec![0, 1]));
    let (_, without) = world.entry(1, &[1]).unwrap();
    world.chain.accept(&without).unwrap();
    assert_eq!(world.entry(0, &[0, 1]).map(|_| ()), Err(ChainError::Stranger));
    // A member that signs in the name of another.
    let (keyring, device) = (world.devices[1].keys(&world.chain).unwrap(), &world.devices[1]);
    let forged = Next {
        author: device.id,
        signing: &world.devices[2].signing,
        members: vec![device.member()],
        key: EpochKey([1; 32]),
        keyring: &keyring,
    };
    assert_eq!(world.chain.next(forged, &mut Dice::of(5)), Err(ChainError::Signature));
}
