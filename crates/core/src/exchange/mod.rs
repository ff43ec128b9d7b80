//! What is exchanged with a person's other devices, and what is not.

pub mod travels;

pub use travels::{Travels, TravelsError, what_always_travels};
