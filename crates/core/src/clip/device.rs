//! Which device: a computer or browser of the person's.

use serde::{Deserialize, Deserializer, Serialize, de};

/// A device of the person's: 16 random bytes, chosen once.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize)]
#[serde(into = "String")]
pub struct DeviceId(pub [u8; 16]);

impl From<DeviceId> for String {
    fn from(device: DeviceId) -> Self {
        device.0.iter().map(|byte| format!("{byte:02x}")).collect()
    }
}

impl TryFrom<String> for DeviceId {
    type Error = &'static str;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        Self::parse(&text).ok_or(NO_DEVICE)
    }
}

const NO_DEVICE: &str = "not a device id of 32 hexadecimal digits";

impl DeviceId {
    fn parse(text: &str) -> Option<Self> {
        let mut bytes = [0; 16];
        hex::decode_to_slice(text, &mut bytes).ok()?;
        Some(Self(bytes))
    }
}

/// Without a copy of the text: a start reads some of each of a million clips.
impl<'de> Deserialize<'de> for DeviceId {
    fn deserialize<D: Deserializer<'de>>(from: D) -> Result<Self, D::Error> {
        struct Text;
        impl de::Visitor<'_> for Text {
            type Value = DeviceId;

            fn expecting(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                f.write_str("a device id of 32 hexadecimal digits")
            }

            fn visit_str<E: de::Error>(self, text: &str) -> Result<DeviceId, E> {
                DeviceId::parse(text).ok_or_else(|| E::custom(NO_DEVICE))
            }
        }
        from.deserialize_str(Text)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_device_id_reads_back_from_its_text() {
        let text = String::from(DeviceId([7; 16]));
        assert_eq!(DeviceId::try_from(text), Ok(DeviceId([7; 16])));
        for wrong in ["07", &"0".repeat(33), &"+".repeat(32), &"x".repeat(32)] {
            assert!(DeviceId::try_from(wrong.to_owned()).is_err(), "{wrong}");
            assert!(serde_json::from_value::<DeviceId>(wrong.into()).is_err(), "{wrong}");
        }
        let json = serde_json::to_string(&DeviceId([7; 16])).unwrap();
        assert_eq!(serde_json::from_str::<DeviceId>(&json).unwrap(), DeviceId([7; 16]));
    }
}
