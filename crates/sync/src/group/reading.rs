//! Records are opened by what the chain and the keys of a device say.

use ed25519_dalek::VerifyingKey;
use yadori_core::DeviceId;

use super::chain::{Chain, Keyring};
use crate::keys::EpochKey;
use crate::record::Opener;

/// A chain and the keys that a device has.
#[derive(Clone, Copy, Debug)]
pub struct Reading<'a> {
    /// The chain.
    pub chain: &'a Chain,
    /// The keys.
    pub keyring: &'a Keyring,
}

impl Opener for Reading<'_> {
    fn group(&self) -> [u8; 16] {
        self.chain.group()
    }

    fn member(&self, device: DeviceId, epoch: u64) -> Option<VerifyingKey> {
        self.chain.member(device, epoch)
    }

    fn epoch(&self, epoch: u64) -> Option<EpochKey> {
        self.keyring.epochs.get(&epoch).cloned()
    }
}
