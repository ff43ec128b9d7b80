//! The HTTP interface `/api/v1` and the console, over TCP on loopback (every call needs a key, Host and Origin are
//! checked) and over a Unix socket in the run-time directory (for this user's programs).

mod acts;
mod batches;
mod clearing;
mod clips;
mod code;
mod context;
mod described;
mod devices;
mod drawers;
mod extract;
mod gate;
mod keeping;
mod language;
mod part;
mod problem;
mod ready;
mod routes;
mod search;
pub mod server;
mod service;
mod transfers;

pub use context::Context;
pub use problem::Failure;
pub use routes::{description, over_tcp, over_tls, over_unix};
