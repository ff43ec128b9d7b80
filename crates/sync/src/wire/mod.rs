//! What a device and a hub say to each other: how a request is signed, and what stands in bodies.

mod bodies;
mod request;

pub use bodies::{Come, Found, LONGEST_PAGE, Page, Sent, list, read_list};
pub use request::{Claim, Request, RequestError, SCHEME, Signature, WINDOW};
