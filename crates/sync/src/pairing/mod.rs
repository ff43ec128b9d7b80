//! Pairing: a short code that a person carries from one device to another becomes a channel between the two that nobody
//! else can read, the hub that carries it included. One try a code.

pub mod code;
pub mod talk;
pub mod words;

pub use code::{Code, CodeError};
pub use talk::{Channel, Guest, Host, PairingError, Terms};
pub use words::{Hello, Welcome, name_of};
