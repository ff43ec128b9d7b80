//! One entry of the chain, and its one spelling.

use ed25519_dalek::VerifyingKey;
use minicbor::{Decoder, Encoder};
use yadori_core::DeviceId;

use super::wrap::{ENCAPSULATED, WrapTo};

/// The version of this layout.
const VERSION: u64 = 1;
/// What an author signs begins with this.
const SIGNED: &str = "Yadori membership 1";
/// Parts of what is signed.
const PARTS: u64 = 9;
/// Devices of a group at most.
pub(super) const MOST: usize = 64;
/// The longest entry that is read.
pub(super) const LONGEST: usize = 64 << 10;

/// As which device the recovery phrase speaks.
pub const RECOVERY: DeviceId = DeviceId([0; 16]);

/// A device that belongs to the group.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Member {
    /// Which.
    pub device: DeviceId,
    /// The key by which it signs.
    pub signs: VerifyingKey,
    /// The key to which keys are wrapped for it.
    pub wraps: WrapTo,
}

/// The keys of an epoch, wrapped to someone.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Wrapped {
    pub(super) encapsulated: [u8; ENCAPSULATED],
    pub(super) sealed: Vec<u8>,
}

/// An entry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Entry {
    pub(super) group: [u8; 16],
    /// Counts the epochs, from 1.
    pub(super) number: u64,
    /// The hash of the entry before it; zeros before the first.
    pub(super) parent: [u8; 32],
    pub(super) author: DeviceId,
    /// By their ids, ascending.
    pub(super) members: Vec<Member>,
    pub(super) recovery: Member,
    /// One a member, in their order, and one for the recovery key.
    pub(super) wrapped: Vec<Wrapped>,
    /// The key of the epoch before, sealed with the key of this one: nonce and all. Empty in the first.
    pub(super) before: Vec<u8>,
}

/// Why bytes are no entry.
#[derive(Debug)]
pub(super) enum NoEntry {
    Malformed,
    Version(u64),
}

impl From<minicbor::decode::Error> for NoEntry {
    fn from(_: minicbor::decode::Error) -> Self {
        Self::Malformed
    }
}

fn exactly<const N: usize>(bytes: &[u8]) -> Result<[u8; N], NoEntry> {
    bytes.try_into().map_err(|_| NoEntry::Malformed)
}

fn verifying(bytes: &[u8]) -> Result<VerifyingKey, NoEntry> {
    VerifyingKey::from_bytes(&exactly(bytes)?).map_err(|_| NoEntry::Malformed)
}

/// A list of so many at most.
fn list(decoder: &mut Decoder<'_>, most: usize) -> Result<usize, NoEntry> {
    let count = decoder.array()?.and_then(|count| usize::try_from(count).ok());
    count.filter(|count| *count <= most).ok_or(NoEntry::Malformed)
}

impl Entry {
    pub(super) fn to_bytes(&self) -> Vec<u8> {
        let mut encoder = Encoder::new(Vec::new());
        let written = (|| {
            encoder.array(PARTS)?.u64(VERSION)?.bytes(&self.group)?.u64(self.number)?;
            encoder.bytes(&self.parent)?.bytes(&self.author.0)?;
            encoder.array(self.members.len() as u64)?;
            for member in &self.members {
                encoder.array(3)?.bytes(&member.device.0)?;
                encoder.bytes(member.signs.as_bytes())?.bytes(&member.wraps.0)?;
            }
            encoder.array(2)?.bytes(self.recovery.signs.as_bytes())?.bytes(&self.recovery.wraps.0)?;
            encoder.array(self.wrapped.len() as u64)?;
            for one in &self.wrapped {
                encoder.array(2)?.bytes(&one.encapsulated)?.bytes(&one.sealed)?;
            }
            encoder.bytes(&self.before)?.ok()
        })();
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// Reads what [`Entry::to_bytes`] wrote, in that one spelling.
    pub(super) fn from_bytes(bytes: &[u8]) -> Result<Self, NoEntry> {
        let mut decoder = Decoder::new(bytes);
        let parts = decoder.array()?;
        let version = decoder.u64()?;
        if version != VERSION {
            return Err(NoEntry::Version(version));
        }
        if parts != Some(PARTS) {
            return Err(NoEntry::Malformed);
        }
        let (group, number) = (exactly(decoder.bytes()?)?, decoder.u64()?);
        let (parent, author) = (exactly(decoder.bytes()?)?, DeviceId(exactly(decoder.bytes()?)?));
        let mut members = Vec::new();
        for _ in 0..list(&mut decoder, MOST)? {
            if list(&mut decoder, 3)? != 3 {
                return Err(NoEntry::Malformed);
            }
            let device = DeviceId(exactly(decoder.bytes()?)?);
            let signs = verifying(decoder.bytes()?)?;
            members.push(Member { device, signs, wraps: WrapTo(exactly(decoder.bytes()?)?) });
        }
        if list(&mut decoder, 2)? != 2 {
            return Err(NoEntry::Malformed);
        }
        let signs = verifying(decoder.bytes()?)?;
        let recovery = Member { device: RECOVERY, signs, wraps: WrapTo(exactly(decoder.bytes()?)?) };
        let mut wrapped = Vec::new();
        for _ in 0..list(&mut decoder, MOST + 1)? {
            if list(&mut decoder, 2)? != 2 {
                return Err(NoEntry::Malformed);
            }
            let encapsulated = exactly(decoder.bytes()?)?;
            wrapped.push(Wrapped { encapsulated, sealed: decoder.bytes()?.to_vec() });
        }
        let before = decoder.bytes()?.to_vec();
        let entry = Self { group, number, parent, author, members, recovery, wrapped, before };
        if entry.to_bytes() == bytes { Ok(entry) } else { Err(NoEntry::Malformed) }
    }

    pub(super) fn member(&self, device: DeviceId) -> Option<&Member> {
        self.members.iter().filter(|member| member.device != RECOVERY).find(|member| member.device == device)
    }
}

/// What is signed of a body.
pub(super) fn signed(body: &[u8]) -> Vec<u8> {
    let mut encoder = Encoder::new(Vec::with_capacity(body.len() + 32));
    let written = encoder.array(2).and_then(|all| all.str(SIGNED)?.bytes(body));
    debug_assert!(written.is_ok());
    encoder.into_writer()
}

/// A body and its signature, as they travel.
pub(super) fn together(body: &[u8], signature: &[u8; 64]) -> Vec<u8> {
    let mut encoder = Encoder::new(Vec::with_capacity(body.len() + 80));
    let written = encoder.array(2).and_then(|all| all.bytes(body)?.bytes(signature));
    debug_assert!(written.is_ok());
    encoder.into_writer()
}

/// The two apart.
pub(super) fn apart(bytes: &[u8]) -> Result<(&[u8], [u8; 64]), NoEntry> {
    if bytes.len() > LONGEST {
        return Err(NoEntry::Malformed);
    }
    let mut decoder = Decoder::new(bytes);
    if list(&mut decoder, 2)? != 2 {
        return Err(NoEntry::Malformed);
    }
    let (body, signature) = (decoder.bytes()?, exactly(decoder.bytes()?)?);
    if together(body, &signature) == bytes { Ok((body, signature)) } else { Err(NoEntry::Malformed) }
}
