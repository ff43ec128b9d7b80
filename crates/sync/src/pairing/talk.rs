//! The talk of two devices that share a code: SPAKE2 (RFC 9382, P256-SHA256-HKDF-SHA256-HMAC-SHA256) with both
//! confirmations, then messages that are sealed in each direction. Each step uses up the one before it: a code that was
//! wrong once has been tried. The guest sends its share, the host its own and a confirmation, the guest its confirmation.

use chacha20poly1305::aead::{Aead, KeyInit, Payload};
use chacha20poly1305::{XChaCha20Poly1305, XNonce};
use hpke::rand_core::CryptoRng;
use minicbor::{Decoder, Encoder};
use pakery_core::crypto::CpaceGroup;
use pakery_crypto::{P256Group, Spake2P256};
use pakery_spake2::{PartyA, PartyAState, PartyB, Spake2Output};
use zeroize::{Zeroize, ZeroizeOnDrop, Zeroizing};

use super::code::Code;

/// The context of the number that a code becomes.
const PASSWORD: &str = "Yadori 2026-11 pairing code";
/// The context of the keys of the channel, from the one that it is for.
const TO_GUEST: &str = "Yadori 2026-11 pairing host to guest";
const TO_HOST: &str = "Yadori 2026-11 pairing guest to host";
/// What both must have named alike begins with this.
const TERMS: &str = "Yadori pairing 1";
const HOST: &[u8] = b"host";
const GUEST: &[u8] = b"guest";
/// The longest message.
const LONGEST: usize = 256 << 10;

/// What both devices must have seen alike, or no channel comes about: so whoever stands between them and the hub is found
/// out.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Terms {
    /// The hash of the hub's certificate; zeros on loopback, where there is none.
    pub certificate: [u8; 32],
}

/// Why no channel came about, or a message is not believed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PairingError {
    /// The other side's message is not built as it must be.
    #[error("the other device said something that can't be read; begin anew on both")]
    Malformed,
    /// The codes differ, or the two see another hub.
    #[error(
        "the code is not the one on the other device, or the two reach different hubs; ask for a new code and begin anew"
    )]
    Refused,
    /// A message of the channel was changed, repeated or out of its order.
    #[error("a message of the other device was changed on its way; begin anew on both")]
    Changed,
    /// There is too much to say.
    #[error("the message is too long")]
    TooLong,
}

type Number = <P256Group as CpaceGroup>::Scalar;

/// The number that a code is: never zero in practice, and spread over all numbers of the group.
fn number_of(code: &Code) -> Result<Number, PairingError> {
    let mut wide = Zeroizing::new([0; 64]);
    blake3::Hasher::new_derive_key(PASSWORD).update(code.secret()).finalize_xof().fill(&mut wide[..]);
    P256Group::scalar_from_wide_bytes(&wide[..]).map_err(|_| PairingError::Malformed)
}

fn terms_of(code: &Code, terms: &Terms) -> Vec<u8> {
    let mut encoder = Encoder::new(Vec::with_capacity(64));
    let written = encoder.array(3).and_then(|all| all.str(TERMS)?.u32(code.place)?.bytes(&terms.certificate));
    debug_assert!(written.is_ok());
    encoder.into_writer()
}

/// The device that showed the code: it belongs to the group.
pub struct Host(Code, Terms);

impl std::fmt::Debug for Host {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str("Host(…)")
    }
}

/// The host, once it has answered.
pub struct HostAnswered(Spake2Output);

/// The device on which the code was typed.
pub struct Guest {
    state: PartyAState<Spake2P256>,
}

impl Host {
    /// A host that waits for its guest.
    pub fn new(code: Code, terms: Terms) -> Self {
        Self(code, terms)
    }

