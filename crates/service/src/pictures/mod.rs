//! Pictures made small, made into other encodings, and read for their words.

pub mod other;
pub mod reader;
pub mod reading;
pub mod small;
