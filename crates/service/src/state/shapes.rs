//! The shapes of the interface, made of what the service knows.

use yadori_api as api;
use yadori_core::clip::facts::path_of;
use yadori_core::history::stored::Held;
use yadori_core::take::chord::Purpose;
use yadori_core::take::fill_in::may_hold;
use yadori_core::{Clip, ClipId, Facts, History, Kept, Kind, RefusalReason, Source};
use yadori_desk::{ChordHeard, ChordProblem, DeskState};
use yadori_store::RefusalRow;

use crate::state::health::HealthNow;
use crate::state::pausing::Pause;

/// A clip as a row of a list.
pub fn row(history: &History, clip: &Clip) -> api::Row {
    let facts = &clip.facts;
    let offer = clip.state.offer();
    api::Row {
        id: clip.id.to_string(),
        prefix: history.prefix_of(clip.id),
        place: history.place_of(clip.id).unwrap_or(0) as u64,
        kind: facts.kind(),
        head: head_of(facts),
        title: clip.state.title().map(str::to_owned),
        chars: if clip.is_secret() { 0 } else { facts.chars },
        lines: facts.lines,
        size: if clip.is_secret() { 0 } else { facts.size },
        formatted: facts.formatted,
        copied_at: clip.copied_at(),
        copies: clip.state.times_copied(),
        source: offer.map(|offer| offer.source.clone()).unwrap_or_default(),
        picture: facts.picture.clone(),
        files: if clip.is_secret() { Vec::new() } else { files(facts) },
        file_count: facts.file_count,
        saved: clip.held != Held::Waiting,
        color: clip.state.color(),
        kept: kept(history, clip),
        made_from: clip.state.made_from().filter(|id| history.has(*id)).map(|id| id.to_string()),
        fill_ins: clip.state.is_pinned() && !clip.is_secret() && may_hold(&facts.head),
        secret: facts.secret,
        until: match clip.held {
            Held::Fleeting { until } => Some(until),
            _ => None,
        },
    }
}

/// What is shown of its words: of a secret, only what it is.
pub fn head_of(facts: &Facts) -> String {
    match facts.secret {
        Some(secret) => format!("•••••••• ({})", secret.name()),
        None => facts.head.clone(),
    }
}

/// A chord, and why it is not heard.
pub fn chord(heard: &ChordHeard) -> api::ChordStatus {
    let (purpose, setting) = match heard.purpose {
        Purpose::Picker => ("picker".to_owned(), "chords.picker"),
        Purpose::Place(n) => (n.to_string(), "chords.place"),
        Purpose::Next => ("next".to_owned(), "chords.next"),
        Purpose::Gather => ("gather".to_owned(), "chords.gather"),
        Purpose::Pause => ("pause".to_owned(), "chords.pause"),
    };
    let keys = heard.chord.to_string();
    let problem = heard.problem.map(|problem| {
        let why = match problem {
            ChordProblem::Taken => "another program holds it",
            ChordProblem::NoSuchKey => "this keyboard has no such key",
            ChordProblem::Compositor => {
                let words = "the compositor alone hears keys; bind the command that `yadori chords` names in its configuration";
                return words.to_owned();
            }
        };
        format!("{why}; choose another one for `{setting}` in the configuration, or free it there")
    });
    api::ChordStatus { purpose, keys, problem }
}

/// The row of a clip that has gone since: nothing but its id.
pub fn blank_row(id: ClipId) -> api::Row {
    let id = id.to_string();
    api::Row {
        prefix: id[..4].to_owned(),
        id,
        place: 0,
        kind: Kind::Text,
        head: String::new(),
        title: None,
        chars: 0,
        lines: 0,
        size: 0,
        formatted: false,
        copied_at: 0,
        copies: 0,
        source: Source::default(),
        picture: None,
        files: Vec::new(),
        file_count: 0,
        saved: true,
        color: None,
        kept: None,
        made_from: None,
        fill_ins: false,
        secret: None,
        until: None,
    }
}

