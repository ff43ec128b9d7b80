//! What a clip is, and everything about clips that can be computed: reading an offer, ids, the merged state of a
//! clip, the history in its order, places, sittings and addresses.
//!
//! This crate has no IO, no async, no clock and no randomness. Time (microseconds since the Unix epoch, UTC) and
//! ids come in as arguments, so that every rule here can be tested by thousands of cases.

pub mod address;
pub mod arrange;
pub mod content;
pub mod drawer;
pub mod edit;
pub mod facts;
pub mod fill_in;
pub mod fold;
pub mod history;
pub mod html;
pub mod id;
pub mod insight;
pub mod link;
pub mod mime;
pub mod offer;
pub mod rank;
pub mod reading;
pub mod search;
pub mod sitting;
pub mod stamp;
pub mod state;

pub use address::{Address, AddressError};
pub use content::{Content, Digest};
pub use drawer::{Drawer, DrawerState, Drawers};
pub use facts::{Facts, Kind, Picture};
pub use history::{Clip, History, Placed};
pub use id::{Class, ClipId};
pub use offer::{Offer, Representation, Source};
pub use reading::{Reading, read};
pub use stamp::{DeviceId, HybridClock, Stamp};
pub use state::{ClipState, Color, Kept, OfferRecord, RepresentationRecord};

/// Microseconds since the Unix epoch, UTC.
pub type Micros = i64;

/// The most that one copy may hold, all representations together, in bytes: 64 MiB.
pub const COPY_CAP: u64 = 64 * 1024 * 1024;
