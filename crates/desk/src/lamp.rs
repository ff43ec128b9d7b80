//! A small window that shows a picture, for an X display: it can be dragged anywhere and pressed, and never has the keyboard.
//! It is a window without a frame that no window manager moves (ICCCM section 4.1.10), in the shape of its picture.

use std::os::fd::{AsFd, OwnedFd};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use rustix::event::{EventfdFlags, PollFd, PollFlags, Timespec, eventfd, poll};
use tokio::sync::mpsc;
use x11rb::COPY_DEPTH_FROM_PARENT;
use x11rb::connection::{Connection, RequestConnection as _};
use x11rb::errors::ReplyOrIdError;
use x11rb::protocol::Event;
use x11rb::protocol::shape::{self, ConnectionExt as _};
use x11rb::protocol::xproto::{
    AtomEnum, ConfigureWindowAux, ConnectionExt as _, CreateGCAux, CreateWindowAux, EventMask, Gcontext,
    ImageFormat, PropMode, Rectangle, StackMode, Visibility, Window, WindowClass,
};
use x11rb::rust_connection::RustConnection;
use x11rb::wrapper::ConnectionExt as _;

/// A press that moves by less is no drag, in points.
const STILL: i32 = 4;
/// How often it comes to the front again, at most: two that both want to be there would never rest.
const FRONT: Duration = Duration::from_secs(2);
/// How long after the display was away it is looked for again.
const AGAIN: Duration = Duration::from_secs(3);

/// What a person does with it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum LampEvent {
    /// It was pressed.
    Pressed,
    /// It was pressed with the other button: it is not wanted here.
    Dismissed,
    /// It was dragged, and stands here now, in points from the top left.
    Moved(i32, i32),
}

