//! A small window that shows a picture: it can be dragged anywhere and pressed, and never has the keyboard.

mod layer;
mod standing;
mod x11;

use std::os::fd::{AsFd, OwnedFd};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

use rustix::event::{EventfdFlags, PollFd, PollFlags, Timespec, eventfd, poll};
use tokio::sync::mpsc;

use crate::displays::Displays;

/// How long after the display was away it is looked for again.
const AGAIN: Duration = Duration::from_secs(3);

/// Points from the top left of the screen.
pub type Place = (i32, i32);
type Teller = mpsc::UnboundedSender<LampEvent>;

/// What a person does with it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LampEvent {
    /// It was pressed.
    Pressed,
    /// It was pressed with the other button: it is not wanted here.
    Dismissed,
    /// It was dragged, and stands here now.
    Moved(Place),
}

/// A picture: as alpha, red, green, blue.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Picture {
    /// Its width and height, in points.
    pub size: (u16, u16),
    /// Its points, row by row.
    pub points: Vec<u8>,
}

impl Picture {
    /// What is to be seen of it: x, y and width of each piece of a row.
    fn rows(&self) -> impl Iterator<Item = (i32, i32, u16)> {
        let wide = usize::from(self.size.0).max(1);
        (0..).zip(self.points.chunks_exact(wide * 4)).flat_map(|(y, row)| {
            let seen: Vec<bool> = row.chunks_exact(4).map(|point| point[0] > 127).collect();
            let mut pieces = Vec::new();
            let mut x = 0;
            while x < seen.len() {
                let long = seen[x..].iter().take_while(|is| **is).count();
                if long > 0 {
                    pieces.push((i32::try_from(x).unwrap_or(0), y, u16::try_from(long).unwrap_or(0)));
                }
                x += long.max(1);
            }
            pieces
        })
    }
}

/// The window. It goes with this.
#[derive(Debug)]
pub struct Lamp {
    shared: Arc<Shared>,
    thread: Option<std::thread::JoinHandle<()>>,
}

#[derive(Debug)]
struct Shared {
    wanted: Mutex<Wanted>,
    bell: OwnedFd,
}

#[derive(Clone, Debug, Default)]
struct Wanted {
    picture: Picture,
    stop: bool,
}

impl Lamp {
    /// Puts it up, here or at the bottom right; it comes again with the display. A compositor that lets programs put such
    /// windows up is asked first; elsewhere it stands on the X display.
    ///
    /// # Errors
    /// The system gives no thread or descriptor.
    pub fn start(
        displays: Displays,
        place: Option<Place>,
        picture: Picture,
    ) -> std::io::Result<(Self, mpsc::UnboundedReceiver<LampEvent>)> {
        let (tell, events) = mpsc::unbounded_channel();
        let bell = eventfd(0, EventfdFlags::NONBLOCK | EventfdFlags::CLOEXEC)?;
        let shared = Arc::new(Shared { wanted: Mutex::new(Wanted { picture, stop: false }), bell });
        let own = shared.clone();
        let thread = std::thread::Builder::new().name("lamp".into()).spawn(move || {
            let mut place = place;
            while !own.wanted().stop {
                if !show(&displays, &mut place, &own, &tell) {
                    own.wait(AGAIN);
                }
            }
        })?;
        Ok((Self { shared, thread: Some(thread) }, events))
    }

    /// Shows another picture, of the same size.
    pub fn show(&self, picture: Picture) {
        self.shared.wanted.lock().unwrap_or_else(PoisonError::into_inner).picture = picture;
        self.shared.ring();
    }
}

impl Drop for Lamp {
    fn drop(&mut self) {
        self.shared.wanted.lock().unwrap_or_else(PoisonError::into_inner).stop = true;
        self.shared.ring();
        if let Some(thread) = self.thread.take() {
            let _ = thread.join();
        }
    }
}

impl Shared {
    fn wanted(&self) -> Wanted {
        self.wanted.lock().unwrap_or_else(PoisonError::into_inner).clone()
    }

    fn ring(&self) {
        let _ = rustix::io::write(&self.bell, &1u64.to_ne_bytes());
    }

    fn silence(&self) {
        let mut count = [0; 8];
        let _ = rustix::io::read(&self.bell, &mut count);
    }

    fn wait(&self, time: Duration) {
        let limit = Timespec::try_from(time).ok();
        let _ = poll(&mut [PollFd::from_borrowed_fd(self.bell.as_fd(), PollFlags::IN)], limit.as_ref());
        self.silence();
    }
}

/// Shows it for as long as it can. True: it can be shown anew at once.
fn show(displays: &Displays, place: &mut Option<Place>, shared: &Shared, tell: &Teller) -> bool {
    if let Some(socket) = &displays.wayland {
        match layer::show(socket, place, shared, tell) {
            Ok(()) => return true,
            Err(layer::NotShown::NoLayers) => {}
            Err(layer::NotShown::Lost(why)) => {
                tracing::debug!("no lamp there: {why}");
                return false;
            }
        }
    }
    if let Some(display) = &displays.x
        && let Err(why) = x11::show(display, place, shared, tell)
    {
        tracing::debug!("no lamp there: {why}");
    }
    false
}
