//! `yadori pause` and `yadori resume`: nothing that is copied meanwhile is read.

use std::io::{IsTerminal, Write};

use clap::Args;
use yadori_api::{Clear, ClearPlan, Cleared, PauseFor, Status};

use super::json;
use crate::asking::{confirmed, with_progress};
use crate::connection::Connection;
use crate::failure::Failure;
use crate::table;
use crate::when::when;
use yadori_words::said;

/// Pause capture, for a time or until `yadori resume`
///
/// What is copied meanwhile is not read, and not recorded afterwards either; nor is what lies on the clipboard when capture goes on.
/// Without a time it stays so over restarts.
#[derive(Debug, Args)]
pub(crate) struct Pause {
    /// For so long, such as 15m, 2h or 1d
    #[arg(value_name = "TIME", value_parser = minutes)]
    time: Option<f64>,
    /// For programs
    #[arg(long)]
    json: bool,
}

/// Capture again what is copied from now on
#[derive(Debug, Args)]
pub(crate) struct Resume {
    /// For programs
    #[arg(long)]
    json: bool,
}

/// Not a span of time.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
#[error("{}", said!("`{text}` is no time; write a number and s, m, h or d, such as 15m", text = _0))]
pub(crate) struct NoTime(String);

/// A span of time in minutes.
pub(crate) fn minutes(text: &str) -> Result<f64, NoTime> {
    let wrong = || NoTime(text.to_owned());
    let unit = text.chars().last().ok_or_else(wrong)?;
    let each = match unit {
        's' => 1.0 / 60.0,
        'm' => 1.0,
        'h' => 60.0,
        'd' => 24.0 * 60.0,
        _ => return Err(wrong()),
    };
    let count: f64 = text[..text.len() - unit.len_utf8()].trim().parse().map_err(|_| wrong())?;
    if count.is_finite() && count > 0.0 { Ok(count * each) } else { Err(wrong()) }
}

impl Pause {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let status: Status = service.post("/pause", &PauseFor { minutes: self.time })?;
        if self.json {
            return json(out, &status.capture);
        }
        match status.capture.paused_until {
            Some(at) => writeln!(
                out,
                "{}",
                said!(
                    "Paused until {at}. Nothing that is copied meanwhile is read.",
                    at = when(at, &crate::zone::here())
                )
            )?,
            None => {
                writeln!(
                    out,
                    "{}",
                    said!(
                        "Paused until `yadori resume`, over restarts too. Nothing that is copied meanwhile is read."
                    )
                )?;
                return offer_to_clear(service, out);
            }
        }
        Ok(())
    }
}

/// Whoever switches capture off may want to be rid of what is there.
fn offer_to_clear(service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
    let plan: ClearPlan = service.post("/clear/plan", &Clear::default())?;
    if plan.clips == 0 {
        return Ok(());
    }
    let there = table::count_of(plan.clips, "clip");
    if !std::io::stdin().is_terminal() {
        return Ok(writeln!(
            out,
            "{}",
            said!("{there} beside the favorites stay; `yadori clear` clears them.", there = there)
        )?);
    }
    out.flush()?;
    if !confirmed(&said!("Clear the {there} that are there, too? Favorites stay.", there = there))? {
        return Ok(writeln!(out, "{}", said!("They stay."))?);
    }
    let wanted = Clear { upto: Some(plan.upto), ..Clear::default() };
    let cleared: Cleared = with_progress(service, || service.post("/clear", &wanted))?;
    let minutes = cleared.grace_seconds.div_ceil(60);
    let words = table::count_of(cleared.clips, "clip");
    Ok(writeln!(
        out,
        "{}",
        said!(
            "Cleared {words}. `yadori undo` takes that back, for {minutes} minutes.",
            words = words,
            minutes = minutes
        )
    )?)
}

impl Resume {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let status: Status = service.post_empty("/resume")?;
        if self.json {
            return json(out, &status.capture);
        }
        Ok(writeln!(out, "{}", said!("What is copied from now on is kept."))?)
    }
}

#[cfg(test)]
mod tests {
    use super::minutes;

    #[test]
    fn times_are_numbers_with_a_unit() {
        for (text, wanted) in [("15m", 15.0), ("2h", 120.0), ("1.5h", 90.0), ("1d", 1_440.0), ("30s", 0.5)] {
            assert_eq!(minutes(text), Ok(wanted), "{text}");
        }
        for text in ["", "m", "15", "-3m", "0m", "15x", "15µ", "infh", "nanm"] {
            assert!(minutes(text).is_err(), "{text}");
        }
    }
}
