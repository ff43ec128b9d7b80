//! `yadori remove`: clips out of the history; `yadori undo` brings them back for a while.

use std::io::Write;

use clap::Args;
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{FoundOutline, Remove as Removal, Removed, Row, RowsById, RowsRequest};

use super::list::{ids_of, outlined, pointed, print};
use super::{detail, json};
use crate::completing::{clips, words};
use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use yadori_words::said;

/// Clips that one act may touch.
const AT_ONCE: usize = 10_000;
/// Rows that a dry run shows.
const SHOWN: usize = 20;

/// Remove clips from the history
///
/// With --query, favorites and clips in drawers stay unless the query names them (is:pinned, is:favorite, in:DRAWER)
/// or --pinned is given.
#[derive(Debug, Args)]
pub(crate) struct Remove {
    /// Which clips
    #[arg(required_unless_present = "query", value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clips: Vec<String>,
    /// Everything that a query finds
    #[arg(short, long, value_name = "QUERY", add = ArgValueCompleter::new(words), conflicts_with = "clips")]
    query: Option<String>,
    /// With --query: favorites and clips in drawers, too
    #[arg(long, requires = "query")]
    pinned: bool,
    /// Only show what would go
    #[arg(long)]
    dry_run: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Remove {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let (ids, spared, spared_unless_named) = match &self.query {
            Some(query) => {
                let found = self.found(service, query)?;
                (ids_of(&found), found.spared, !self.pinned && !found.names_pinned)
            }
            None => {
                // All addresses are looked up before anything goes, so that no place shifts meanwhile.
                let found: Result<Vec<String>, Failure> =
                    self.clips.iter().map(|clip| Ok(detail(service, clip)?.row.id)).collect();
                (found?, 0, false)
            }
        };
        if ids.is_empty() {
            let spared = if spared > 0 {
                said!(" ({spared} pinned ones would; --pinned takes them too)", spared = spared)
            } else {
                String::new()
            };
            return Err(Failure::Nothing(said!("nothing matches{spared}", spared = spared)));
        }
        if self.dry_run {
            let first = ids.iter().take(SHOWN).cloned().collect();
            let rows: RowsById = service.post("/rows", &RowsRequest { ids: first })?;
            return self.would_go(out, &rows.clips, ids.len(), spared);
        }
        // Very many go in several acts, each to be taken back on its own.
        let mut removed = Removed { id: String::new(), revision: 0, removed: 0, grace_seconds: 0 };
        let acts = ids.len().div_ceil(AT_ONCE);
        // What a query found is taken only as long as it is not pinned meanwhile.
        let spare_pinned = spared_unless_named;
        for some in ids.chunks(AT_ONCE) {
            let part: Removed = service.post("/remove", &Removal { ids: some.to_vec(), spare_pinned })?;
            removed = Removed { removed: removed.removed + part.removed, ..part };
        }
        if self.json {
            return json(out, &removed);
        }
        let minutes = removed.grace_seconds.div_ceil(60);
        let pinned = if spared > 0 {
            said!(" {spared} stayed, being pinned.", spared = so_many(spared))
        } else {
            String::new()
        };
        let parts = if acts > 1 { said!(" in {acts} acts", acts = acts) } else { String::new() };
        writeln!(
            out,
            "{}",
            said!(
                "Removed {removed}{parts}.{pinned} `yadori undo` takes that back, for {minutes} minutes.",
                removed = so_many(removed.removed),
                parts = parts,
                pinned = pinned,
                minutes = minutes
            )
        )?;
        Ok(())
    }

    fn would_go(&self, out: &mut dyn Write, rows: &[Row], all: usize, spared: u64) -> Result<(), Failure> {
        if self.json {
            return json(out, &serde_json::json!({ "clips": all, "spared": spared, "first": rows }));
        }
        print(out, rows)?;
        if all > rows.len() {
            writeln!(out, "{}", said!("… and {rows} more", rows = all - rows.len()))?;
        }
        let pinned = if spared > 0 {
            said!(" {spared} would stay, being pinned.", spared = so_many(spared))
        } else {
            String::new()
        };
        Ok(writeln!(
            out,
            "{}",
            said!(
                "{clips} would be removed.{pinned} Nothing was done.",
                clips = so_many(all as u64),
                pinned = pinned
            )
        )?)
    }

    /// What a query finds, and how much more there is that stays because it is pinned and was not named. What the query
    /// means is decided by the service; the dry run shows what the act takes.
    fn found(&self, service: &Connection, query: &str) -> Result<FoundOutline, Failure> {
        if query.trim().is_empty() {
            return Err(Failure::Use(said!(
                "an empty query would find everything; say what shall go, e.g. since:1h"
            )));
        }
        let (q, zone) = (escaped(query), crate::zone::parameter());
        let what = format!("q={q}&spare_pinned={}{zone}", !self.pinned);
        outlined(service, &what, usize::MAX).map_err(|why| pointed(why, query))
    }
}

fn so_many(count: u64) -> String {
    crate::table::count_of(count, "clip")
}
