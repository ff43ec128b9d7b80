//! `yadori list --follow`: what is copied, as it comes.

use std::collections::VecDeque;
use std::io::{BufRead, BufReader, Read, Write};

use yadori_api::{ClipEvent, Page, Row, Status};

use super::json_line;
use super::rows::{Listing, print};
use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::said;

/// Arrivals that are remembered, so that one that is told twice (waiting, then saved) is shown once.
const REMEMBERED: usize = 10_000;
/// Clips that may come before those that arrive.
const BEFORE: u32 = 500;
/// Pages of clips that are looked through for what came while nobody was told of it.
const PAGES: usize = 20;

/// Shows the newest clips, oldest first, and then what arrives, until the service ends or nobody reads any more.
pub(super) fn run(
    service: &Connection,
    out: &mut dyn Write,
    number: Option<u32>,
    as_json: bool,
) -> Result<(), Failure> {
    let mut events = service.download("/events")?;
    let before = number.unwrap_or(0);
    if before > BEFORE {
        return Err(Failure::Use(said!("with --follow, -n may be at most {most}", most = BEFORE)));
    }
    let page: Page = service.get(&format!("/clips?limit={}", before.max(1)))?;
    let newest = page.clips.iter().map(|row| row.copied_at).max().unwrap_or(i64::MIN);
    let mut following = Following { service, out, as_json, shown: VecDeque::new(), newest };
    let known = page.clips.into_iter().rev().take(before as usize).collect();
    following.show(known)?;
    loop {
        following.read(events)?;
        // Listeners begin anew when something was removed for good; the service may well be there.
        if service.get::<Status>("/status").is_err() {
            return Err(Failure::Ended);
        }
        events = service.download("/events").map_err(|_| Failure::Ended)?;
    }
}

/// What was shown so far, and where it is shown.
struct Following<'f> {
    service: &'f Connection,
    out: &'f mut dyn Write,
    as_json: bool,
    shown: VecDeque<(String, i64)>,
    /// When the newest was copied that is known here.
    newest: i64,
}

impl Following<'_> {
    /// Shows clips that were not shown yet, in this order.
    fn show(&mut self, rows: Vec<Row>) -> Result<(), Failure> {
        let mut fresh = Vec::with_capacity(rows.len());
        for row in rows {
            let known = (row.id.clone(), row.copied_at);
            if self.shown.contains(&known) {
                continue;
            }
            if self.shown.len() >= REMEMBERED {
                self.shown.pop_front();
            }
            self.shown.push_back(known);
            self.newest = self.newest.max(row.copied_at);
            fresh.push(row);
        }
        if fresh.is_empty() {
            return Ok(());
        }
        if self.as_json {
            fresh.iter().try_for_each(|row| json_line(self.out, &Listing::of(row)))?;
        } else {
            print(self.out, &fresh)?;
        }
        Ok(self.out.flush()?)
    }

    /// Follows events (WHATWG HTML, section 9.2) until there are no more.
    fn read(&mut self, events: impl Read) -> Result<(), Failure> {
        let mut name = String::new();
        for line in BufReader::new(events).lines() {
            let Ok(line) = line else { break };
            if let Some(event) = line.strip_prefix("event: ") {
                event.clone_into(&mut name);
            } else if let Some(data) = line.strip_prefix("data: ") {
                match name.as_str() {
                    "clip" => {
                        let event: ClipEvent =
                            serde_json::from_str(data).map_err(|why| Failure::Connection(why.to_string()))?;
                        if event.copied {
                            self.show(vec![event.row])?;
                        }
                    }
                    // Nobody told of what came meanwhile.
                    "reset" => self.catch_up()?,
                    _ => {}
                }
            }
        }
        Ok(())
    }

    /// Shows what was copied since the newest that is known, oldest first.
    fn catch_up(&mut self) -> Result<(), Failure> {
        let (known, mut missed, mut after) = (self.newest, Vec::new(), String::new());
        for _ in 0..PAGES {
            let page: Page = self.service.get(&format!("/clips?limit={BEFORE}{after}"))?;
            let before = missed.len();
            missed.extend(page.clips.into_iter().filter(|row| row.copied_at > known));
            match page.next {
                Some(next) if missed.len() > before => after = format!("&after={next}"),
                _ => break,
            }
        }
        missed.reverse();
        self.show(missed)
    }
}
