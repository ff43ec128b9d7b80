//! The window on an X display: one without a frame that no window manager moves (ICCCM section 4.1.10), in the shape of its
//! picture.

use std::os::fd::AsFd;
use std::time::{Duration, Instant};

use rustix::event::{PollFd, PollFlags, poll};
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

use super::standing::Standing;
use super::{LampEvent, Picture, Place, Shared, Teller};

/// How often it comes to the front again, at most: two that both want to be there would never rest.
const FRONT: Duration = Duration::from_secs(2);

/// Shows it until it is not wanted any more or the display is gone.
pub(super) fn show(
    display: &str,
    place: &mut Option<Place>,
    shared: &Shared,
    tell: &Teller,
) -> Result<(), ReplyOrIdError> {
    let (conn, number) =
        RustConnection::connect(Some(display)).map_err(|_| x11rb::errors::ConnectionError::UnknownError)?;
    let screen = &conn.setup().roots[number];
    let room = (i32::from(screen.width_in_pixels), i32::from(screen.height_in_pixels));
    let mut shown = shared.wanted().picture;
    let mut standing = Standing::new(room, shown.size, *place);
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
        clipped(standing.at.0),
        clipped(standing.at.1),
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
    let mut front: Option<Instant> = None;
    loop {
        while let Some(event) = conn.poll_for_event()? {
            match event {
                Event::Expose(_) => draw(&conn, window, pen, screen.root_depth, &shown)?,
                Event::ButtonPress(event) if event.detail == 1 => {
                    standing.press((event.root_x.into(), event.root_y.into()));
                }
                Event::MotionNotify(event) => {
                    if let Some(at) = standing.drag((event.root_x.into(), event.root_y.into())) {
                        conn.configure_window(window, &ConfigureWindowAux::new().x(at.0).y(at.1))?;
                    }
                }
                Event::ButtonRelease(event) if event.detail == 1 => {
                    if let Some(done) = standing.release() {
                        *place = Some(standing.at);
                        let _ = tell.send(done);
                    }
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
    let rows: Vec<Rectangle> = picture
        .rows()
        .map(|(x, y, width)| Rectangle { x: clipped(x), y: clipped(y), width, height: 1 })
        .collect();
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
