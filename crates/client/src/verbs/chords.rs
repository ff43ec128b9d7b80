//! `yadori chords`: which chords are heard, and lines for a desktop that leaves none to be heard.

use std::io::Write;

use clap::Args;
use yadori_api::{ChordStatus, Status};

use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use yadori_words::said;

/// Show which chords are heard, and what to name in the desktop's own key settings where they are not
#[derive(Debug, Args)]
pub(crate) struct Chords {
    /// For programs
    #[arg(long)]
    json: bool,
}

/// What a chord is for, in words.
pub(crate) fn purpose(chord: &ChordStatus) -> String {
    match chord.purpose.as_str() {
        "picker" => said!("open the picker"),
        "next" => said!("paste what is next in the batch"),
        "gather" => said!("let copies join a batch, or no longer"),
        "pause" => said!("pause capture, or go on"),
        "1" => said!("paste the newest clip"),
        place => said!("paste the clip at place {place}", place = place),
    }
}

/// The command that does the same.
fn command(chord: &ChordStatus) -> String {
    match chord.purpose.as_str() {
        "picker" => "yadori pick --open".to_owned(),
        "next" => "yadori batch next --paste".to_owned(),
        "gather" => "yadori batch gather, or yadori batch end".to_owned(),
        "pause" => "yadori pause, or yadori resume".to_owned(),
        place => format!("yadori take {place} --paste"),
    }
}

/// Why none of several is heard, where that is for one reason.
pub(crate) fn one_reason(chords: &[ChordStatus]) -> Option<&str> {
    let (first, rest) = chords.split_first().filter(|(_, rest)| !rest.is_empty())?;
    let reason = first.problem.as_deref()?;
    rest.iter().all(|one| one.problem.as_deref() == Some(reason)).then_some(reason)
}

impl Chords {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let status: Status = service.get("/status")?;
        if self.json {
            return json(out, &serde_json::json!({ "chords": status.chords }));
        }
        if status.chords.is_empty() {
            writeln!(
                out,
                "{}",
                said!(
                    "No chords are heard: there is no display, or they are switched off in the configuration."
                )
            )?;
        }
        let reason = one_reason(&status.chords);
        for chord in &status.chords {
            let why = chord.problem.as_deref().filter(|_| reason.is_none());
            let state = why.map_or_else(String::new, |why| said!("  not heard: {why}", why = why));
            writeln!(out, "{:14}{}{}", chord.keys, purpose(chord), shown(&state, false))?;
        }
        if let Some(reason) = reason {
            writeln!(out, "{}", said!("\nNone of them is heard: {reason}", reason = shown(reason, false)))?;
        }
        if let Some(hitch) = &status.hitch {
            writeln!(out, "{}", said!("\nThe last one: {hitch}", hitch = shown(&hitch.words, false)))?;
        }
        let unheard: Vec<&ChordStatus> = status.chords.iter().filter(|one| one.problem.is_some()).collect();
        if !unheard.is_empty() {
            writeln!(out, "{}", said!("\nFor the desktop's own key settings, keys and command:"))?;
            for chord in unheard {
                writeln!(out, "{:14}{}", chord.keys, command(chord))?;
            }
        }
        Ok(())
    }
}