/// A picture: as alpha, red, green, blue.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Picture {
    /// Its width and height, in points.
    pub size: (u16, u16),
    /// Its points, row by row.
    pub points: Vec<u8>,
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
    /// Puts it up on a display, here or at the bottom right; it comes again with the display.
    ///
    /// # Errors
    /// The system gives no thread or descriptor.
    pub fn start(
        display: String,
        place: Option<(i32, i32)>,
        picture: Picture,
    ) -> std::io::Result<(Self, mpsc::UnboundedReceiver<LampEvent>)> {
        let (tell, events) = mpsc::unbounded_channel();
        let bell = eventfd(0, EventfdFlags::NONBLOCK | EventfdFlags::CLOEXEC)?;
        let shared = Arc::new(Shared { wanted: Mutex::new(Wanted { picture, stop: false }), bell });
        let own = shared.clone();
        let thread = std::thread::Builder::new().name("lamp".into()).spawn(move || {
            let mut place = place;
            while !own.wanted().stop {
                if let Err(why) = show(&display, &mut place, &own, &tell) {
                    tracing::debug!("no lamp there: {why}");
                }
                own.wait(AGAIN);
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

/// A press that is under way: where on the screen it began, where the window stood then, and whether it has become a drag.
struct Press {
    from: (i32, i32),
    stood: (i32, i32),
    drags: bool,
}

fn show(
    display: &str,
    place: &mut Option<(i32, i32)>,
    shared: &Shared,
    tell: &mpsc::UnboundedSender<LampEvent>,
) -> Result<(), ReplyOrIdError> {
    let (conn, number) =
        RustConnection::connect(Some(display)).map_err(|_| x11rb::errors::ConnectionError::UnknownError)?;
    let screen = &conn.setup().roots[number];
    let room = (i32::from(screen.width_in_pixels), i32::from(screen.height_in_pixels));
    let mut shown = shared.wanted().picture;
    let size = (i32::from(shown.size.0), i32::from(shown.size.1));
    // Wherever it was: to be seen on this screen.
    let within =
        |(x, y): (i32, i32)| (x.clamp(0, (room.0 - size.0).max(0)), y.clamp(0, (room.1 - size.1).max(0)));
    let mut at = within(place.unwrap_or((room.0 - size.0 - 24, room.1 - size.1 - 24)));
    let window = conn.generate_id()?;
    let mask = EventMask::EXPOSURE
        | EventMask::BUTTON_PRESS
        | EventMask::BUTTON_RELEASE
        | EventMask::BUTTON1_MOTION
        | EventMask::VISIBILITY_CHANGE;
    let look =
        CreateWindowAux::new().override_redirect(1).event_mask(mask).background_pixel(screen.black_pixel);
    conn.create_window(
        COPY_DEPTH_FROM_PARENT,
        window,
        screen.root,
        clipped(at.0),
        clipped(at.1),
        shown.size.0,
        shown.size.1,
        0,
        WindowClass::INPUT_OUTPUT,
        0,
        &look,
    )?;
    conn.change_property8(PropMode::REPLACE, window, AtomEnum::WM_NAME, AtomEnum::STRING, b"Yadori's lamp")?;
    conn.change_property8(
        PropMode::REPLACE,
        window,
        AtomEnum::WM_CLASS,
        AtomEnum::STRING,
        b"yadori\0Yadori\0",
    )?;
    let pen = conn.generate_id()?;
    conn.create_gc(pen, window, &CreateGCAux::new())?;
    shape_as(&conn, window, &shown)?;
    conn.map_window(window)?;
    conn.flush()?;
    let (mut press, mut front): (Option<Press>, Option<Instant>) = (None, None);
    loop {
        while let Some(event) = conn.poll_for_event()? {
            match event {
                Event::Expose(_) => draw(&conn, window, pen, screen.root_depth, &shown)?,
                Event::ButtonPress(event) if event.detail == 1 => {
                    let from = (i32::from(event.root_x), i32::from(event.root_y));
                    press = Some(Press { from, stood: at, drags: false });
                }
                Event::MotionNotify(event) => {
                    let Some(press) = &mut press else { continue };
                    let moved =
                        (i32::from(event.root_x) - press.from.0, i32::from(event.root_y) - press.from.1);
                    press.drags |= moved.0.abs().max(moved.1.abs()) >= STILL;
                    if press.drags {
                        at = within((press.stood.0 + moved.0, press.stood.1 + moved.1));
                        conn.configure_window(window, &ConfigureWindowAux::new().x(at.0).y(at.1))?;
                    }
                }
                Event::ButtonRelease(event) if event.detail == 1 => {
                    let drags = press.take().is_some_and(|press| press.drags);
                    if drags {
                        *place = Some(at);
                    }
                    let _ = tell.send(if drags { LampEvent::Moved(at.0, at.1) } else { LampEvent::Pressed });
                }
                Event::ButtonRelease(event) if event.detail == 3 => drop(tell.send(LampEvent::Dismissed)),
                Event::VisibilityNotify(event)
                    if event.state != Visibility::UNOBSCURED
                        && front.is_none_or(|last| last.elapsed() >= FRONT) =>
                {
                    front = Some(Instant::now());
                    let above = ConfigureWindowAux::new().stack_mode(StackMode::ABOVE);
                    conn.configure_window(window, &above)?;
                }
                _ => {}
            }
        }
        shared.silence();
        let wanted = shared.wanted();
        if wanted.stop {
            return Ok(());
        }
        if wanted.picture != shown && wanted.picture.size == shown.size {
            shown = wanted.picture;
            shape_as(&conn, window, &shown)?;
            draw(&conn, window, pen, screen.root_depth, &shown)?;
        }
        conn.flush()?;
        let mut fds = [
            PollFd::from_borrowed_fd(conn.stream().as_fd(), PollFlags::IN),
            PollFd::from_borrowed_fd(shared.bell.as_fd(), PollFlags::IN),
        ];
        let _ = poll(&mut fds, None);
    }
}

fn clipped(value: i32) -> i16 {
    i16::try_from(value).unwrap_or(0)
}

/// The window has the shape of what is to be seen of its picture (X Nonrectangular Window Shape Extension).
fn shape_as(conn: &RustConnection, window: Window, picture: &Picture) -> Result<(), ReplyOrIdError> {
    if conn.extension_information(shape::X11_EXTENSION_NAME)?.is_none() {
        return Ok(());
    }
    let wide = usize::from(picture.size.0).max(1);
    let mut rows = Vec::new();
    for (y, row) in (0i16..).zip(picture.points.chunks_exact(wide * 4)) {
        let seen: Vec<bool> = row.chunks_exact(4).map(|point| point[0] > 127).collect();
        let mut x = 0;
        while x < seen.len() {
            let long = seen[x..].iter().take_while(|is| **is).count();
            if long > 0 {
                let (from, width) = (i16::try_from(x).unwrap_or(0), u16::try_from(long).unwrap_or(0));
                rows.push(Rectangle { x: from, y, width, height: 1 });
            }
            x += long.max(1);
        }
    }
    conn.shape_rectangles(
        shape::SO::SET,
        shape::SK::BOUNDING,
        x11rb::protocol::xproto::ClipOrdering::UNSORTED,
        window,
        0,
        0,
        &rows,
    )?;
    Ok(())
}

fn draw(
    conn: &RustConnection,
    window: Window,
    pen: Gcontext,
    depth: u8,
    picture: &Picture,
) -> Result<(), ReplyOrIdError> {
    // Points of 32 bits; blue, green, red in the order of a server whose least byte comes first.
    let first = conn.setup().image_byte_order == x11rb::protocol::xproto::ImageOrder::LSB_FIRST;
    let points: Vec<u8> = picture
        .points
        .chunks_exact(4)
        .flat_map(|one| if first { [one[3], one[2], one[1], 0] } else { [0, one[1], one[2], one[3]] })
        .collect();
    if depth < 24 {
        return Ok(()); // a screen of few colors shows its shape alone
    }
    let (width, height) = picture.size;
    conn.put_image(ImageFormat::Z_PIXMAP, window, pen, width, height, 0, 0, 0, depth, &points)?;
    Ok(())
}
