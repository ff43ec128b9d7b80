//! What of the file says where phones come in: nowhere, unless it is said.

use std::net::SocketAddr;
use std::path::PathBuf;

use serde::Deserialize;

/// The section as it is written.
#[derive(Debug, Default, Deserialize, PartialEq)]
#[serde(deny_unknown_fields, default)]
pub(super) struct PhoneSection {
    listen: Option<String>,
    certificate: Option<PathBuf>,
    key: Option<PathBuf>,
}

/// Where phones are let in, over TLS.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PhoneDoor {
    /// The address.
    pub listen: SocketAddr,
    /// A certificate of one's own and its key, in PEM; without them the service makes its own authority.
    pub certificate: Option<(PathBuf, PathBuf)>,
}

/// Why it can't be so.
#[derive(Debug, thiserror::Error)]
pub enum PhoneError {
    /// Not an address.
    #[error("`phone.listen`: `{0}` is no address with a port; it looks like 0.0.0.0:8940, or off")]
    Address(String),
    /// A certificate without its key, or the other way round.
    #[error("`phone.certificate` and `phone.key` belong together; give both, or neither")]
    Certificate,
}

impl PhoneSection {
    /// The door; `None` where phones do not come in.
    pub(super) fn door(&self) -> Result<Option<PhoneDoor>, PhoneError> {
        let certificate = match (&self.certificate, &self.key) {
            (Some(certificate), Some(key)) => Some((certificate.clone(), key.clone())),
            (None, None) => None,
            _ => return Err(PhoneError::Certificate),
        };
        let Some(listen) = self.listen.as_deref().filter(|listen| *listen != "off") else { return Ok(None) };
        let wrong = |_| PhoneError::Address(listen.to_owned());
        Ok(Some(PhoneDoor { listen: listen.parse().map_err(wrong)?, certificate }))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn door(text: &str) -> Result<Option<PhoneDoor>, PhoneError> {
        toml::from_str::<PhoneSection>(text).unwrap().door()
    }

    #[test]
    fn phones_come_in_where_it_is_said_and_nowhere_else() {
        assert_eq!(door("").unwrap(), None);
        assert_eq!(door("listen = 'off'").unwrap(), None);
        let open = door("listen = '0.0.0.0:8940'").unwrap().unwrap();
        assert_eq!((open.listen.port(), open.certificate), (8940, None));
        let own = door("listen = '[::]:8940'\ncertificate = 'own.pem'\nkey = 'own.key'").unwrap().unwrap();
        assert_eq!(own.certificate, Some(("own.pem".into(), "own.key".into())));
        assert!(matches!(door("listen = '8940'"), Err(PhoneError::Address(_))));
        assert!(matches!(door("listen = '0.0.0.0:8940'\nkey = 'own.key'"), Err(PhoneError::Certificate)));
        assert!(toml::from_str::<PhoneSection>("port = 1").is_err());
    }
}
