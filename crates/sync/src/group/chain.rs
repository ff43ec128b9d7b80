//! The chain as a device holds it: entries are taken only if they follow the last one, and keys are unlocked from it.

use std::collections::BTreeMap;

use chacha20poly1305::aead::{Aead, KeyInit, Payload};
use chacha20poly1305::{XChaCha20Poly1305, XNonce};
use ed25519_dalek::{Signature, Signer, SigningKey, VerifyingKey};
use hpke::rand_core::CryptoRng;
use yadori_core::DeviceId;
use zeroize::Zeroizing;

use super::entry::{Entry, LONGEST, MOST, Member, NoEntry, RECOVERY, Wrapped, apart, signed, together};
use super::wrap::{WrapSecret, context, unwrap, wrap};
use crate::keys::{EpochKey, NamingKey};

/// Why an entry is not taken.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ChainError {
    /// It is not built as an entry is.
    #[error("it is no entry of a group")]
    Malformed,
    /// It was made by a newer program.
    #[error("it has version {0}, and this program reads version 1; bring this device up to date")]
    Version(u64),
    /// It belongs to another group.
    #[error("it belongs to another group")]
    Foreign,
    /// It does not follow the last entry: another one was made at the same time, or the hub shows two devices two chains.
    #[error("it does not follow entry {0}, which is the last that is known here")]
    NotNext(u64),
    /// Its author does not belong to the group.
    #[error("its author does not belong to the group")]
    Stranger,
    /// Its author did not sign it as it is.
    #[error("its author did not sign it as it is")]
    Signature,
    /// Its members are none, too many, out of order, or not those to whom its keys are wrapped.
    #[error("its members and the keys that are wrapped to them do not fit together")]
    Members,
    /// A public key in it is none.
    #[error("a public key of a member is none")]
    PublicKey,
}

impl From<NoEntry> for ChainError {
    fn from(why: NoEntry) -> Self {
        match why {
            NoEntry::Malformed => Self::Malformed,
            NoEntry::Version(version) => Self::Version(version),
        }
    }
}

/// Why no keys were unlocked.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum KeyringError {
    /// This device never belonged to the group.
    #[error("no keys are wrapped to this device")]
    Stranger,
    /// What is wrapped to it is not what it should be.
    #[error("the keys that are wrapped in entry {0} can't be unlocked")]
    Locked(u64),
}

/// The keys that a device has.
#[derive(Clone, Debug)]
pub struct Keyring {
    /// The key that names subjects.
    pub naming: NamingKey,
    /// Keys by epoch.
    pub epochs: BTreeMap<u64, EpochKey>,
}

/// What the next entry shall say.
#[derive(Debug)]
pub struct Next<'a> {
    /// Who makes it.
    pub author: DeviceId,
    /// The key by which it signs.
    pub signing: &'a SigningKey,
    /// Who belongs to the group from then on.
    pub members: Vec<Member>,
    /// The key of the new epoch: 32 random bytes.
    pub key: EpochKey,
    /// The keys that the author has.
    pub keyring: &'a Keyring,
}

/// The chain of a group: every entry so far, each with its hash. The number of the last one is the epoch.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Chain {
    group: [u8; 16],
    entries: Vec<([u8; 32], Entry)>,
}

/// The context of the key that seals the key before.
const BEFORE: &str = "Yadori 2026-11 key of the epoch before";

fn seal_before(key: &EpochKey, before: &EpochKey, parent: &[u8; 32], nonce: [u8; 24]) -> Option<Vec<u8>> {
    let cipher = XChaCha20Poly1305::new(&blake3::derive_key(BEFORE, &key.0).into());
    let sealed = cipher.encrypt(&XNonce::from(nonce), Payload { msg: &before.0, aad: parent }).ok()?;
    Some([&nonce[..], &sealed].concat())
}

