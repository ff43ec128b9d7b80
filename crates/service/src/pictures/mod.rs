//! Pictures made small, and made into other encodings.

pub mod other;
pub mod small;
