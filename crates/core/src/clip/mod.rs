//! What a clip is: its id, contents, kinds; reading an offer.

pub mod color;
pub mod content;
pub mod device;
pub mod facts;
pub mod id;
pub mod link;
pub mod mime;
pub mod offer;
pub mod pictured;
pub mod reading;
pub mod secret;
pub mod target;
pub mod time;
