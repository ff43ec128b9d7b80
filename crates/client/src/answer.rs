//! Answers for programs: JSON.

use std::io::Write;

use serde::Serialize;
use yadori_api::moment::in_rfc3339;

use crate::failure::Failure;

/// The format of what `--json` prints. Within one, fields are added, and none is renamed or goes.
const JSON: u32 = 1;

#[derive(Serialize)]
struct Versioned<'a, T> {
    format: u32,
    #[serde(flatten)]
    answer: &'a T,
}

/// An answer for programs: an object with its version, moments in RFC 3339. docs/client.md describes it.
pub(crate) fn json(out: &mut dyn Write, answer: &impl Serialize) -> Result<(), Failure> {
    let answer = Versioned { format: JSON, answer };
    let text = in_rfc3339(|| serde_json::to_string_pretty(&answer));
    Ok(writeln!(out, "{}", text.map_err(|why| Failure::Connection(why.to_string()))?)?)
}

/// The same on a line, where one follows another.
pub(crate) fn json_line(out: &mut dyn Write, answer: &impl Serialize) -> Result<(), Failure> {
    let answer = Versioned { format: JSON, answer };
    let text = in_rfc3339(|| serde_json::to_string(&answer));
    Ok(writeln!(out, "{}", text.map_err(|why| Failure::Connection(why.to_string()))?)?)
}