pub(super) fn files(facts: &Facts) -> Vec<String> {
    facts.files.iter().map(|uri| path_of(uri).unwrap_or_else(|| uri.clone())).collect()
}

fn kept(history: &History, clip: &Clip) -> Option<api::Kept> {
    let drawer_name = history.drawer_name(clip).map(str::to_owned);
    let drawer = clip.state.kept().drawer().filter(|_| drawer_name.is_some()).map(str::to_owned);
    clip.state.is_pinned().then(|| api::Kept { drawer, drawer_name, rank: rank(history, clip) })
}

/// A kept clip's place as a text that sorts: clips of drawers that were removed come after all other favorites.
pub fn rank(history: &History, clip: &Clip) -> String {
    rank_of(history, clip.state.kept())
}

/// The same for where it is kept.
pub fn rank_of(history: &History, kept: &Kept) -> String {
    match kept.drawer() {
        Some(drawer) if history.drawers().get(drawer).is_none() => format!("~{drawer} {}", kept.rank()),
        _ => kept.rank().to_owned(),
    }
}

/// Where a favorite with such a rank is kept.
pub fn kept_of_rank(rank: &str) -> Kept {
    match rank.strip_prefix('~').and_then(|rest| rest.rsplit_once(' ')) {
        Some((drawer, rank)) => Kept::Drawer { drawer: drawer.to_owned(), rank: rank.to_owned() },
        None => Kept::Favorite(rank.to_owned()),
    }
}

/// A refusal in words.
pub fn refusal(row: &RefusalRow) -> api::Refusal {
    let words = match (row.reason, row.size) {
        (RefusalReason::TooLarge, Some(size)) => {
            format!("{} was copied; copies over 64 MiB are not kept", megabytes(size))
        }
        (RefusalReason::TooLarge, None) => "copies over 64 MiB are not kept".into(),
        (RefusalReason::NoRoom, _) => {
            "memory for waiting copies was full while nothing could be saved".into()
        }
        (RefusalReason::Invalid, _) => "the database would not take it".into(),
        (RefusalReason::Unreadable, _) => "the program did not hand its copy over".into(),
    };
    api::Refusal { at: row.at, reason: row.reason, words, size: row.size, program: row.program.clone() }
}

fn megabytes(size: u64) -> String {
    format!("{}.{} MB", size / 1_000_000, size % 1_000_000 / 100_000)
}

/// Whether copies are kept, in a word and in words.
pub fn capture(health: &HealthNow, pause: Option<Pause>) -> api::Capture {
    use api::{CaptureState as Is, DatabaseState};
    let (state, reason, display) = match &health.desk {
        None => {
            let off =
                "capture is switched off for this run; start yadorid without --no-capture to keep copies";
            (Is::Off, Some(off.to_owned()), None)
        }
        Some(DeskState::Connecting) => (Is::Starting, None, None),
        Some(DeskState::Lost { reason } | DeskState::Absent { reason }) => {
            (Is::Broken, Some(reason.clone()), None)
        }
        Some(DeskState::Watching { display, note }) => {
            let waits =
                |why: &str| Some(format!("{why}: copies wait in memory and are saved when that is over"));
            let (state, reason) = match health.database.state {
                DatabaseState::Ready => (Is::Keeping, note.clone()),
                DatabaseState::Starting => {
                    (Is::Starting, Some("copies wait in memory until the database has started".to_owned()))
                }
                DatabaseState::Full => (Is::Waiting, waits("the disk is full")),
                DatabaseState::Away => (Is::Waiting, waits("the database is away")),
                DatabaseState::Damaged => (Is::Waiting, waits("the records are damaged")),
                DatabaseState::Refused => (Is::Broken, health.database.reason.clone()),
            };
            let state = if pause.is_some() && state != Is::Broken { Is::Paused } else { state };
            (state, reason, Some(display.clone()))
        }
    };
    let paused_until = pause.and_then(|pause| pause.until);
    api::Capture { state, reason, display, paused_until }
}
