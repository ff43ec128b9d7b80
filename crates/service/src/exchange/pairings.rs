//! The pairing that is under way, for whoever shows it.

use std::sync::{Mutex, PoisonError};

use tokio::sync::oneshot;
use tokio_util::sync::CancellationToken;
use yadori_sync::group::{ChainError, PhraseError};
use yadori_sync::pairing::{CodeError, PairingError};

use super::link::LinkError;
use super::member::MemberError;
use super::trouble::Trouble;
use crate::home::random::NoRandomness;

/// Why pairing did not come about.
#[derive(Debug, thiserror::Error)]
pub enum PairError {
    /// The code that was typed.
    #[error(transparent)]
    Code(#[from] CodeError),
    /// The recovery phrase that was typed.
    #[error(transparent)]
    Phrase(#[from] PhraseError),
    /// The talk.
    #[error(transparent)]
    Talk(#[from] PairingError),
    /// The hub.
    #[error(transparent)]
    Link(#[from] LinkError),
    /// The membership.
    #[error(transparent)]
    Member(#[from] MemberError),
    /// The chain.
    #[error(transparent)]
    Chain(#[from] ChainError),
    /// The exchange.
    #[error(transparent)]
    Trouble(#[from] Trouble),
    /// A group is needed, and no hub is known.
    #[error(
        "this device belongs to no group yet; say at which hub one shall be: --hub https://…, \
         or serve one here: serve = true under [hub] in the configuration"
    )]
    NoHub,
    /// The hub of this device.
    #[error("the hub that this device serves gives no invitation: {0}")]
    OwnHub(String),
    /// It belongs to a group already.
    #[error("this device belongs to a group already; leave it first (`yadori unpair --this`)")]
    Belongs,
    /// The exchange is not running.
    #[error("the exchange of this device is not under way; `yadori sync status` says why")]
    NotUnderWay,
    /// Another one is under way.
    #[error("a pairing is under way already; end it first (`yadori pair --cancel`)")]
    UnderWay,
    /// Nobody is waiting for an answer.
    #[error("no device is waiting for an answer")]
    NobodyAsks,
    /// Time is over.
    #[error("the code was not used in time; begin anew")]
    Over,
    /// The person said no.
    #[error("it was not let in")]
    Declined,
    /// The person on the other device said no.
    #[error("the other device did not let this one in")]
    DeclinedThere,
    /// It was called off.
    #[error("it was called off")]
    CalledOff,
    /// A name.
    #[error("a device's name has 1 to 64 characters")]
    Name,
    /// The keys can't be kept.
    #[error("the keys of this device can't be kept: {0}")]
    Keys(std::io::Error),
    /// No random bytes.
    #[error("the system gave no random bytes")]
    NoRandomness,
}

/// How a pairing stands.
#[derive(Clone, PartialEq, Eq)]
pub enum Step {
    /// The code is shown, and waits to be typed on the other device; with it the recovery phrase, when the group has just
    /// come to be.
    Shown(String, Option<String>),
    /// The code was typed here; the other device is reached, and asks its person.
    Typed,
    /// The other device, called so, asks to be let in.
    Asks(String),
    /// It is being let in.
    Joining(String),
    /// Both belong to one group: the other is called so.
    Done(String),
    /// It did not come about.
    Failed(String),
}

/// Says what stands, without code and phrase.
impl std::fmt::Debug for Step {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Self::Shown(..) => "Shown(…)",
            Self::Typed => "Typed",
            Self::Asks(_) => "Asks(…)",
            Self::Joining(_) => "Joining(…)",
            Self::Done(_) => "Done(…)",
            Self::Failed(_) => "Failed(…)",
        })
    }
}

#[derive(Debug)]
struct UnderWay {
    step: Step,
    answer: Option<oneshot::Sender<bool>>,
    ended: CancellationToken,
}

/// The pairing that is under way, or the last one.
#[derive(Debug, Default)]
pub struct Pairings(Mutex<Option<UnderWay>>);

impl Pairings {
    /// How it stands; `None`: there was none in this run.
    pub fn step(&self) -> Option<Step> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).as_ref().map(|one| one.step.clone())
    }

    pub(super) fn begin(&self, step: Step) -> Result<CancellationToken, PairError> {
        let mut now = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if now.as_ref().is_some_and(|one| !matches!(one.step, Step::Done(_) | Step::Failed(_))) {
            return Err(PairError::UnderWay);
        }
        let ended = CancellationToken::new();
        *now = Some(UnderWay { step, answer: None, ended: ended.clone() });
        Ok(ended)
    }

    pub(super) fn stand(&self, step: Step, answer: Option<oneshot::Sender<bool>>) {
        if let Some(one) = self.0.lock().unwrap_or_else(PoisonError::into_inner).as_mut() {
            (one.step, one.answer) = (step, answer);
        }
    }

    /// The person says whether the device that asks is let in.
    ///
    /// # Errors
    /// When none asks.
    pub fn answer(&self, yes: bool) -> Result<(), PairError> {
        let mut now = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let one = now.as_mut().ok_or(PairError::NobodyAsks)?;
        let waits = one.answer.take().ok_or(PairError::NobodyAsks)?;
        if let Step::Asks(name) = &one.step {
            one.step = Step::Joining(name.clone());
        }
        waits.send(yes).map_err(|_| PairError::NobodyAsks)
    }

    /// Calls it off.
    pub fn call_off(&self) {
        if let Some(one) = self.0.lock().unwrap_or_else(PoisonError::into_inner).as_ref() {
            one.ended.cancel();
        }
    }
}

impl From<NoRandomness> for PairError {
    fn from(_: NoRandomness) -> Self {
        Self::NoRandomness
    }
}
