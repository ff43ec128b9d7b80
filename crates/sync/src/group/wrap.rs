//! Wrapping the keys of an epoch to a member: HPKE (RFC 9180) in its base mode, with DHKEM(X25519, HKDF-SHA256),
//! HKDF-SHA256 and ChaCha20Poly1305.

use std::fmt;

use hpke::aead::ChaCha20Poly1305;
use hpke::kdf::HkdfSha256;
use hpke::kem::X25519HkdfSha256;
use hpke::rand_core::CryptoRng;
use hpke::{
    Deserializable, Kem, OpModeR, OpModeS, Serializable, single_shot_open, single_shot_seal_with_rng,
};
use minicbor::Encoder;
use zeroize::{Zeroize, ZeroizeOnDrop, Zeroizing};

use crate::keys::{EpochKey, NamingKey};

/// Bytes of an encapsulated key.
pub(super) const ENCAPSULATED: usize = 32;
/// The context of a wrapping begins with this.
const WRAPPED: &str = "Yadori epoch key 1";

/// The public key to which keys are wrapped (X25519).
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct WrapTo(pub [u8; 32]);

/// Its secret half: of a device, or of the recovery key.
#[derive(Clone, Zeroize, ZeroizeOnDrop)]
pub struct WrapSecret(pub [u8; 32]);

impl fmt::Debug for WrapSecret {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("WrapSecret(…)")
    }
}

impl WrapSecret {
    /// A secret of 32 random bytes, and its public half (RFC 9180, DeriveKeyPair).
    pub fn derive(random: &[u8; 32]) -> (Self, WrapTo) {
        let (secret, public) = X25519HkdfSha256::derive_keypair(random);
        (Self(secret.to_bytes().into()), WrapTo(public.to_bytes().into()))
    }
}

/// For whom, and in which entry. `device` is empty for the recovery key.
pub(super) fn context(group: &[u8; 16], number: u64, parent: &[u8; 32], device: &[u8]) -> Vec<u8> {
    let mut encoder = Encoder::new(Vec::with_capacity(128));
    let written = encoder
        .array(5)
        .and_then(|all| all.str(WRAPPED)?.bytes(group)?.u64(number)?.bytes(parent)?.bytes(device));
    debug_assert!(written.is_ok());
    encoder.into_writer()
}

/// Wraps both keys: the encapsulated key, and what is sealed. `None` for a public key that is none.
pub(super) fn wrap(
    to: WrapTo,
    epoch: &EpochKey,
    naming: &NamingKey,
    context: &[u8],
    random: &mut impl CryptoRng,
) -> Option<([u8; ENCAPSULATED], Vec<u8>)> {
    let to = <X25519HkdfSha256 as Kem>::PublicKey::from_bytes(&to.0).ok()?;
    let keys = Zeroizing::new([epoch.0, naming.0].concat());
    let (encapsulated, sealed) = single_shot_seal_with_rng::<ChaCha20Poly1305, HkdfSha256, X25519HkdfSha256>(
        &OpModeS::Base,
        &to,
        context,
        &keys,
        &[],
        random,
    )
    .ok()?;
    Some((encapsulated.to_bytes().into(), sealed))
}

/// Unwraps them. `None` when they were not wrapped to this secret in this context.
pub(super) fn unwrap(
    secret: &WrapSecret,
    encapsulated: &[u8; ENCAPSULATED],
    sealed: &[u8],
    context: &[u8],
) -> Option<(EpochKey, NamingKey)> {
    let secret = <X25519HkdfSha256 as Kem>::PrivateKey::from_bytes(&secret.0).ok()?;
    let encapsulated = <X25519HkdfSha256 as Kem>::EncappedKey::from_bytes(encapsulated).ok()?;
    let opened = single_shot_open::<ChaCha20Poly1305, HkdfSha256, X25519HkdfSha256>(
        &OpModeR::Base,
        &secret,
        &encapsulated,
        context,
        sealed,
        &[],
    );
    let keys = Zeroizing::new(opened.ok()?);
    let (epoch, naming) = keys.split_first_chunk::<32>()?;
    Some((EpochKey(*epoch), NamingKey(naming.try_into().ok()?)))
}
