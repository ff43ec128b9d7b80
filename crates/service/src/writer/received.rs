//! What has come from other devices.

use std::collections::HashMap;

use yadori_core::acts::Arrived;
use yadori_core::batch::shared::{BatchHead, ItemKey, ItemSaid};
use yadori_core::intake::shared::SharedRules;
use yadori_core::{BatchId, ClipId, Content, Digest, DrawerState};
use yadori_store::ExchangeRow;

/// What has come with one page of the hub's.
#[derive(Debug, Default)]
pub struct Received {
    /// Clips, in the order of their records.
    pub clips: Vec<Arrived>,
    /// Their contents; large ones were staged.
    pub contents: Vec<(Digest, Content)>,
    /// Texts that are longer than facts tell.
    pub texts: HashMap<ClipId, String>,
    /// Drawers.
    pub drawers: Vec<(String, DrawerState)>,
    /// Batches, without their items.
    pub batches: Vec<(BatchId, BatchHead)>,
    /// Items of batches.
    pub items: Vec<(BatchId, ItemKey, ItemSaid)>,
    /// Intake rules.
    pub rules: Vec<SharedRules>,
    /// How far the exchange has come with all that.
    pub row: ExchangeRow,
}
