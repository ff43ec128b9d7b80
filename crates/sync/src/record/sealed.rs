//! Sealing and opening.

use chacha20poly1305::aead::{Aead, KeyInit, Payload};
use chacha20poly1305::{XChaCha20Poly1305, XNonce};
use ed25519_dalek::{Signature, Signer, SigningKey, VerifyingKey};
use minicbor::{Decoder, Encoder};
use yadori_core::DeviceId;
use zeroize::Zeroizing;

use super::header::{Header, VERSION};
use super::pad::{pad, unpad};
use crate::keys::EpochKey;

/// What a device signs begins with this, so that no signature means anything elsewhere.
const SIGNED: &str = "Yadori record 1";
/// The longest record that is read.
pub const LONGEST: usize = 1 << 20;

/// A record as it travels: bytes that anyone may carry.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Sealed(pub Vec<u8>);

/// Why a record is refused.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum OpenError {
    /// It is not built as a record is.
    #[error("it is no record: {0}")]
    Malformed(&'static str),
    /// It was made by a newer program.
    #[error("it has version {0}, and this program reads version 1; bring this device up to date")]
    Version(u64),
    /// It belongs to another group.
    #[error("it belongs to another group")]
    Foreign,
    /// Nobody of this name belonged to the group in its epoch.
    #[error("its device did not belong to the group in epoch {0}")]
    Stranger(u64),
    /// It was not signed by its device, or was changed since.
    #[error("its device did not sign it as it is")]
    Signature,
    /// The key of its epoch is not known here.
    #[error("the key of its epoch ({0}) is not known here")]
    Epoch(u64),
    /// It was not sealed with the key of its epoch.
    #[error("it was not sealed with the key of its epoch")]
    Seal,
}

/// Why nothing was sealed: the content has 4 GiB or more, or the record would be longer than may be.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
#[error("it is too large for a record")]
pub struct TooLarge;

fn signed(header: &[u8], nonce: &[u8], sealed: &[u8]) -> Vec<u8> {
    let mut encoder = Encoder::new(Vec::with_capacity(header.len() + sealed.len() + 64));
    let written =
        encoder.array(4).and_then(|all| all.str(SIGNED)?.bytes(header)?.bytes(nonce)?.bytes(sealed));
    debug_assert!(written.is_ok());
    encoder.into_writer()
}

/// Seals a content. `nonce`: 24 random bytes, never used before.
///
/// # Errors
/// When it is too large.
pub fn seal(
    header: &Header,
    content: &[u8],
    key: &EpochKey,
    device: &SigningKey,
    nonce: [u8; 24],
) -> Result<Sealed, TooLarge> {
    let named = header.to_bytes();
    let padded = pad(content).ok_or(TooLarge)?;
    let cipher = XChaCha20Poly1305::new(&key.records().into());
    let payload = Payload { msg: &padded, aad: &named };
    let inside = cipher.encrypt(&XNonce::from(nonce), payload).map_err(|_| TooLarge)?;
    let signature = device.sign(&signed(&named, &nonce, &inside));
    let mut encoder = Encoder::new(Vec::with_capacity(named.len() + inside.len() + 128));
    let written = encoder
        .array(4)
        .and_then(|all| all.bytes(&named)?.bytes(&nonce)?.bytes(&inside)?.bytes(&signature.to_bytes()));
    debug_assert!(written.is_ok());
    let record = encoder.into_writer();
    if record.len() > LONGEST { Err(TooLarge) } else { Ok(Sealed(record)) }
}

/// What is needed to open records.
pub trait Opener {
    /// The group whose records are read.
    fn group(&self) -> [u8; 16];
    /// The key by which a device that belonged to the group in an epoch signs.
    fn member(&self, device: DeviceId, epoch: u64) -> Option<VerifyingKey>;
    /// The key of an epoch.
    fn epoch(&self, epoch: u64) -> Option<EpochKey>;
}

impl Sealed {
    /// The header, without a look at whether it is true: for whoever carries records.
    ///
    /// # Errors
    /// When it is not built as a record is.
    pub fn header(&self) -> Result<Header, OpenError> {
        header_of(&self.0)
    }

    /// Opens it: the header that is true now, and what is inside.
    ///
    /// # Errors
    /// Nothing of it may be believed then.
    pub fn open(&self, by: &impl Opener) -> Result<(Header, Zeroizing<Vec<u8>>), OpenError> {
        let (header, named, nonce, inside, signature) = parts(&self.0)?;
        if header.group != by.group() {
            return Err(OpenError::Foreign);
        }
        let member = by.member(header.device, header.epoch).ok_or(OpenError::Stranger(header.epoch))?;
        member
            .verify_strict(&signed(named, &nonce, inside), &Signature::from_bytes(&signature))
            .map_err(|_| OpenError::Signature)?;
        let key = by.epoch(header.epoch).ok_or(OpenError::Epoch(header.epoch))?;
        let cipher = XChaCha20Poly1305::new(&key.records().into());
        let payload = Payload { msg: inside, aad: named };
        let padded = cipher.decrypt(&XNonce::from(nonce), payload).map_err(|_| OpenError::Seal)?;
        let padded = Zeroizing::new(padded);
        let content = unpad(&padded).ok_or(OpenError::Malformed("it is padded in another way"))?;
        debug_assert_eq!(named[1], VERSION);
        Ok((header, Zeroizing::new(content.to_vec())))
    }
}

/// The header of a record as it came, not yet known to be true: for whoever carries records.
///
/// # Errors
/// When it is not built as a record is.
pub fn header_of(record: &[u8]) -> Result<Header, OpenError> {
    Ok(parts(record)?.0)
}

#[allow(clippy::type_complexity)]
fn parts(record: &[u8]) -> Result<(Header, &[u8], [u8; 24], &[u8], [u8; 64]), OpenError> {
    if record.len() > LONGEST {
        return Err(OpenError::Malformed("it is too long"));
    }
    let read = |_| OpenError::Malformed("it has other parts");
    let mut decoder = Decoder::new(record);
    if decoder.array().map_err(read)? != Some(4) {
        return Err(OpenError::Malformed("it has other parts"));
    }
    let named = decoder.bytes().map_err(read)?;
    let nonce = decoder.bytes().map_err(read)?.try_into();
    let inside = decoder.bytes().map_err(read)?;
    let signature = decoder.bytes().map_err(read)?.try_into();
    let (Ok(nonce), Ok(signature)) = (nonce, signature) else {
        return Err(OpenError::Malformed("a part has another length"));
    };
    if decoder.position() != record.len() {
        return Err(OpenError::Malformed("something stands behind it"));
    }
    let header = Header::from_bytes(named).map_err(|version| match version {
        Some(version) => OpenError::Version(version),
        None => OpenError::Malformed("its header is spelled in another way"),
    })?;
    Ok((header, named, nonce, inside, signature))
}

#[cfg(test)]
mod tests;
