//! What can't be done with batches, as problems.

use axum::http::StatusCode;
use yadori_core::batch::NoBatch;
use yadori_core::batch::split::SplitError;

use crate::batches::filling::FillingError;
use crate::batches::hand::{HandError, no_batch};
use crate::batches::join::JoinError;
use crate::http::Failure;

impl From<NoBatch> for Failure {
    fn from(why: NoBatch) -> Self {
        Self::new(StatusCode::NOT_FOUND, "no-such-batch", "There is no such batch", no_batch(&why))
    }
}

impl From<SplitError> for Failure {
    fn from(why: SplitError) -> Self {
        Self::new(
            StatusCode::UNPROCESSABLE_ENTITY,
            "not-to-be-split",
            "It can't be split that way",
            why.to_string(),
        )
    }
}

impl From<FillingError> for Failure {
    fn from(why: FillingError) -> Self {
        match why {
            FillingError::Split(why) => Self::from(why),
            FillingError::Content(why) => Self::from(why),
            FillingError::Act(why) => Self::from(why),
            FillingError::Write(why) => Self::from(why),
            FillingError::Stage(why) => Self::unavailable(why.to_string()),
            FillingError::NoClip => Self::no_clip(FillingError::NoClip.to_string()),
            why @ (FillingError::NoId | FillingError::NoText | FillingError::Masked) => {
                Self::invalid(why.to_string())
            }
        }
    }
}

impl From<HandError> for Failure {
    fn from(why: HandError) -> Self {
        let words = why.to_string();
        match why {
            HandError::NoBatch(why) => Self::from(why),
            HandError::Take(why) => Self::from(why),
            HandError::Write(why) => Self::from(why),
            HandError::AtEnd(_) | HandError::Empty | HandError::AtStart => {
                Self::new(StatusCode::CONFLICT, "nothing-to-do", "There is nothing to hand out", words)
            }
            HandError::NoPlace(..) | HandError::WhichPlace => Self::invalid(words),
        }
    }
}

impl From<JoinError> for Failure {
    fn from(why: JoinError) -> Self {
        match why {
            JoinError::NoBatch(why) => Self::from(why),
            JoinError::Content(why) => Self::from(why),
            JoinError::NoClip => Self::no_clip(why.to_string()),
            why => Self::invalid(why.to_string()),
        }
    }
}
