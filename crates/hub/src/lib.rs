//! The hub: carries sealed records between the devices of a group, and brings two devices together that are to be paired. It
//! sees groups, devices, numbers, lengths and times; no content, no key, and nothing that a content could be guessed from.

mod asked;
mod believing;
pub mod http;
pub mod keeping;
mod pushing;
pub mod records;
pub mod run;
pub mod settings;
mod telling;
mod waiting;
mod watched;
