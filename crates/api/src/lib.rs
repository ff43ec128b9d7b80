//! The shapes of the HTTP interface `/api/v1`, shared by service, client and tests. Times are microseconds since the
//! Unix epoch, UTC; sizes are bytes; places count from 1, the newest.

pub mod clips;
pub mod events;
pub mod history;
pub mod problem;
pub mod sign_in;
pub mod status;

pub use clips::{
    AddClip, AddRepresentation, Added, Detail, EarlierOffer, Form, Kind, Picture, Representation, Row,
    Source, Take, Taken,
};
pub use events::{ClipEvent, Event, GoneEvent};
pub use history::{Outline, Page, RowsById, RowsRequest};
pub use problem::Problem;
pub use sign_in::{Frame, SignIn, SignInLink, SignedIn};
pub use status::{
    Capture, CaptureState, Database, DatabaseState, LiveClipboard, LiveState, Refusal, Remove, Removed,
    Restored, Status, Undone,
};

/// Where the interface begins.
pub const ROOT: &str = "/api/v1";
