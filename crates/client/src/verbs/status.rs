//! `yadori status`: whether copies are kept, what an ordinary paste would insert, and what is wrong.

use std::io::Write;
use std::time::{Duration, Instant};

use clap::Args;
use yadori_api::{CaptureState, DatabaseState, LiveState, Status as Answer};

use super::batch::next_words;
use super::chords::{one_reason, purpose};
use super::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::symbols::shown;
use crate::table;
use crate::when::when;
use yadori_words::{said, word};

/// Say whether copies are kept, and what an ordinary paste would insert
///
/// The exit code is 0 when copies are being saved (or capture was switched off on purpose), 5 when they are not, and 3 when
/// the service is not running.
#[derive(Debug, Args)]
pub(crate) struct Status {
    /// Wait until copies are saved, for so many seconds at most
    #[arg(long, value_name = "SECONDS", num_args = 0..=1, default_missing_value = "60")]
    wait: Option<u64>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Status {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let status = self.answer(service)?;
        if self.json {
            json(out, &status)?;
            return verdict(&status);
        }
        let capture = match status.capture.state {
            CaptureState::Keeping => word!("keeping copies"),
            CaptureState::Starting => word!("starting"),
            CaptureState::Waiting => word!("copies wait in memory"),
            CaptureState::Broken => word!("copies are not being kept"),
            CaptureState::Off => word!("off"),
            CaptureState::Paused => word!("paused"),
        };
        let display = status
            .capture
            .display
            .as_ref()
            .map(|name| said!(" (display {name})", name = name))
            .unwrap_or_default();
        let until = match (status.capture.state, status.capture.paused_until) {
            (CaptureState::Paused, Some(at)) => {
                said!(" until {at}", at = when(at, &crate::zone::here()))
            }
            (CaptureState::Paused, None) => said!(" until `yadori resume`"),
            _ => String::new(),
        };
        line(out, word!("Capture"), &format!("{capture}{until}{display}"))?;
        why(out, status.capture.reason.as_deref())?;
        let unsaved = if status.unsaved > 0 {
            said!(", {unsaved} not yet saved", unsaved = status.unsaved)
        } else {
            String::new()
        };
        let loaded = if status.loaded { "" } else { word!(" (still loading)") };
        line(out, word!("Clips"), &format!("{}{unsaved}{loaded}", status.clips))?;
        if let Some(work) = &status.work {
            line(
                out,
                word!("Under way"),
                &said!("{what}: {done} of {work}", what = work.what, done = work.done, work = work.of),
            )?;
        }
        if let Some(waits) = &status.waits {
            let words =
                said!("{clip} would go by the limits, and wait", clip = table::count_of(waits.clips, "clip"));
            line(out, word!("Limits"), &words)?;
            why(out, Some(&said!("{why}; `yadori limits obey` lets them go", why = waits.why)))?;
        }
        let zone = crate::zone::here();
        if let Some(at) = status.last_copy_at {
            line(out, word!("Last copy"), &when(at, &zone))?;
        }
        let live = match (status.live.state, &status.live.clip) {
            (LiveState::Clip, Some(row)) => {
                let plain = if status.live.plain { word!(" (as plain text)") } else { "" };
                format!("{}{plain}", table::cut(&table::line(row), table::width().saturating_sub(28)))
            }
            (LiveState::Empty, _) => said!("nothing"),
            (LiveState::Item, _) => said!("an item of a batch"),
            (LiveState::Unkept, _) => said!("something that is not in the history"),
            _ => said!("not known"),
        };
        line(out, word!("A paste gives"), &live)?;
        let database = match status.database.state {
            DatabaseState::Ready => word!("ready"),
            DatabaseState::Starting => word!("starting"),
            DatabaseState::Away => word!("away"),
            DatabaseState::Full => word!("the disk is full"),
            DatabaseState::Damaged => word!("damaged"),
            DatabaseState::Refused => word!("can't be used"),
        };
        let space = status.space.map(|space| {
            said!(
                ", {disk} on the disk for {contents} of contents",
                disk = table::size(space.disk),
                contents = table::size(space.contents)
            )
        });
        line(out, word!("Records"), &format!("{database}{}", space.unwrap_or_default()))?;
        why(out, status.database.reason.as_deref())?;
        match (&status.console, &status.console_problem) {
            (Some(address), _) => {
                line(
                    out,
                    word!("Console"),
                    &said!("{address} (sign in with `yadori console`)", address = address),
                )?;
            }
            (None, Some(problem)) => {
                line(out, word!("Console"), word!("not served"))?;
                why(out, Some(problem))?;
            }
            (None, None) => {}
        }
        for refusal in status.refusals.iter().take(5) {
            let program =
                refusal.program.as_ref().map(|name| said!(", from {name}", name = name)).unwrap_or_default();
            let words = format!("{}: {}{program}", when(refusal.at, &zone), refusal.words);
            line(out, word!("Not kept"), &shown(&words, false))?;
        }
        if let Some(batch) = status.batch.as_ref().filter(|batch| batch.gathering || batch.left > 0) {
            line(out, word!("Batch"), &next_words(batch))?;
        }
        let reason = one_reason(&status.chords);
        if let Some(reason) = reason {
            line(
                out,
                word!("Chords"),
                &said!("none of {chords} is heard: {reason}", chords = status.chords.len(), reason = reason),
            )?;
        }
        for chord in status.chords.iter().filter(|one| one.problem.is_some() && reason.is_none()) {
            let problem = chord.problem.as_deref().unwrap_or_default();
            line(out, word!("Chord"), &format!("{} ({}): {problem}", chord.keys, purpose(chord)))?;
        }
        if let Some(hitch) = &status.hitch {
            let words = format!("{}: {}", when(hitch.at, &zone), hitch.words);
            line(out, word!("Last chord"), &shown(&words, false))?;
        }
        if let Some(brought) = &status.brought {
            let live = if brought.live { word!(", on the live clipboard") } else { "" };
            let words = said!("a clip, {at}{live}", at = when(brought.at, &zone), live = live);
            line(
                out,
                &said!("From {device}", device = shown(&table::cut(&brought.device, 9), false)),
                &words,
            )?;
        }
        for fault in &status.faults {
            line(out, word!("Fault"), &shown(fault, false))?;
        }
        if status.damaged > 0 {
            let words = said!("{damaged} clips; `yadori check` names them", damaged = status.damaged);
            line(out, word!("Damaged"), &words)?;
        }
        verdict(&status)
    }

