//! What the picker does with keys, without a screen.

pub mod keys;
pub mod machine;
pub mod question;
pub mod tidying;
pub mod wish;
