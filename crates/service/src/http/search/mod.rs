//! Search, completion, insight.

pub(super) mod complete;
pub(super) mod find;
pub(super) mod insight;
mod query;
