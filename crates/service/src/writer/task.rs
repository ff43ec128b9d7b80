//! What is done in portions, and how far it has come.

use std::collections::HashMap;
use std::time::Instant;

use yadori_core::acts::{ClearRecord, Direction};
use yadori_core::{ClipId, Micros, Stamp};

use crate::writer::change::{Done, Outcome};

/// Clips of one portion: what waits behind it does not wait long.
pub(super) const PORTION: usize = 100;

/// What is being done.
#[derive(Debug)]
pub(super) enum Task {
    /// What a clearing shall take is noted.
    /// `ahead`: those that a clock far ahead has stamped.
    Note {
        record: Box<ClearRecord>,
        clips: Vec<ClipId>,
        ahead: HashMap<ClipId, Stamp>,
        noted: usize,
        ends: bool,
    },
    /// A clearing takes its clips.
    /// `from_start`: whatever it took was taken in this run.
    Clear { record: Box<ClearRecord>, ends: bool, from_start: bool },
    /// Its parts are taken back, or made again.
    /// `after`: up to where this run has come.
    Step { direction: Direction, favorites: bool, after: Option<ClipId> },
    /// Its parts are let go of.
    End { after: Option<ClipId> },
    /// Clips go for limits: those whose time is still the same.
    Evict { clips: Vec<(ClipId, Micros)>, favorites: bool },
}

/// Work in portions.
#[derive(Debug)]
pub(super) struct Long {
    pub(super) act: [u8; 16],
    pub(super) task: Task,
    pub(super) done: u64,
    pub(super) of: u64,
    pub(super) answer: Option<Done<Outcome>>,
    pub(super) told: Instant,
}

impl Long {
    pub(super) fn new(act: [u8; 16], task: Task, of: u64, answer: Option<Done<Outcome>>) -> Self {
        Self { act, task, done: 0, of, answer, told: Instant::now() }
    }

    pub(super) fn word(&self) -> &'static str {
        match self.task {
            Task::Note { .. } | Task::Clear { .. } => "clearing",
            Task::Step { direction: Direction::Undo, .. } => "bringing back",
            Task::Step { direction: Direction::Redo, .. } => "clearing again",
            Task::End { .. } => "letting go of what was cleared",
            Task::Evict { .. } => "obeying the limits",
        }
    }

    /// Its act is recorded: it is gone on with, whatever comes.
    pub(super) fn has_begun(&self) -> bool {
        !matches!(self.task, Task::Note { .. } | Task::Evict { .. })
    }

    /// It is few enough to be told of clip by clip.
    pub(super) fn is_small(&self) -> bool {
        self.of <= PORTION as u64
    }
}

/// A clearing that an earlier run did not bring to its end.
#[derive(Debug)]
pub(super) struct Begun {
    pub(super) act: [u8; 16],
    /// How far it is: one of the store's words.
    pub(super) going: i8,
    pub(super) undone: bool,
    /// Clips of it.
    pub(super) of: u64,
    /// Its record.
    pub(super) payload: Vec<u8>,
}
