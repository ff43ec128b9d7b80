//! A person's own devices.

pub(super) mod device;
pub(super) mod pairing;
