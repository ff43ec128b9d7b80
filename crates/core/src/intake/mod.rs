//! What is recorded at all, and why something is not.

pub mod asking;
pub mod refusal;
