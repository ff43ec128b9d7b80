//! Why something is not on the live clipboard.

use yadori_api::Question;
use yadori_core::take::tidy::NoStep;
use yadori_desk::{PasteError, TakeError as DeskError};

use crate::pictures::small::SmallError;
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
    /// It has no files.
    #[error("it holds no files, so there are no paths and names")]
    NoFiles,
    /// It has no picture.
    #[error("it holds no picture")]
    NoPicture,
    /// No words are known of its picture.
    #[error(
        "no words were read in it: they are read from pictures, in the background, where Debian's tesseract-ocr is installed"
    )]
    NoWords,
    /// Its picture can't be had in another encoding.
    #[error("its picture can't be made into another: {0}")]
    Picture(SmallError),
    /// It is masked.
    #[error("it was recognised as a secret: it is put into no file")]
    Masked,
    /// It can't be put into a file.
    #[error("its picture can't be put into a file: {0}")]
    NoFile(std::io::Error),
    /// A size without a picture.
    #[error("a size goes with `png` or `jpeg`")]
    MostOfWhat,
    /// No such earlier offer.
    #[error("there is no earlier copy {0} of it; {1} are kept")]
    NoEarlier(u32, usize),
    /// Several are taken as text.
    #[error("several clips are taken as one text: a shape, or an earlier copy, goes with one alone")]
    OneAlone,
    /// One of several is masked.
    #[error("one of them was recognised as a secret: take it alone")]
    MaskedAmong,
    /// Several are too much.
    #[error("together they are more than 64 MiB")]
    TooLarge,
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
