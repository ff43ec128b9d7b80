//! A request of a device, signed by it: it says who asks, for what, and when, so that it means nothing elsewhere or later.

use std::time::Duration;

use base64::Engine;
use base64::engine::general_purpose::URL_SAFE_NO_PAD;
use ed25519_dalek::{Signer, SigningKey, VerifyingKey};
use minicbor::{Decoder, Encoder};
use yadori_core::DeviceId;

/// What a device signs begins with this.
const SIGNED: &str = "Yadori request 1";
/// The scheme of the `Authorization` header (RFC 9110, section 11.4).
pub const SCHEME: &str = "Yadori";
/// How far the time of a request may be from the hub's.
pub const WINDOW: Duration = Duration::from_secs(120);

/// What is asked.
#[derive(Clone, Copy, Debug)]
pub struct Request<'a> {
    /// `GET`, `POST`, `PUT`.
    pub method: &'a str,
    /// Path and query, as they stand in the request.
    pub path: &'a str,
    /// The group.
    pub group: [u8; 16],
    /// What is sent with it.
    pub body: &'a [u8],
}

/// Who asked, when, and the signature of that.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Signature {
    /// The device.
    pub device: DeviceId,
    /// The hub's time, in seconds since the Unix epoch.
    pub time: u64,
    /// 16 random bytes: no two requests are the same.
    pub nonce: [u8; 16],
    /// Ed25519.
    signature: [u8; 64],
}

/// Why a request is not believed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum RequestError {
    /// There is no signature, or it is built in another way.
    #[error("the request is not signed as a device signs")]
    Malformed,
    /// It was made long ago, or by another clock.
    #[error("the request was made at another time than the hub's")]
    Time,
    /// Another key, or another request.
    #[error("the request was not signed by its device as it is")]
    Signature,
}

fn signed(request: &Request<'_>, device: DeviceId, time: u64, nonce: &[u8; 16]) -> Vec<u8> {
    let mut encoder = Encoder::new(Vec::with_capacity(200));
    let body = blake3::hash(request.body);
    let written = encoder.array(8).and_then(|all| {
        all.str(SIGNED)?
            .str(request.method)?
            .str(request.path)?
            .bytes(&request.group)?
            .bytes(&device.0)?
            .u64(time)?
            .bytes(nonce)?
            .bytes(body.as_bytes())
    });
    debug_assert!(written.is_ok());
    encoder.into_writer()
}

impl Request<'_> {
    /// Signs it. `time`: the hub's, in seconds since the Unix epoch. `nonce`: 16 random bytes.
    pub fn sign(&self, device: DeviceId, by: &SigningKey, time: u64, nonce: [u8; 16]) -> Signature {
        let signature = by.sign(&signed(self, device, time, &nonce)).to_bytes();
        Signature { device, time, nonce, signature }
    }

    /// Whether the device with this key signed it, at about this time (in seconds since the Unix epoch).
    ///
    /// # Errors
    /// It is not to be answered then.
    pub fn verify(&self, by: &Signature, key: &VerifyingKey, now: u64) -> Result<(), RequestError> {
        self.claim(by, key, now)?.holds().then_some(()).ok_or(RequestError::Signature)
    }

    /// What is to be verified of it: that the device with this key signed it. The time (in seconds since the Unix epoch) is
    /// looked at here.
    ///
    /// # Errors
    /// It was made at another time.
    pub fn claim(&self, by: &Signature, key: &VerifyingKey, now: u64) -> Result<Claim, RequestError> {
        if by.time.abs_diff(now) > WINDOW.as_secs() {
            return Err(RequestError::Time);
        }
        let signature = ed25519_dalek::Signature::from_bytes(&by.signature);
        Ok(Claim { said: signed(self, by.device, by.time, &by.nonce), signature, key: *key })
    }
}

/// That a device signed a request.
#[derive(Clone, Debug)]
pub struct Claim {
    said: Vec<u8>,
    signature: ed25519_dalek::Signature,
    key: VerifyingKey,
}

impl Claim {
    /// Whether it did (RFC 8032, section 5.1.7, without points of small order).
    pub fn holds(&self) -> bool {
        self.key.verify_strict(&self.said, &self.signature).is_ok()
    }

    /// Which of these hold. Several are looked at as one sum, which is less work; only where that does not come out, each alone.
    ///
    /// Whoever has a key can make a signature with it that holds among others and not alone; whoever has none can't make one
    /// that holds: for a request, which says something once, that is enough.
    pub fn which_hold(all: &[Self]) -> Vec<bool> {
        if all.len() > 1 {
            let said: Vec<&[u8]> = all.iter().map(|claim| &claim.said[..]).collect();
            let signatures: Vec<_> = all.iter().map(|claim| claim.signature).collect();
            let keys: Vec<_> = all.iter().map(|claim| claim.key).collect();
            // A weak key would sign anything.
            let weak = keys.iter().any(VerifyingKey::is_weak);
            if !weak && ed25519_dalek::verify_batch(&said, &signatures, &keys).is_ok() {
                return vec![true; all.len()];
            }
        }
        all.iter().map(Self::holds).collect()
    }
}

