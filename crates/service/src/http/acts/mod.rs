//! Acts: what a person does to clips, taking the last one back, making it again.

pub(super) mod clips;
pub(super) mod done;
pub(super) mod log;
