//! Encodings of pictures that are made when they are asked for, on a thread of their own: the desk watches on meanwhile.

use std::sync::Arc;
use std::time::{Duration, Instant};

use bytes::Bytes;
use x11rb::protocol::xproto::{Atom, SelectionRequestEvent};
use yadori_core::Offer;
use yadori_core::clip::mime::Encoding;
use yadori_core::take::handing::Handed;

use super::{Session, X};
use crate::picture::encode;

/// How long the encoding that was made last is kept: programs ask several times in a row.
const KEPT: Duration = Duration::from_secs(10);
/// How many requests may wait for one.
const MOST_WAITING: usize = 64;

/// What is to be made: of which picture, in which encoding.
#[derive(Clone)]
struct Wanted {
    offer: Arc<Offer>,
    picture: usize,
    encoding: Encoding,
}

impl PartialEq for Wanted {
    fn eq(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.offer, &other.offer)
            && (self.picture, self.encoding) == (other.picture, other.encoding)
    }
}

/// What has been made; `None` when it can't be.
type Made = Option<Bytes>;

/// Encodings that are being made, and who waits for them.
#[derive(Default)]
pub(super) struct Making {
    waiting: Vec<(Wanted, SelectionRequestEvent, Atom)>,
    under_way: Option<(Wanted, std::sync::mpsc::Receiver<Made>)>,
    last: Option<(Wanted, Made, Instant)>,
}

impl Making {
    /// When the last one is let go of.
    pub(super) fn deadline(&self) -> Option<Instant> {
        self.last.as_ref().map(|(.., until)| *until)
    }

    pub(super) fn expire(&mut self, now: Instant) {
        if self.deadline().is_some_and(|until| until <= now) {
            self.last = None;
        }
    }
}

impl Session<'_> {
    /// Answers a request for an encoding that is to be made first, now or when it is there.
    pub(super) fn make(
        &mut self,
        event: &SelectionRequestEvent,
        property: Atom,
        offer: Arc<Offer>,
        (picture, encoding): (usize, Encoding),
    ) -> X<()> {
        let wanted = Wanted { offer, picture, encoding };
        if let Some((_, made, _)) = self.making.last.as_ref().filter(|(known, ..)| *known == wanted) {
            return self.answer_made(event, property, made.clone());
        }
        if self.making.waiting.len() >= MOST_WAITING {
            return self.notify(event, 0);
        }
        self.making.waiting.push((wanted, *event, property));
        self.make_next();
        Ok(())
    }

    fn make_next(&mut self) {
        let Some((wanted, ..)) = self.making.waiting.first().filter(|_| self.making.under_way.is_none())
        else {
            return;
        };
        let wanted = wanted.clone();
        let (tell, made) = std::sync::mpsc::channel();
        let (bell, content) =
            (self.inbox.bell.clone(), Handed::AsIs(wanted.picture).bytes(&wanted.offer).unwrap_or_default());
        let encoding = wanted.encoding;
        // Where no thread can be had, or it fails, the channel closes, and the request is refused.
        let _ = std::thread::Builder::new().name("encode".into()).spawn(move || {
            // The bell rings also when a picture makes the encoder fail: who waits is refused then.
            let made = std::panic::catch_unwind(|| encode(&content, encoding)).ok().flatten();
            let _ = tell.send(made.map(Bytes::from));
            let _ = rustix::io::write(&*bell, &1u64.to_ne_bytes());
        });
        self.making.under_way = Some((wanted, made));
    }

    /// Hands out what has been made since.
    pub(super) fn hand_out_made(&mut self) -> X<()> {
        use std::sync::mpsc::TryRecvError;
        let Some((wanted, made)) = &self.making.under_way else { return Ok(()) };
        let made = match made.try_recv() {
            Ok(made) => made,
            Err(TryRecvError::Empty) => return Ok(()),
            Err(TryRecvError::Disconnected) => None,
        };
        let wanted = wanted.clone();
        self.making.under_way = None;
        let (ready, waiting): (Vec<_>, Vec<_>) =
            self.making.waiting.drain(..).partition(|(one, ..)| *one == wanted);
        self.making.waiting = waiting;
        for (_, event, property) in ready {
            self.answer_made(&event, property, made.clone())?;
        }
        self.making.last = Some((wanted, made, Instant::now() + KEPT));
        self.make_next();
        Ok(())
    }

    fn answer_made(&mut self, event: &SelectionRequestEvent, property: Atom, made: Made) -> X<()> {
        let Some(bytes) = made else { return self.notify(event, 0) };
        self.hand(event.requestor, property, event.target, bytes)?;
        self.notify(event, property)
    }
}
