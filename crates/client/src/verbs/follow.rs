//! `yadori list --follow`: what is copied, as it comes.

use std::collections::VecDeque;
use std::io::{BufRead, BufReader, Write};

use yadori_api::{ClipEvent, Page};

use super::json_line;
use super::rows::{Listing, print};
use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::said;

/// Arrivals that are remembered, so that one that is told twice (waiting, then saved) is shown once.
const REMEMBERED: usize = 1_000;
/// Clips that may come before those that arrive.
const BEFORE: u32 = 500;

/// Shows the newest clips, oldest first, and then what arrives, until the service ends or nobody reads any more.
pub(super) fn run(
    service: &Connection,
    out: &mut dyn Write,
    number: Option<u32>,
    as_json: bool,
) -> Result<(), Failure> {
    let events = BufReader::new(service.download("/events")?);
    let before = number.unwrap_or(0);
    if before > BEFORE {
        return Err(Failure::Use(said!("with --follow, -n may be at most {BEFORE}", BEFORE = BEFORE)));
    }
    let mut shown: VecDeque<(String, i64)> = VecDeque::new();
    if before > 0 {
        let page: Page = service.get(&format!("/clips?limit={before}"))?;
        for row in page.clips.iter().rev() {
            shown.push_back((row.id.clone(), row.copied_at));
            if as_json {
                json_line(out, &Listing::of(row))?;
            }
        }
        if !as_json {
            let rows: Vec<_> = page.clips.into_iter().rev().collect();
            print(out, &rows)?;
        }
        out.flush()?;
    }
    let mut is_clip = false;
    for line in events.lines() {
        let Ok(line) = line else { break };
        if let Some(name) = line.strip_prefix("event: ") {
            is_clip = name == "clip";
        } else if let Some(data) = line.strip_prefix("data: ").filter(|_| is_clip) {
            let event: ClipEvent =
                serde_json::from_str(data).map_err(|why| Failure::Connection(why.to_string()))?;
            let known = (event.row.id.clone(), event.row.copied_at);
            if !event.copied || shown.contains(&known) {
                continue;
            }
            if shown.len() >= REMEMBERED {
                shown.pop_front();
            }
            shown.push_back(known);
            if as_json {
                json_line(out, &Listing::of(&event.row))?;
            } else {
                print(out, &[event.row])?;
            }
            out.flush()?;
        }
    }
    Err(Failure::Ended)
}