impl Signature {
    /// As it stands in the `Authorization` header: the scheme, and CBOR in base64url without padding (RFC 4648, section 5).
    pub fn to_header(&self) -> String {
        let mut encoder = Encoder::new(Vec::with_capacity(128));
        let written = encoder.array(4).and_then(|all| {
            all.bytes(&self.device.0)?.u64(self.time)?.bytes(&self.nonce)?.bytes(&self.signature)
        });
        debug_assert!(written.is_ok());
        format!("{SCHEME} {}", URL_SAFE_NO_PAD.encode(encoder.into_writer()))
    }

    /// Reads what [`Signature::to_header`] wrote.
    ///
    /// # Errors
    /// For anything else.
    pub fn from_header(header: &str) -> Result<Self, RequestError> {
        let read = || -> Option<Self> {
            let (scheme, text) = header.split_once(' ')?;
            let bytes =
                (scheme == SCHEME && text.len() < 400).then(|| URL_SAFE_NO_PAD.decode(text).ok())??;
            let mut decoder = Decoder::new(&bytes);
            if decoder.array().ok()? != Some(4) {
                return None;
            }
            let device = DeviceId(decoder.bytes().ok()?.try_into().ok()?);
            let time = decoder.u64().ok()?;
            let nonce = decoder.bytes().ok()?.try_into().ok()?;
            let signature = decoder.bytes().ok()?.try_into().ok()?;
            Some(Self { device, time, nonce, signature }).filter(|_| decoder.position() == bytes.len())
        };
        read().ok_or(RequestError::Malformed)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    const NOW: u64 = 1_900_000_000;
    const DEVICE: DeviceId = DeviceId([4; 16]);

    fn key() -> SigningKey {
        SigningKey::from_bytes(&[9; 32])
    }

    #[test]
    fn a_request_is_believed_as_it_was_signed_at_its_time_and_in_no_other_way() {
        let request = Request { method: "POST", path: "/v1/a?b=1", group: [1; 16], body: b"oats" };
        let by = request.sign(DEVICE, &key(), NOW, [7; 16]);
        let by = Signature::from_header(&by.to_header()).unwrap();
        let public = key().verifying_key();
        assert_eq!(request.verify(&by, &public, NOW + 120), Ok(()));
        assert_eq!(request.verify(&by, &public, NOW + 121), Err(RequestError::Time));
        assert_eq!(request.verify(&by, &public, NOW - 121), Err(RequestError::Time));
        for other in [
            Request { method: "PUT", ..request },
            Request { path: "/v1/a?b=2", ..request },
            Request { group: [2; 16], ..request },
            Request { body: b"oat", ..request },
        ] {
            assert_eq!(other.verify(&by, &public, NOW), Err(RequestError::Signature), "{other:?}");
        }
        for other in [
            Signature { device: DeviceId([5; 16]), ..by },
            Signature { time: NOW + 1, ..by },
            Signature { nonce: [8; 16], ..by },
        ] {
            assert_eq!(request.verify(&other, &public, NOW), Err(RequestError::Signature));
        }
        let stranger = SigningKey::from_bytes(&[8; 32]).verifying_key();
        assert_eq!(request.verify(&by, &stranger, NOW), Err(RequestError::Signature));
    }

    proptest! {
        #[test]
        fn of_several_the_same_hold_as_of_each_alone(
            all in proptest::collection::vec((0..4_u8, 0..6_u8), 0..20),
        ) {
            let claims: Vec<Claim> = all
                .iter()
                .enumerate()
                .map(|(n, (device, wrong))| {
                    let key = SigningKey::from_bytes(&[*device; 32]);
                    let body = n.to_be_bytes();
                    let request = Request { method: "POST", path: "/v1", group: [1; 16], body: &body };
                    let mut by = request.sign(DEVICE, &key, NOW, [7; 16]);
                    let mut public = key.verifying_key();
                    match wrong {
                        0 => by.signature[n % 64] ^= 1,
                        1 => public = SigningKey::from_bytes(&[*device + 1; 32]).verifying_key(),
                        // A key that would sign anything: the neutral point (RFC 8032, section 5.1.2).
                        2 => public = VerifyingKey::from_bytes(&{
                            let mut one = [0; 32];
                            one[0] = 1;
                            one
                        }).unwrap(),
                        _ => {}
                    }
                    request.claim(&by, &public, NOW).unwrap()
                })
                .collect();
            let alone: Vec<bool> = all.iter().map(|(_, wrong)| *wrong > 2).collect();
            prop_assert_eq!(Claim::which_hold(&claims), alone);
        }

        #[test]
        fn whatever_stands_in_the_header_is_read_or_refused(text in "(Yadori )?[A-Za-z0-9_-]{0,300}") {
            if let Ok(by) = Signature::from_header(&text) {
                prop_assert_eq!(Signature::from_header(&by.to_header()), Ok(by));
            }
        }
    }
}
