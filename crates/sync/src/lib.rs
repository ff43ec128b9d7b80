//! What the devices of a group send each other through a hub, without IO: clocks, random bytes and bytes from elsewhere come
//! in as arguments. docs/protocol.md says the same in words, with test vectors.

pub mod blob;
pub mod body;
#[cfg(test)]
mod dice;
pub mod exchange;
pub mod group;
pub mod keys;
pub mod pairing;
pub mod record;
mod signs;
pub mod wire;

pub use hpke::rand_core::{CryptoRng, UnwrapErr};