    /// Hears the guest's share. Gives what to answer. The code has been tried then.
    ///
    /// # Errors
    /// When it is no share.
    pub fn answer(
        self,
        share: &[u8],
        random: &mut impl CryptoRng,
    ) -> Result<(HostAnswered, Vec<u8>), PairingError> {
        let Self(code, terms) = self;
        let aad = terms_of(&code, &terms);
        let wrong = |_| PairingError::Malformed;
        let (own, state) =
            PartyB::<Spake2P256>::start(&number_of(&code)?, GUEST, HOST, &aad, random).map_err(wrong)?;
        let output = state.finish(share).map_err(wrong)?;
        let mut encoder = Encoder::new(Vec::with_capacity(80));
        let written =
            encoder.array(2).and_then(|all| all.bytes(&own)?.bytes(output.confirmation_mac.as_slice()));
        debug_assert!(written.is_ok());
        Ok((HostAnswered(output), encoder.into_writer()))
    }
}

impl HostAnswered {
    /// Hears the guest's confirmation: the channel stands.
    ///
    /// # Errors
    /// When the guest had another code, or sees another hub.
    pub fn confirm(self, confirmation: &[u8]) -> Result<Channel, PairingError> {
        self.0.verify_peer_confirmation(confirmation).map_err(|_| PairingError::Refused)?;
        let key = self.0.session_key.as_bytes();
        Ok(Channel::new(blake3::derive_key(TO_GUEST, key), blake3::derive_key(TO_HOST, key)))
    }
}

impl Guest {
    /// A guest, and its share.
    ///
    /// # Errors
    /// None that a code can bring about.
    pub fn begin(
        code: &Code,
        terms: &Terms,
        random: &mut impl CryptoRng,
    ) -> Result<(Self, Vec<u8>), PairingError> {
        let aad = terms_of(code, terms);
        let (share, state) = PartyA::<Spake2P256>::start(&number_of(code)?, GUEST, HOST, &aad, random)
            .map_err(|_| PairingError::Malformed)?;
        Ok((Self { state }, share))
    }

    /// Hears the host's answer. Gives the channel, and the confirmation that the host waits for.
    ///
    /// # Errors
    /// When the host has another code, or sees another hub.
    pub fn hear(self, answer: &[u8]) -> Result<(Channel, Vec<u8>), PairingError> {
        let wrong = |_| PairingError::Malformed;
        let mut decoder = Decoder::new(answer);
        if decoder.array().map_err(wrong)? != Some(2) {
            return Err(PairingError::Malformed);
        }
        let (share, confirmation) = (decoder.bytes().map_err(wrong)?, decoder.bytes().map_err(wrong)?);
        if decoder.position() != answer.len() {
            return Err(PairingError::Malformed);
        }
        let output = self.state.finish(share).map_err(|_| PairingError::Malformed)?;
        output.verify_peer_confirmation(confirmation).map_err(|_| PairingError::Refused)?;
        let key = output.session_key.as_bytes();
        let channel = Channel::new(blake3::derive_key(TO_HOST, key), blake3::derive_key(TO_GUEST, key));
        Ok((channel, output.confirmation_mac.as_slice().to_vec()))
    }
}

/// What the two say to each other once they know each other. Messages are counted: each is believed once, in its order.
#[derive(Zeroize, ZeroizeOnDrop)]
pub struct Channel {
    says: [u8; 32],
    hears: [u8; 32],
    said: u64,
    heard: u64,
}

impl std::fmt::Debug for Channel {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Channel({} said, {} heard)", self.said, self.heard)
    }
}

/// The nonce of a message: its number, in the last 8 of 24 bytes.
fn nonce(number: u64) -> XNonce {
    let mut nonce = [0; 24];
    nonce[16..].copy_from_slice(&number.to_be_bytes());
    XNonce::from(nonce)
}

impl Channel {
    fn new(says: [u8; 32], hears: [u8; 32]) -> Self {
        Self { says, hears, said: 0, heard: 0 }
    }

    /// Seals the next message.
    ///
    /// # Errors
    /// When it is too long.
    pub fn say(&mut self, message: &[u8]) -> Result<Vec<u8>, PairingError> {
        if message.len() > LONGEST {
            return Err(PairingError::TooLong);
        }
        let cipher = XChaCha20Poly1305::new(&self.says.into());
        let payload = Payload { msg: message, aad: &[] };
        let sealed = cipher.encrypt(&nonce(self.said), payload).map_err(|_| PairingError::TooLong)?;
        self.said += 1;
        Ok(sealed)
    }