fn open_before(key: &EpochKey, sealed: &[u8], parent: &[u8; 32]) -> Option<EpochKey> {
    let (nonce, sealed) = sealed.split_first_chunk::<24>()?;
    let cipher = XChaCha20Poly1305::new(&blake3::derive_key(BEFORE, &key.0).into());
    let opened = cipher.decrypt(&XNonce::from(*nonce), Payload { msg: sealed, aad: parent }).ok()?;
    Some(EpochKey(Zeroizing::new(opened).as_slice().try_into().ok()?))
}

impl Chain {
    /// A chain of this group, before its first entry.
    pub fn of(group: [u8; 16]) -> Self {
        Self { group, entries: Vec::new() }
    }

    /// Which group.
    pub fn group(&self) -> [u8; 16] {
        self.group
    }

    /// The epoch: the number of the last entry; 0 before the first.
    pub fn epoch(&self) -> u64 {
        self.entries.len() as u64
    }

    /// The hash that the next entry names.
    pub fn head(&self) -> [u8; 32] {
        self.entries.last().map_or([0; 32], |(hash, _)| *hash)
    }

    /// Who belongs to the group now.
    pub fn members(&self) -> &[Member] {
        self.entries.last().map_or(&[], |(_, entry)| &entry.members)
    }

    fn entry(&self, epoch: u64) -> Option<&Entry> {
        let at = usize::try_from(epoch.checked_sub(1)?).ok()?;
        self.entries.get(at).map(|(_, entry)| entry)
    }

    /// The key by which the recovery phrase signs.
    pub fn recovery(&self) -> Option<VerifyingKey> {
        self.entries.last().map(|(_, entry)| entry.recovery.signs)
    }

    /// The key by which a device that belonged to the group in an epoch signs.
    pub fn member(&self, device: DeviceId, epoch: u64) -> Option<VerifyingKey> {
        Some(self.entry(epoch)?.member(device)?.signs)
    }

    /// Makes the first entry: a group of one device. `naming`: 32 random bytes.
    ///
    /// # Errors
    /// When a public key is none.
    pub fn begin(
        &self,
        first: Member,
        signing: &SigningKey,
        recovery: Member,
        (key, naming): (EpochKey, NamingKey),
        random: &mut impl CryptoRng,
    ) -> Result<Vec<u8>, ChainError> {
        let keyring = Keyring { naming, epochs: BTreeMap::new() };
        let next = Next { author: first.device, signing, members: vec![first], key, keyring: &keyring };
        self.made(next, recovery, random)
    }

    /// Makes the entry that follows the last one. It counts once it was accepted by the hub as the only one, and by
    /// [`Chain::accept`].
    ///
    /// # Errors
    /// When the author can't make it, or its members are not as they must be.
    pub fn next(&self, next: Next<'_>, random: &mut impl CryptoRng) -> Result<Vec<u8>, ChainError> {
        let (_, last) = self.entries.last().ok_or(ChainError::NotNext(0))?;
        self.made(next, last.recovery, random)
    }

    fn made(
        &self,
        mut next: Next<'_>,
        recovery: Member,
        random: &mut impl CryptoRng,
    ) -> Result<Vec<u8>, ChainError> {
        next.members.sort_by_key(|member| member.device);
        let (number, parent) = (self.epoch() + 1, self.head());
        let mut wrapped = Vec::with_capacity(next.members.len() + 1);
        let each = next.members.iter().map(|member| (member.wraps, &member.device.0[..]));
        for (to, device) in each.chain([(recovery.wraps, &[][..])]) {
            let context = context(&self.group, number, &parent, device);
            let (encapsulated, sealed) =
                wrap(to, &next.key, &next.keyring.naming, &context, random).ok_or(ChainError::PublicKey)?;
            wrapped.push(Wrapped { encapsulated, sealed });
        }
        let before = match next.keyring.epochs.get(&self.epoch()) {
            Some(before) => {
                let mut nonce = [0; 24];
                random.fill_bytes(&mut nonce);
                seal_before(&next.key, before, &parent, nonce).ok_or(ChainError::Malformed)?
            }
            None if number == 1 => Vec::new(),
            None => return Err(ChainError::Stranger),
        };
        let entry = Entry {
            group: self.group,
            number,
            parent,
            author: next.author,
            members: next.members,
            recovery,
            wrapped,
            before,
        };
        let body = entry.to_bytes();
        let bytes = together(&body, &next.signing.sign(&signed(&body)).to_bytes());
        // What nobody would take is not made.
        self.clone().accept(&bytes)?;
        Ok(bytes)
    }

