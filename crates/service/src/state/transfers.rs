//! Files that were sent whole, for whoever compares what was received: the newest few.

use std::collections::VecDeque;
use std::sync::{Mutex, PoisonError};

use yadori_api::TransferEnd;

/// Ends that are remembered.
const ENDS: usize = 16;

/// Ends of transfers by their names.
#[derive(Debug, Default)]
pub struct Transfers(Mutex<VecDeque<(String, TransferEnd)>>);

impl Transfers {
    /// A file was sent whole.
    pub fn ended(&self, name: String, end: TransferEnd) {
        let mut ends = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        ends.push_front((name, end));
        ends.truncate(ENDS);
    }

    /// How a transfer ended; `None` when it did not, or long ago.
    pub fn end_of(&self, name: &str) -> Option<TransferEnd> {
        let ends = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        ends.iter().find(|(known, _)| known == name).map(|(_, end)| end.clone())
    }
}
