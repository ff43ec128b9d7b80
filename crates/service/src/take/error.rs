//! Why something is not on the live clipboard.

use yadori_api::Question;
use yadori_core::take::tidy::NoStep;
use yadori_desk::{PasteError, TakeError as DeskError};

use crate::state::at_hand::ContentError;
use crate::take::fill::FillingError;

/// Why a clip is not on the live clipboard.
#[derive(Debug, thiserror::Error)]
pub enum TakeError {
    /// Capture is off.
    #[error("capture is switched off for this run, so there is no clipboard to put it on")]
    NoDesk,
    /// Its contents.
    #[error(transparent)]
    Content(#[from] ContentError),
    /// Its fill-ins.
    #[error("{1}")]
    Filling(String, FillingError),
    /// It asks something first.
    #[error("it asks something first")]
    Asks(Vec<Question>),
    /// A picture.
    #[error("a picture has no plain text")]
    NoPlainForm,
    /// No such clean-up.
    #[error(transparent)]
    Tidy(#[from] NoStep),
    /// The desk.
    #[error(transparent)]
    Desk(#[from] DeskError),
    /// It is taken, and not pasted.
    #[error(transparent)]
    Paste(PasteError),
}
