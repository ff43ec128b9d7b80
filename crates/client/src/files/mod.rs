//! Files of the person's: read within bounds, written without destroying any.

pub(crate) mod read;
pub(crate) mod write;
