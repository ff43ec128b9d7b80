//! Which device: a computer or browser of the person's.

use serde::{Deserialize, Serialize};

/// A device of the person's: 16 random bytes, chosen once.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(into = "String", try_from = "String")]
pub struct DeviceId(pub [u8; 16]);

impl From<DeviceId> for String {
    fn from(device: DeviceId) -> Self {
        device.0.iter().map(|byte| format!("{byte:02x}")).collect()
    }
}

impl TryFrom<String> for DeviceId {
    type Error = &'static str;

    fn try_from(text: String) -> Result<Self, Self::Error> {
        u128::from_str_radix(&text, 16)
            .ok()
            .filter(|_| text.len() == 32)
            .map(|number| Self(number.to_be_bytes()))
            .ok_or("not a device id of 32 hexadecimal digits")
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_device_id_reads_back_from_its_text() {
        let text = String::from(DeviceId([7; 16]));
        assert_eq!(DeviceId::try_from(text), Ok(DeviceId([7; 16])));
        assert!(DeviceId::try_from("07".to_owned()).is_err());
    }
}
