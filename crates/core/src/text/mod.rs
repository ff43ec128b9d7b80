//! Texts: what counts as the same, the words of html, names, differences.

pub mod compound;
pub mod difference;
pub mod encoding;
pub mod fold;
pub mod html;
pub mod name;
pub mod near;
pub mod stack;
