//! How phones come in, as far as that is known.

use std::sync::{Mutex, PoisonError};

/// The door by which phones come in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct PhonesAt {
    /// Its address, as phones reach it: `https://…`.
    pub address: String,
    /// SHA-256 of the certificate that phones are to trust, as they show it: pairs of hexadecimal digits with colons.
    pub fingerprint: String,
    /// The certificate of the service's own authority, in DER; `None` with a certificate that was given.
    pub authority: Option<Vec<u8>>,
}

/// Whether phones come in.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub enum PhonesNow {
    /// They do not.
    #[default]
    Off,
    /// They would, but for this.
    Not(String),
    /// They do.
    At(PhonesAt),
}

/// Whether phones come in, for all to read.
#[derive(Debug, Default)]
pub struct Phones(Mutex<PhonesNow>);

impl Phones {
    /// As it is now.
    pub fn now(&self) -> PhonesNow {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    /// It is so from now on.
    pub fn are(&self, now: PhonesNow) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = now;
    }
}
