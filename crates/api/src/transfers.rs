//! How a file that was sent ended: whoever received it compares before anything is replaced by it.

use serde::{Deserialize, Serialize};

use crate::Row;

/// A clip that is not in a file, because it could not be read.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LeftOut {
    /// Its id.
    pub id: String,
    /// Why, in words.
    pub why: String,
}

/// The end of a file that was sent whole.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct TransferEnd {
    /// Its bytes.
    pub bytes: u64,
    /// BLAKE3 of all of them, in hexadecimal.
    pub digest: String,
    /// Clips in it.
    pub clips: u64,
    /// Pictures that are not in it, since a table of texts has no place for them.
    #[serde(default)]
    pub pictures: u64,
    /// Clips that should be in it and are not.
    pub left_out: Vec<LeftOut>,
}

/// The header of an answer that names the transfer; its end can be asked for when all was received.
pub const TRANSFER: &str = "x-yadori-transfer";

/// What a check of the records found.
#[derive(Clone, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Checked {
    /// Contents that were compared with their digests.
    pub contents: u64,
    /// Contents that were damaged or missing, and are whole again.
    pub mended: u64,
    /// Clips that can't be handed back as they were copied.
    pub damaged: u64,
    /// The first of them.
    pub clips: Vec<Row>,
}
