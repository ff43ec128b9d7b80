//! The exchange of a device with a hub, as a machine without IO: what is to be sent, what has come, and when to try again.
//! Whoever runs it keeps its state in the same transactions as what it is about.

mod machine;
mod pause;

pub use machine::{Due, Exchange, Made, Numbers, Pending, Pulled, Pushed, Refused, Taken};
pub use pause::Pause;
