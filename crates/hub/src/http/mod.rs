//! The hub's interface (docs/protocol.md): bodies are CBOR, problems are RFC 9457.

mod asking;
mod groups;
mod guard;
mod known;
mod meetings;
mod problem;
mod records;
mod routes;

pub(crate) use routes::micros;
pub use routes::{Hub, Peer, routes};
