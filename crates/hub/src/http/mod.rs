//! The hub's interface (docs/protocol.md): bodies are CBOR, problems are RFC 9457.

mod answered;
mod asking;
mod blobs;
mod groups;
mod guard;
mod hub;
mod known;
mod meetings;
mod pace;
mod problem;
mod records;
mod routes;

pub(crate) use hub::micros;
pub use hub::{Hub, Peer};
pub use routes::routes;
