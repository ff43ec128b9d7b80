//! Forms of a clip on its way out.

pub mod chord;
pub mod fill_in;
pub mod handing;
pub mod standing;
pub mod tidy;
