//! Writing: one transaction per group of changes; contents staged beside the queue; what nobody needs wiped.

pub(crate) mod acts;
pub(crate) mod batches;
pub(crate) mod brought;
pub(crate) mod claims;
pub(crate) mod clearings;
pub(crate) mod commit;
pub(crate) mod contents;
pub(crate) mod drafts;
pub(crate) mod exchange;
pub(crate) mod group;
pub(crate) mod incoming;
pub(crate) mod lease;
pub(crate) mod outbox;
pub(crate) mod own;
pub(crate) mod pictured;
pub(crate) mod room;
pub(crate) mod shared;
pub(crate) mod short;
pub(crate) mod sign_ins;
pub(crate) mod uses;
