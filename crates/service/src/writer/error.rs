//! Why a change was not made.

use yadori_core::acts::{ActError, ActKind, Direction};

/// What stands in the way.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum WriteError {
    /// The records can't be written now.
    #[error("{0}")]
    Unavailable(String),
    /// The service ends.
    #[error("the service is stopping")]
    Stopping,
    /// The service ends before it was found out whether it was done.
    #[error(
        "the service is stopping, and the database has not said whether this was saved; `yadori undo --list` will show it"
    )]
    NotKnown,
    /// The act itself can't be done.
    #[error(transparent)]
    Act(#[from] ActError),
    /// There is nothing in it.
    #[error("there is nothing in it: no representation with a single byte")]
    Empty,
    /// A secret that would be recorded.
    #[error(
        "it was recognised as a secret and lives in memory alone; pinning records it like any other clip, masked"
    )]
    Secret,
    /// A clearing that would take nothing.
    #[error(
        "there is nothing to clear: no clip is meant, or all of them are favorites, which stay unless they are named"
    )]
    NothingToClear,
    /// No act is left to be stepped.
    #[error("{}", nothing(*direction, *minutes))]
    NothingToStep {
        /// Which way.
        direction: Direction,
        /// How long removals can be taken back.
        minutes: u64,
    },
    /// The act that was named can't be stepped.
    #[error("{}", not_to_be_stepped(*direction, *minutes))]
    NotToBeStepped {
        /// Which way.
        direction: Direction,
        /// How long removals can be taken back.
        minutes: u64,
    },
    /// The act that is next can't be taken back or made again any more.
    #[error(
        "the last act ({}) can't be taken back or made again any more, since a clip in it was removed; the one before it is next",
        .0.word()
    )]
    Lost(ActKind),
    /// It touches too much.
    #[error("{0} clips are too many for one act; do it in parts")]
    TooMany(usize),
    /// A restore into a history that holds something.
    #[error("the history is not empty; restore into a new home (--home DIR)")]
    NotEmpty,
    /// What is remembered of an act can't be read.
    #[error("the record of that act is damaged")]
    DamagedRecord,
    /// The database would not take it.
    #[error("the database would not take it ({0})")]
    Refused(String),
    /// The system did not give what is needed.
    #[error("the system did not give random bytes")]
    NoRandomness,
}

fn not_to_be_stepped(direction: Direction, minutes: u64) -> String {
    match direction {
        Direction::Undo => format!(
            "this act can't be taken back now: it was taken back already, or its {minutes} minutes have passed"
        ),
        Direction::Redo => {
            "this act can't be made again now: it was made again already, or another act came after it".into()
        }
    }
}

fn nothing(direction: Direction, minutes: u64) -> String {
    match direction {
        Direction::Undo => {
            format!("there is nothing to take back; a removal can be taken back for {minutes} minutes")
        }
        Direction::Redo => "there is nothing to make again; a new act leaves nothing to be made again".into(),
    }
}
