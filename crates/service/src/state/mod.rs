//! What the parts of the running service share. Each kind of state is a type of its own that owns its lock, its limits
//! and its forgetting.

pub mod app;
pub mod at_hand;
pub mod batches;
pub mod clips;
pub mod clock;
pub mod events;
pub mod exchanging;
pub mod files;
pub mod health;
pub mod holding;
pub mod paced;
pub mod parts;
pub mod pausing;
pub mod phones;
pub mod pressed;
pub mod proof;
pub mod ruled;
pub mod shapes;
pub mod sign_in;
pub mod telling;
pub mod transfers;
