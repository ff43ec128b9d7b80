//! What the two say to each other over the channel (docs/protocol.md, Pairing).

use minicbor::{Decoder, Encoder};
use yadori_core::DeviceId;

use crate::group::{Member, WrapTo};

/// A name that may be shown: 1 to 64 characters, none of them a control character, without blanks around.
pub fn name_of(name: &str) -> Option<String> {
    let name = name.trim();
    let fits = (1..=64).contains(&name.chars().count()) && !name.chars().any(char::is_control);
    fits.then(|| name.to_owned())
}

/// What the guest says of itself.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Hello {
    /// Its keys.
    pub member: Member,
    /// What its owner calls it.
    pub name: String,
}

impl Hello {
    /// As it is said.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut encoder = Encoder::new(Vec::new());
        let written = encoder.array(5).and_then(|all| {
            all.u8(1)?
                .bytes(&self.member.device.0)?
                .bytes(self.member.signs.as_bytes())?
                .bytes(&self.member.wraps.0)?
                .str(&self.name)
        });
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// As it was said. `None`: it is none, or its name is no name.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        if (decoder.array().ok()?, decoder.u8().ok()?) != (Some(5), 1) {
            return None;
        }
        let device = DeviceId(decoder.bytes().ok()?.try_into().ok()?);
        let signs = ed25519_dalek::VerifyingKey::from_bytes(decoder.bytes().ok()?.try_into().ok()?).ok()?;
        let wraps = WrapTo(decoder.bytes().ok()?.try_into().ok()?);
        let name = name_of(decoder.str().ok()?)?;
        let whole = decoder.position() == bytes.len();
        whole.then_some(Self { member: Member { device, signs, wraps }, name })
    }
}

/// What the host says when its person has answered.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Welcome {
    /// The guest is not let in.
    No,
    /// It belongs to this group now.
    Yes {
        /// The group.
        group: [u8; 16],
        /// The hash of the first entry of its chain.
        first: [u8; 32],
        /// What the host is called.
        name: String,
    },
}

impl Welcome {
    /// As it is said.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut encoder = Encoder::new(Vec::new());
        let written = match self {
            Self::No => encoder.array(1).and_then(|all| all.u8(1)),
            Self::Yes { group, first, name } => {
                encoder.array(4).and_then(|all| all.u8(1)?.bytes(group)?.bytes(first)?.str(name))
            }
        };
        debug_assert!(written.is_ok());
        encoder.into_writer()
    }

    /// As it was said. `None`: it is none.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        let mut decoder = Decoder::new(bytes);
        let parts = decoder.array().ok()??;
        if decoder.u8().ok()? != 1 {
            return None;
        }
        let said = match parts {
            1 => Self::No,
            4 => {
                let group = decoder.bytes().ok()?.try_into().ok()?;
                let first = decoder.bytes().ok()?.try_into().ok()?;
                Self::Yes { group, first, name: name_of(decoder.str().ok()?)? }
            }
            _ => return None,
        };
        (decoder.position() == bytes.len()).then_some(said)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_the_two_say_to_each_other_is_read_as_it_was_said() {
        let signs = ed25519_dalek::SigningKey::from_bytes(&[5; 32]).verifying_key();
        let member = Member { device: DeviceId([3; 16]), signs, wraps: WrapTo([4; 32]) };
        let named = |name: &str| Hello { member, name: name.to_owned() };
        let said = named(" Valley ").to_bytes();
        assert_eq!(Hello::from_bytes(&said), Some(named("Valley")));
        assert_eq!(Hello::from_bytes(&said[..said.len() - 1]), None);
        assert_eq!(Hello::from_bytes(&[&said[..], b"!"].concat()), None);
        assert_eq!(Hello::from_bytes(&named("a\u{1b}[2J").to_bytes()), None, "no name moves a terminal");
        let yes = Welcome::Yes { group: [1; 16], first: [2; 32], name: "Hut".into() };
        for said in [yes, Welcome::No] {
            assert_eq!(Welcome::from_bytes(&said.to_bytes()), Some(said));
        }
        assert_eq!(Welcome::No.to_bytes(), [0x81, 0x01]);
        assert_eq!(Welcome::from_bytes(b""), None);
    }
}
