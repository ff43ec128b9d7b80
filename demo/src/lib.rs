//! What the demo draws, for whoever needs such pictures as well.

pub mod draw;
