//! Why the exchange does not go on now.

use yadori_store::{CommitError, ReadError};

use super::link::LinkError;
use super::member::MemberError;
use crate::state::at_hand::ContentError;
use crate::writer::WriteError;

/// Why the exchange does not go on now.
#[derive(Debug, thiserror::Error)]
pub enum Trouble {
    /// The hub.
    #[error(transparent)]
    Link(LinkError),
    /// It was silent for too long.
    #[error(
        "this device has not exchanged anything for 180 days, while others went on: it joins anew. Leave the group \
         (`yadori unpair --this`), then pair it again; what it has stays, and is merged"
    )]
    Silent,
    /// The records.
    #[error("the records can't be read or written now")]
    Records,
    /// The membership.
    #[error(transparent)]
    Member(#[from] MemberError),
    /// The keys.
    #[error(
        "the keys of this device can't be read ({0}); restore data/group.json, or leave the group with `yadori unpair --this`"
    )]
    Keys(std::io::Error),
    /// No random bytes.
    #[error("the system gave no random bytes")]
    NoRandomness,
}

impl From<LinkError> for Trouble {
    fn from(why: LinkError) -> Self {
        if why.is("silent") { Self::Silent } else { Self::Link(why) }
    }
}

impl From<ReadError> for Trouble {
    fn from(_: ReadError) -> Self {
        Self::Records
    }
}

impl From<CommitError> for Trouble {
    fn from(_: CommitError) -> Self {
        Self::Records
    }
}

impl From<WriteError> for Trouble {
    fn from(_: WriteError) -> Self {
        Self::Records
    }
}

impl From<ContentError> for Trouble {
    fn from(_: ContentError) -> Self {
        Self::Records
    }
}