    /// Opens the next message of the other side.
    ///
    /// # Errors
    /// When it is not that.
    pub fn hear(&mut self, sealed: &[u8]) -> Result<Zeroizing<Vec<u8>>, PairingError> {
        let cipher = XChaCha20Poly1305::new(&self.hears.into());
        let payload = Payload { msg: sealed, aad: &[] };
        let message = cipher.decrypt(&nonce(self.heard), payload).map_err(|_| PairingError::Changed)?;
        self.heard += 1;
        Ok(Zeroizing::new(message))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::dice::Dice;
    use proptest::prelude::*;

    const HERE: Terms = Terms { certificate: [5; 32] };

    /// The talk, with what is changed on its way to the host, to the guest, and to the host again.
    fn talked(
        codes: [&Code; 2],
        terms: [Terms; 2],
        on_the_way: impl Fn(usize, Vec<u8>) -> Vec<u8>,
    ) -> Result<(Channel, Channel), PairingError> {
        let mut dice = Dice::of(11);
        let host = Host::new(codes[0].clone(), terms[0]);
        let (guest, share) = Guest::begin(codes[1], &terms[1], &mut dice)?;
        let (host, answer) = host.answer(&on_the_way(0, share), &mut dice)?;
        let (theirs, confirmation) = guest.hear(&on_the_way(1, answer))?;
        Ok((host.confirm(&on_the_way(2, confirmation))?, theirs))
    }

    #[test]
    fn two_with_the_same_code_at_the_same_hub_understand_each_other_and_nobody_else() {
        let code = Code::new(12, [1, 2, 3, 4, 5]);
        let (mut host, mut guest) = talked([&code, &code], [HERE; 2], |_, same| same).unwrap();
        for n in 0..3_u8 {
            let sealed = guest.say(&[n; 9]).unwrap();
            assert_eq!(&host.hear(&sealed).unwrap()[..], [n; 9]);
            assert_eq!(host.hear(&sealed), Err(PairingError::Changed), "once");
            assert_eq!(guest.hear(&sealed), Err(PairingError::Changed), "not back again");
            let sealed = host.say(b"oats").unwrap();
            assert_eq!(&guest.hear(&sealed).unwrap()[..], b"oats");
        }
        assert_eq!(host.say(&vec![0; LONGEST + 1]), Err(PairingError::TooLong));
        // Another code, another place, another certificate: nothing comes about.
        let refused = |other: &Code, terms| talked([&code, other], [HERE, terms], |_, same| same).map(|_| ());
        assert_eq!(refused(&Code::new(12, [1, 2, 3, 4, 6]), HERE), Err(PairingError::Refused));
        assert_eq!(refused(&Code::new(13, [1, 2, 3, 4, 5]), HERE), Err(PairingError::Refused));
        assert_eq!(refused(&code, Terms { certificate: [6; 32] }), Err(PairingError::Refused));
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(48))]
        #[test]
        fn whatever_is_changed_on_the_way_no_channel_comes_about(step in 0usize..3, at: usize, by in 1u8..=255, cut: bool) {
            let code = Code::new(12, [1, 2, 3, 4, 5]);
            let changed = |n: usize, mut bytes: Vec<u8>| {
                if n == step && cut {
                    bytes.truncate(at % bytes.len());
                } else if n == step {
                    let at = at % bytes.len();
                    bytes[at] ^= by;
                }
                bytes
            };
            prop_assert!(talked([&code, &code], [HERE; 2], changed).is_err());
        }

        #[test]
        fn bytes_from_anywhere_are_refused_without_harm(bytes in proptest::collection::vec(any::<u8>(), 0..120)) {
            let code = Code::new(1, [9; 5]);
            let whole = |step: usize| {
                let bytes = bytes.clone();
                talked([&code, &code], [HERE; 2], move |n, same| if n == step { bytes.clone() } else { same })
            };
            for step in 0..3 {
                prop_assert!(whole(step).is_err());
            }
        }
    }
}
