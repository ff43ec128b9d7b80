//! What a clip is, and everything about clips that can be computed: reading an offer, ids, the merged state of a
//! clip, the history in its order, places, sittings and addresses.
//!
//! This crate has no IO, no async, no clock and no randomness. Time (microseconds since the Unix epoch, UTC) and
//! ids come in as arguments, so that every rule here can be tested by thousands of cases.

pub mod acts;
pub mod batch;
pub mod clip;
pub mod exchange;
pub mod history;
pub mod intake;
pub mod limits;
pub mod merge;
pub mod picker;
pub mod search;
pub mod take;
pub mod text;

pub use batch::{Batch, BatchId, Batches};
pub use clip::color::Color;
pub use clip::content::{Content, Digest};
pub use clip::device::DeviceId;
pub use clip::facts::{Facts, Kind, Picture};
pub use clip::id::{Class, ClipId};
pub use clip::offer::{COPY_CAP, NAME_BYTES, Offer, REPRESENTATIONS, Representation, Source};
pub use clip::reading::{Reading, read};
pub use clip::time::Micros;
pub use history::address::{Address, AddressError};
pub use history::all::{History, Placed};
pub use history::drawers::Drawers;
pub use history::stored::{Clip, StoredClip};
pub use intake::refusal::RefusalReason;
pub use merge::clip::{ClipState, Kept, OfferRecord, RepresentationRecord};
pub use merge::drawer::{Drawer, DrawerState};
pub use merge::stamp::{HybridClock, Stamp};
