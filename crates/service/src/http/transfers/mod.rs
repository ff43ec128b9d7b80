//! Files that go out and come in, and the check of the records.

pub(super) mod backup;
pub(super) mod check;
pub(super) mod end;
pub(super) mod export;
pub(super) mod import;
mod sent;
