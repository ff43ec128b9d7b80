//! The long-running service of Yadori: it joins the live clipboard, the records and the interface.
//!
//! [`run::run`] takes resolved settings and ends when its shutdown token is cancelled, by a signal or by `POST /stop`.
//! Arrows point one way: `state` ← `writer` ← the use cases (`clearing`, `intake`, `take`, `search`, `transfer`, `records`,
//! `exchange`) ← `http` ←
//! `run`.

pub mod batches;
pub mod chords;
pub mod clearing;
pub mod exchange;
pub mod home;
mod hosting;
pub mod http;
pub mod intake;
mod letting_in;
pub mod pictures;
pub mod records;
pub mod run;
pub mod search;
mod signs;
pub mod state;
pub mod take;
pub mod transfer;
pub mod writer;
