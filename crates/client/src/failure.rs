//! What can go wrong, in words with the next step, and the exit code for it.

use std::io;
use std::path::{Path, PathBuf};

use yadori_api::Problem;

use crate::symbols::shown;
use yadori_words::{counted, said, word};

#[derive(Debug, thiserror::Error)]
pub(crate) enum Failure {
    #[error("{}", not_running(.0))]
    NotRunning(PathBuf),
    #[error("{}", in_words(.0))]
    Answered(Box<Problem>),
    #[error("{}", said!("the connection to the service failed: {why}. `yadori status` says whether it still runs", why = _0))]
    Connection(String),
    #[error("{0}")]
    Use(String),
    #[error("{path}: {}", of_file(cause))]
    File { path: String, cause: io::Error },
    #[error("{}", left_out(name, *clips, named))]
    LeftOut { name: String, clips: u64, named: Vec<String> },
    #[error("{}", said!("not paired: {why}", why = _0))]
    NotPaired(String),
    #[error("{}", damaged(*.0))]
    Damaged(u64),
    #[error("{0}")]
    NotKept(String),
    /// Nothing of that name, or nothing that matches.
    #[error("{0}")]
    Nothing(String),
    /// It is so already.
    #[error("{0}")]
    Done(String),
    /// The person gave up, or said no.
    #[error("{0}")]
    Cancelled(String),
    #[error("{}", said!("{skipped} of {total} could not be read; the rest is there, and importing again changes nothing of it", skipped = skipped, total = total))]
    Skipped { skipped: u64, total: u64 },
    /// Found by `yadori doctor`.
    #[error("{}", unwell(*.0))]
    Unwell(usize),
    #[error("{0}")]
    Editor(String),
    #[error("{}", word!("the service has ended. Start it with `yadorid`"))]
    Ended,
    #[error("{why}\n        {}", said!("With the answers that you gave: {again}", again = again))]
    Later { why: Box<Failure>, again: String },
    #[error("{}", not_own(.0))]
    NotOwn(PathBuf),
    #[error("{}", said!("output can't be written: {why}", why = _0))]
    Output(#[from] io::Error),
}

impl Failure {
    pub(crate) fn exit_code(&self) -> u8 {
        match self {
            Self::Use(_) => 2,
            Self::NotRunning(_) | Self::Ended => 3,
            Self::Nothing(_) => 4,
            Self::Answered(problem) => of_answer(problem),
            Self::NotKept(_) => 5,
            Self::Done(_) => 6,
            Self::Cancelled(_) => 7,
            Self::Later { why, .. } => why.exit_code(),
            Self::Editor(_) => 8,
            Self::Connection(_)
            | Self::File { .. }
            | Self::Output(_)
            | Self::LeftOut { .. }
            | Self::Skipped { .. }
            | Self::NotPaired(_)
            | Self::Damaged(_)
            | Self::Unwell(_)
            | Self::NotOwn(_) => 1,
        }
    }

    pub(crate) fn file(path: &std::path::Path, cause: io::Error) -> Self {
        Self::File { path: path.display().to_string(), cause }
    }
}

fn not_running(socket: &Path) -> String {
    said!(
        "the service is not running (nothing answers at {socket}). Start it with `yadorid`, or name its home with --home DIR",
        socket = socket.display()
    )
}

fn left_out(name: &str, clips: u64, named: &[String]) -> String {
    let lines = named.join("\n");
    said!(
        "{name} holds {clips} clips, and these could not be read:\n{lines}\n`yadori check` mends what can be mended",
        name = name,
        clips = clips,
        lines = lines
    )
}

fn damaged(clips: u64) -> String {
    said!(
        "{clips} clips can't be handed back as they were copied; restore them from a backup, or remove them",
        clips = clips
    )
}

fn unwell(things: usize) -> String {
    counted(
        things as u64,
        "one thing is wrong; how to mend it stands beside it",
        "{n} things are wrong; how to mend it stands beside it",
    )
}

fn not_own(socket: &Path) -> String {
    said!(
        "{socket} belongs to another user, so nothing was sent there. Name the home of your own service with --home DIR",
        socket = socket.display()
    )
}

/// What is wrong with a file, in words of our own where there are any.
fn of_file(cause: &io::Error) -> String {
    match cause.kind() {
        io::ErrorKind::NotFound if cause.get_ref().is_none() => said!("there is no such file"),
        io::ErrorKind::IsADirectory => said!("that is a directory, and a file is wanted"),
        io::ErrorKind::NotADirectory => said!("a part of that path is no directory"),
        io::ErrorKind::PermissionDenied => said!("you may not read or write it"),
        io::ErrorKind::StorageFull => said!("the disk is full, and nothing was replaced"),
        io::ErrorKind::ReadOnlyFilesystem => said!("nothing can be written there: it is read-only"),
        _ => cause.to_string(),
    }
}

/// The exit code for what the service said. docs/client.md has them all.
fn of_answer(problem: &Problem) -> u8 {
    match (problem.kind.as_str(), problem.status) {
        ("nothing-to-do", _) => 6,
        ("invalid-query" | "ambiguous-id" | "needs-answers" | "formatting-would-go", _) => 2,
        (_, 400 | 413 | 422) => 2,
        ("no-such-call", _) => 1,
        (_, 404) => 4,
        _ => 1,
    }
}

fn in_words(problem: &Problem) -> String {
    let mut words = format!("{}: {}", problem.title, problem.detail);
    if !problem.candidates.is_empty() {
        words = format!("{words} ({})", problem.candidates.join(", "));
    }
    if let Some(hint) = &problem.hint {
        let end = if words.ends_with(['?', '.', '…']) { "" } else { "." };
        words = format!("{words}{end}\n        {hint}");
    }
    shown(&words, true)
}
