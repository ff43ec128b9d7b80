//! Chords that were pressed, on their way to be carried out.

use std::sync::Arc;

use tokio::sync::oneshot;
use yadori_core::Clip;

/// A chord that was pressed.
#[derive(Debug)]
pub enum Pressed {
    /// What stood at a place in that moment; `None`: nothing did.
    Paste(u8, Option<Arc<Clip>>),
    /// What is next in the batch in hand.
    Next,
    /// Copies join a batch, or no longer.
    Gather,
    /// Capture is paused, or goes on.
    Pause,
    /// The picker is wanted.
    Picker,
    /// The same by other means than its chord: who asked is told why it did not come.
    PickerBy(oneshot::Sender<Option<String>>),
    /// The console is wanted, in a browser.
    Console,
    /// It did not come up.
    NoPicker,
}
