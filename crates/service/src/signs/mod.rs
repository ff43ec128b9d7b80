//! Signs of life: the lamp among the desktop's indicators or as a window of its own, notifications, a sound. What was copied
//! is in none of them.

mod drawn;
mod indicator;
mod notices;
pub(crate) mod showing;
mod sight;
mod sound;
mod window;