    /// Takes an entry, if it follows the last one.
    ///
    /// # Errors
    /// The chain is as before then.
    pub fn accept(&mut self, bytes: &[u8]) -> Result<(), ChainError> {
        let (body, signature) = apart(bytes)?;
        let entry = Entry::from_bytes(body)?;
        if entry.group != self.group {
            return Err(ChainError::Foreign);
        }
        if entry.number != self.epoch() + 1 || entry.parent != self.head() {
            return Err(ChainError::NotNext(self.epoch()));
        }
        let ascending = entry.members.windows(2).all(|two| two[0].device < two[1].device);
        let fits =
            (1..=MOST).contains(&entry.members.len()) && entry.wrapped.len() == entry.members.len() + 1;
        let named = entry.members.iter().all(|member| member.device != RECOVERY);
        if !ascending || !fits || !named || bytes.len() > LONGEST {
            return Err(ChainError::Members);
        }
        // The first one is signed by the one device that it names; each other by a member of the one before it.
        let last = self.entries.last().map(|(_, last)| last);
        let author = match last {
            // Whoever has the phrase speaks for all of them.
            Some(last) if entry.author == RECOVERY => &last.recovery,
            last => last.unwrap_or(&entry).member(entry.author).ok_or(ChainError::Stranger)?,
        };
        author
            .signs
            .verify_strict(&signed(body), &Signature::from_bytes(&signature))
            .map_err(|_| ChainError::Signature)?;
        // The recovery key stays what it was: whoever made the group has its phrase.
        if last.is_some_and(|last| last.recovery != entry.recovery) {
            return Err(ChainError::Members);
        }
        self.entries.push((*blake3::hash(bytes).as_bytes(), entry));
        Ok(())
    }

    /// The keys that a device (`None`: the recovery key) can unlock: those up to the last epoch in which it belonged.
    ///
    /// # Errors
    /// When it never belonged, or what is wrapped to it is not what it should be.
    pub fn unlock(&self, device: Option<DeviceId>, secret: &WrapSecret) -> Result<Keyring, KeyringError> {
        let place = |entry: &Entry| match device {
            Some(device) => entry.members.iter().position(|member| member.device == device),
            None => Some(entry.members.len()),
        };
        let found = self.entries.iter().rev().find_map(|(_, entry)| Some((entry, place(entry)?)));
        let (entry, at) = found.ok_or(KeyringError::Stranger)?;
        let wrapped = entry.wrapped.get(at).ok_or(KeyringError::Locked(entry.number))?;
        let name: &[u8] = device.as_ref().map_or(&[], |device| &device.0);
        let context = context(&self.group, entry.number, &entry.parent, name);
        let (mut key, naming) = unwrap(secret, &wrapped.encapsulated, &wrapped.sealed, &context)
            .ok_or(KeyringError::Locked(entry.number))?;
        let mut epochs = BTreeMap::new();
        for number in (1..=entry.number).rev() {
            epochs.insert(number, key.clone());
            let entry = self.entry(number).ok_or(KeyringError::Locked(number))?;
            if number > 1 {
                key = open_before(&key, &entry.before, &entry.parent).ok_or(KeyringError::Locked(number))?;
            }
        }
        Ok(Keyring { naming, epochs })
    }
}

#[cfg(test)]
mod tests;
