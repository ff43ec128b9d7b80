//! What is recorded at all, and why something is not.

pub mod refusal;
