//! This device as a member: its keys, the chain, and what it can read by them.

use std::sync::{Arc, PoisonError, RwLock};

use yadori_core::DeviceId;
use yadori_sync::group::{Chain, ChainError, Keyring, KeyringError, Reading};

use super::keys::Keys;
use super::link::Asker;

/// Why this device can't read what its group sends.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MemberError {
    /// The chain.
    #[error("the hub shows a membership that can't be believed: {0}")]
    Chain(#[from] ChainError),
    /// The keys.
    #[error("{0}")]
    Keys(#[from] KeyringError),
    /// Another group than the one that was joined.
    #[error("the hub shows another group than the one that was joined")]
    Other,
    /// It was struck off.
    #[error("this device was struck off")]
    StruckOff,
}

#[derive(Clone, Debug)]
pub(super) struct Standing {
    pub(super) chain: Chain,
    pub(super) keyring: Keyring,
}

/// A member.
#[derive(Debug)]
pub(super) struct Member {
    pub(super) device: DeviceId,
    pub(super) keys: Keys,
    now: RwLock<Arc<Standing>>,
}

fn unlocked(device: DeviceId, keys: &Keys, chain: &Chain) -> Result<Keyring, MemberError> {
    if chain.member(device, chain.epoch()).is_none() {
        return Err(MemberError::StruckOff);
    }
    Ok(chain.unlock(Some(device), &keys.wrapping().0)?)
}

impl Member {
    /// A member by its keys and the whole chain.
    pub(super) fn new(device: DeviceId, keys: Keys, entries: &[Vec<u8>]) -> Result<Self, MemberError> {
        let group = keys.group_id().ok_or(MemberError::Other)?;
        let first = entries.first().map(|first| blake3::hash(first).to_hex().to_string());
        if first.as_deref() != Some(&keys.first) {
            return Err(MemberError::Other);
        }
        let mut chain = Chain::of(group);
        for entry in entries {
            chain.accept(entry)?;
        }
        let keyring = unlocked(device, &keys, &chain)?;
        Ok(Self { device, keys, now: RwLock::new(Arc::new(Standing { chain, keyring })) })
    }

    /// How it stands now.
    pub(super) fn now(&self) -> Arc<Standing> {
        self.now.read().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// The chain has gone on.
    pub(super) fn accept(&self, entries: &[Vec<u8>]) -> Result<(), MemberError> {
        let mut chain = self.now().chain.clone();
        for entry in entries {
            chain.accept(entry)?;
        }
        let keyring = unlocked(self.device, &self.keys, &chain)?;
        *self.now.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(Standing { chain, keyring });
        Ok(())
    }

    /// As whom it asks the hub.
    pub(super) fn asker(&self) -> Asker {
        Asker { device: self.device, signing: self.keys.signing(), group: self.now().chain.group() }
    }
}

impl Standing {
    pub(super) fn reading(&self) -> Reading<'_> {
        Reading { chain: &self.chain, keyring: &self.keyring }
    }
}
