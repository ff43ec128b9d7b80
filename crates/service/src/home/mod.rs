//! Where one device keeps its files, its settings, its logs.

pub mod autostart;
pub mod logging;
pub mod memory;
pub mod place;
pub mod random;
pub mod settings;
