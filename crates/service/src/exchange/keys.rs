//! What makes this device a member of a group, in one file of its own (0600): the secret keys never leave it.

use std::io;
use std::path::{Path, PathBuf};

use ed25519_dalek::SigningKey;
use serde::{Deserialize, Serialize};
use yadori_core::DeviceId;
use yadori_sync::group::{Member, WrapSecret};
use zeroize::{Zeroize, ZeroizeOnDrop};

use crate::home::place::write_private;
use crate::home::random::{NoRandomness, random};

/// The keys of this device, and where its group is.
#[derive(Clone, Serialize, Deserialize, Zeroize, ZeroizeOnDrop)]
pub(super) struct Keys {
    /// Where the hub answers, such as `http://127.0.0.1:8930`.
    #[zeroize(skip)]
    pub(super) hub: String,
    /// The group, in hexadecimal.
    #[zeroize(skip)]
    pub(super) group: String,
    /// What its owner calls this device.
    #[zeroize(skip)]
    pub(super) name: String,
    /// The hash of the first entry of the chain, in hexadecimal: who shows another chain is not believed.
    #[zeroize(skip)]
    pub(super) first: String,
    /// The key by which it signs, in hexadecimal.
    signing: String,
    /// What its wrapping key is derived from, in hexadecimal.
    wrapping: String,
}

impl std::fmt::Debug for Keys {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Keys(of group {})", self.group)
    }
}

fn file(data: &Path) -> PathBuf {
    data.join("group.json")
}

impl Keys {
    /// New ones, for a group that is not known yet.
    ///
    /// # Errors
    /// When the system gives no random bytes.
    pub(super) fn new(hub: String, name: String) -> Result<Self, NoRandomness> {
        Ok(Self {
            hub,
            group: String::new(),
            name,
            first: String::new(),
            signing: hex::encode(random::<32>()?),
            wrapping: hex::encode(random::<32>()?),
        })
    }

    /// Those that are kept. `None`: this device belongs to no group.
    ///
    /// # Errors
    /// The file is there and can't be read.
    pub(super) fn load(data: &Path) -> io::Result<Option<Self>> {
        match std::fs::read(file(data)) {
            Ok(bytes) => {
                let keys: Self = serde_json::from_slice(&bytes).map_err(io::Error::other)?;
                let whole =
                    [keys.signing.len(), keys.wrapping.len()] == [64, 64] && keys.group_id().is_some();
                if whole { Ok(Some(keys)) } else { Err(io::Error::other("the file is not whole")) }
            }
            Err(why) if why.kind() == io::ErrorKind::NotFound => Ok(None),
            Err(why) => Err(why),
        }
    }

    /// Keeps them.
    ///
    /// # Errors
    /// They are not kept then.
    pub(super) fn save(&self, data: &Path) -> io::Result<()> {
        let bytes = zeroize::Zeroizing::new(serde_json::to_vec(self).map_err(io::Error::other)?);
        write_private(&file(data), &bytes)
    }

    /// Lets go of them.
    ///
    /// # Errors
    /// They are still there then.
    pub(super) fn forget(data: &Path) -> io::Result<()> {
        match std::fs::remove_file(file(data)) {
            Err(why) if why.kind() != io::ErrorKind::NotFound => Err(why),
            _ => Ok(()),
        }
    }

    /// The group.
    pub(super) fn group_id(&self) -> Option<[u8; 16]> {
        hex::decode(&self.group).ok()?.try_into().ok()
    }

    /// The key by which this device signs.
    pub(super) fn signing(&self) -> SigningKey {
        let mut bytes = [0; 32];
        // It was checked as it was read.
        let _ = hex::decode_to_slice(&self.signing, &mut bytes);
        SigningKey::from_bytes(&bytes)
    }

    /// The secret to which keys are wrapped, and its public half.
    pub(super) fn wrapping(&self) -> (WrapSecret, yadori_sync::group::WrapTo) {
        let mut bytes = zeroize::Zeroizing::new([0; 32]);
        let _ = hex::decode_to_slice(&self.wrapping, &mut *bytes);
        WrapSecret::derive(&bytes)
    }

    /// This device, as the chain names it.
    pub(super) fn member(&self, device: DeviceId) -> Member {
        Member { device, signs: self.signing().verifying_key(), wraps: self.wrapping().1 }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_are_read_back_as_they_were_kept_and_half_a_file_is_none() {
        let dir = tempfile::tempdir().unwrap();
        assert!(Keys::load(dir.path()).unwrap().is_none());
        let mut keys = Keys::new("http://127.0.0.1:1".into(), "Hut".into()).unwrap();
        keys.group = "07".repeat(16);
        keys.save(dir.path()).unwrap();
        let device = DeviceId([1; 16]);
        let again = Keys::load(dir.path()).unwrap().unwrap();
        assert_eq!(again.member(device), keys.member(device));
        assert!(!format!("{keys:?}").contains(&keys.signing));
        std::fs::write(file(dir.path()), b"{\"hub\": \"http").unwrap();
        assert!(Keys::load(dir.path()).is_err());
        Keys::forget(dir.path()).unwrap();
        Keys::forget(dir.path()).unwrap();
        assert!(Keys::load(dir.path()).unwrap().is_none());
    }
}
