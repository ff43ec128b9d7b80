//! Randomness of the operating system's.

use std::io;

/// The system gave no random bytes.
#[derive(Debug, thiserror::Error)]
#[error("the system gave no random bytes: {0}")]
pub struct NoRandomness(io::Error);

/// Random bytes from the operating system.
///
/// # Errors
/// When it has none, which is not known to happen after the start of the machine.
pub fn random<const N: usize>() -> Result<[u8; N], NoRandomness> {
    let mut bytes = [0; N];
    getrandom::fill(&mut bytes).map_err(|why| NoRandomness(io::Error::other(why.to_string())))?;
    Ok(bytes)
}

/// An id in hexadecimal.
pub fn hex(id: [u8; 16]) -> String {
    hex::encode(id)
}

/// An id from hexadecimal.
pub fn from_hex(text: &str) -> Option<[u8; 16]> {
    hex::decode(text).ok()?.try_into().ok()
}

/// Random bytes in hexadecimal.
///
/// # Errors
/// As [`random`].
pub fn random_name<const N: usize>() -> Result<String, NoRandomness> {
    Ok(hex::encode(random::<N>()?))
}
