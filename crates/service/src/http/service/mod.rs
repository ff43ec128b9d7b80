//! The service itself: how things stand, events, sign-in, the console's files.

pub(super) mod console;
pub(super) mod events;
pub(super) mod phone;
pub(super) mod sign_in;
pub(super) mod status;
