//! What is recorded at all, and why something is not: what programs are asked for, rules, recognised secrets.

pub mod asking;
pub mod recognise;
pub mod refusal;
pub mod rule;
pub mod rules;
pub mod shared;
