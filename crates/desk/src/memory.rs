//! A desk in memory: for tests of what is above a desk. Other programs are played by a [`Stage`].

use std::sync::{Arc, Mutex, mpsc as std_mpsc};

use bytes::Bytes;
use tokio::sync::mpsc;
use yadori_core::clip::mime;
use yadori_core::{COPY_CAP, Offer, Representation, Source};

use crate::{
    Command, Desk, DeskEvent, DeskEvents, DeskState, Live, PasteError, Refused, RefusedBecause, now,
};

/// The other programs of a desk in memory.
#[derive(Debug, Clone)]
pub struct Stage {
    live: Arc<Mutex<Option<Arc<Offer>>>>,
    tell: mpsc::UnboundedSender<DeskEvent>,
}

/// Starts a desk in memory.
pub fn start() -> (Desk, DeskEvents, Stage) {
    let (tell, events) = mpsc::unbounded_channel();
    let live = Arc::new(Mutex::new(None));
    let (inbox, commands) = std_mpsc::channel();
    let stage = Stage { live: live.clone(), tell: tell.clone() };
    let _ = tell.send(DeskEvent::State(DeskState::Watching { display: "memory".into(), note: None }));
    let thread = std::thread::spawn(move || {
        let put = |offer| {
            if let Ok(mut live) = live.lock() {
                *live = Some(offer);
            }
            let _ = tell.send(DeskEvent::Live(Live::Taken));
        };
        while let Ok(command) = commands.recv() {
            match command {
                Command::Take(offer, done) => {
                    put(offer);
                    let _ = done.send(Ok(()));
                }
                Command::Paste(paste, done) => {
                    paste.offer.into_iter().for_each(&put);
                    let _ = done.send(Err(PasteError::NoWindow));
                }
                Command::HandOver(done) => drop(done),
                Command::Target(_, done) => drop(done),
                Command::Clear(done) => {
                    if let Ok(mut live) = live.lock() {
                        *live = None;
                    }
                    let _ = tell.send(DeskEvent::Live(Live::Empty));
                    let _ = done.send(true);
                }
                Command::Forget(_) | Command::ExpectPicker | Command::PickerFailed | Command::Listen => {}
                Command::Resume(done) => drop(done.send(())),
                Command::Stop => return,
            }
        }
    });
    let send = Box::new(move |command| inbox.send(command).is_ok());
    let desk = Desk { send, keys: Arc::default(), paused: vec![Arc::default()], thread: Some(thread) };
    (desk, events, stage)
}

impl Stage {
    /// A program copies.
    pub fn copy(&self, representations: Vec<Representation>) {
        let at = now();
        let _ = self.tell.send(DeskEvent::Live(Live::Theirs(at)));
        let source = Source { program: Some("stage".into()), ..Source::default() };
        let offer = Arc::new(Offer { representations, source: source.clone(), at, ..Offer::default() });
        if let Ok(mut live) = self.live.lock() {
            *live = Some(offer.clone());
        }
        let secret = offer
            .find(&mime::DO_NOT_RECORD.to_ascii_lowercase())
            .or_else(|| offer.representations.iter().find(|one| one.mime == mime::DO_NOT_RECORD));
        let refused = |reason| DeskEvent::Refused(Refused { at, reason, source: source.clone() });
        let event = if secret.is_some_and(|one| one.content.expose().as_ref() == b"secret") {
            DeskEvent::Refused(Refused { at, reason: RefusedBecause::DoNotRecord, source: Source::default() })
        } else if offer.size() > COPY_CAP {
            refused(RefusedBecause::TooLarge(offer.size()))
        } else {
            DeskEvent::Copied { offer, at_start: false, executable: None, selected: false }
        };
        let _ = self.tell.send(event);
    }

    /// A program pastes.
    pub fn paste(&self, target: &str) -> Option<Bytes> {
        let live = self.live.lock().ok()?.clone()?;
        let found = live.representations.iter().find(|one| {
            one.mime == target || (mime::text_rank(target).is_some() && mime::text_rank(&one.mime).is_some())
        });
        found.map(|one| one.content.expose().clone())
    }

    /// The display goes away, or comes back.
    pub fn set_state(&self, state: DeskState) {
        let _ = self.tell.send(DeskEvent::State(state));
    }
}
