//! Clips: listed, looked at, brought in, taken, edited.

pub(super) mod add;
pub(super) mod address;
pub(super) mod detail;
pub(super) mod draft;
pub(super) mod edit;
pub(super) mod fill;
pub(super) mod frame;
pub(super) mod list;
pub(super) mod picture;
pub(super) mod take;
pub(super) mod tidy;
