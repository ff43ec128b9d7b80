//! The exchange with a person's other devices through a hub: joining a group, sending what changes, receiving what comes.
//! What is sealed and believed is the affair of yadori-sync; here it meets the records, the queue and the network.

mod blobs;
mod bodies;
mod calls;
pub mod devices;
mod exchanger;
mod follow;
pub mod handing;
mod keys;
mod link;
mod member;
mod pairing;
pub mod pairings;
mod receiving;
mod run;
mod sending;
mod sharing;
mod trouble;

pub use exchanger::Exchanger;