    /// How things stand, or how they stand once copies are saved.
    fn answer(&self, service: &Connection) -> Result<Answer, Failure> {
        let until = self.wait.map(|seconds| Instant::now() + Duration::from_secs(seconds));
        loop {
            let answer: Result<Answer, Failure> = service.get("/status");
            let done = answer.as_ref().is_ok_and(saves);
            if done || until.is_none_or(|until| Instant::now() >= until) {
                return answer;
            }
            std::thread::sleep(LOOK);
        }
    }
}

/// How often `--wait` looks.
const LOOK: Duration = Duration::from_millis(50);

/// True when copies are being saved, as far as that is wanted.
fn saves(status: &Answer) -> bool {
    let records = status.loaded && status.database.state == DatabaseState::Ready;
    records
        && matches!(status.capture.state, CaptureState::Keeping | CaptureState::Off | CaptureState::Paused)
}

fn verdict(status: &Answer) -> Result<(), Failure> {
    if saves(status) { Ok(()) } else { Err(Failure::NotKept(said!("copies are not being saved now"))) }
}

fn line(out: &mut dyn Write, name: &str, value: &str) -> Result<(), Failure> {
    Ok(writeln!(out, "{}{value}", table::padded(name, 15))?)
}

fn why(out: &mut dyn Write, reason: Option<&str>) -> Result<(), Failure> {
    match reason {
        Some(reason) => Ok(writeln!(out, "{}{}", " ".repeat(15), shown(reason, false))?),
        None => Ok(()),
    }
}
