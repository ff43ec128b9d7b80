//! One module per verb: its arguments, its help, what it does.

pub(crate) mod add;
pub(crate) mod backup;
pub(crate) mod completions;
pub(crate) mod console;
pub(crate) mod list;
pub(crate) mod remove;
pub(crate) mod restore;
pub(crate) mod show;
pub(crate) mod status;
pub(crate) mod stop;
pub(crate) mod take;
pub(crate) mod undo;

use std::io::Write;

use serde::Serialize;
use yadori_api::Detail;

use crate::connection::{Connection, escaped};
use crate::failure::Failure;

/// An answer for programs.
fn json(out: &mut dyn Write, answer: &impl Serialize) -> Result<(), Failure> {
    let text = serde_json::to_string_pretty(answer).map_err(|why| Failure::Connection(why.to_string()))?;
    Ok(writeln!(out, "{text}")?)
}

/// A clip in full, by its address.
fn detail(service: &Connection, address: &str) -> Result<Detail, Failure> {
    service.get(&format!("/clips/{}", escaped(address)))
}
