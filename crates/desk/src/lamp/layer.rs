//! The window on a compositor that lets a program put a surface above the others (`wlr-layer-shell-unstable-v1`). A surface
//! can't tell where on the screen the pointer is, and what it is told while it moves below a pressed pointer differs from
//! compositor to compositor: a drag is followed by the pointer's own moves (`relative-pointer-unstable-v1`). Without those
//! it stays where it stood.

use std::os::fd::AsFd as _;
use std::os::unix::net::UnixStream;
use std::path::Path;
use std::time::{Duration, Instant};

use rustix::fs::SealFlags;
use wayland_client::protocol::wl_buffer::{Event as BufferEvent, WlBuffer};
use wayland_client::protocol::wl_callback::WlCallback;
use wayland_client::protocol::wl_compositor::WlCompositor;
use wayland_client::protocol::wl_output::{Event as OutputEvent, WlOutput};
use wayland_client::protocol::wl_pointer::{ButtonState, Event as PointerEvent, WlPointer};
use wayland_client::protocol::wl_region::WlRegion;
use wayland_client::protocol::wl_registry::{Event as RegistryEvent, WlRegistry};
use wayland_client::protocol::wl_seat::{Capability, Event as SeatEvent, WlSeat};
use wayland_client::protocol::wl_shm::{Format, WlShm};
use wayland_client::protocol::wl_shm_pool::WlShmPool;
use wayland_client::protocol::wl_surface::WlSurface;
use wayland_client::{Connection, Dispatch, EventQueue, QueueHandle, WEnum, delegate_noop};
use wayland_protocols::wp::cursor_shape::v1::client::wp_cursor_shape_device_v1::{
    Shape, WpCursorShapeDeviceV1,
};
use wayland_protocols::wp::cursor_shape::v1::client::wp_cursor_shape_manager_v1::WpCursorShapeManagerV1;
use wayland_protocols::wp::relative_pointer::zv1::client::zwp_relative_pointer_manager_v1::ZwpRelativePointerManagerV1;
use wayland_protocols::wp::relative_pointer::zv1::client::zwp_relative_pointer_v1::{
    Event as RelativeEvent, ZwpRelativePointerV1,
};
use wayland_protocols_wlr::layer_shell::v1::client::zwlr_layer_shell_v1::{Layer, ZwlrLayerShellV1};
use wayland_protocols_wlr::layer_shell::v1::client::zwlr_layer_surface_v1::{
    Anchor, Event as SurfaceEvent, KeyboardInteractivity, ZwlrLayerSurfaceV1,
};

use super::standing::Standing;
use super::{LampEvent, Picture, Place, Shared, Teller};
use crate::wayland::wire::{exchange, sealed_file};

/// How long a compositor may take for its answer.
const ANSWER: Duration = Duration::from_secs(5);
/// Its buttons (Linux, input-event-codes.h).
const LEFT: u32 = 0x110;
const RIGHT: u32 = 0x111;

/// Why it can't be shown.
#[derive(Debug)]
pub(super) enum NotShown {
    /// There is no compositor, or it gives no room; in its words.
    Lost(String),
    /// It lets no program put windows above the others.
    NoLayers,
}

fn lost(why: &dyn std::fmt::Display) -> NotShown {
    NotShown::Lost(why.to_string())
}

/// What the compositor has told.
#[derive(Default)]
struct State {
    globals: Vec<(u32, String, u32)>,
    answered: bool,
    /// The room that it gives the surface, and what that is answered with.
    given: Option<(u32, Place)>,
    /// It took the surface away.
    closed: bool,
    /// The screen is not as it was when the surface came up.
    changed: bool,
    shapes: Option<WpCursorShapeManagerV1>,
    moves: Option<ZwpRelativePointerManagerV1>,
    pointer: Option<(WlPointer, Option<WpCursorShapeDeviceV1>)>,
    /// Where the pointer is on the surface, and where it is on the screen while it is pressed.
    on: (f64, f64),
    hand: (f64, f64),
    room: Place,
    standing: Option<Standing>,
    /// It stands elsewhere than the compositor was told.
    moved: bool,
    done: Vec<LampEvent>,
}

/// A connection with a surface on it.
struct Shown<'a> {
    connection: Connection,
    queue: EventQueue<State>,
    state: State,
    shared: &'a Shared,
}

/// Shows it until it is not wanted any more or the screen changes.
pub(super) fn show(
    socket: &Path,
    place: &mut Option<Place>,
    shared: &Shared,
    tell: &Teller,
) -> Result<(), NotShown> {
    let stream = UnixStream::connect(socket).map_err(|why| lost(&why))?;
    let connection = Connection::from_socket(stream).map_err(|why| lost(&why))?;
    let queue = connection.new_event_queue();
    let mut shown = Shown { connection, queue, state: State::default(), shared };
    shown.show(place, tell)
}

impl Shown<'_> {
    fn show(&mut self, place: &mut Option<Place>, tell: &Teller) -> Result<(), NotShown> {
        let (display, handle) = (self.connection.display(), self.queue.handle());
        let registry = display.get_registry(&handle, ());
        display.sync(&handle, ());
        if !self.await_answer(|state| std::mem::take(&mut state.answered))? {
            return Ok(());
        }
        let globals = std::mem::take(&mut self.state.globals);
        let named = |name: &str| globals.iter().find(|(_, interface, _)| interface == name);
        let (Some((layers, ..)), Some((compositor, _, version)), Some((shm, ..))) =
            (named("zwlr_layer_shell_v1"), named("wl_compositor"), named("wl_shm"))
        else {
            return Err(NotShown::NoLayers);
        };
        let layers: ZwlrLayerShellV1 = registry.bind(*layers, 1, &handle, ());
        let compositor: WlCompositor = registry.bind(*compositor, (*version).min(4), &handle, ());
        let shm: WlShm = registry.bind(*shm, 1, &handle, ());
        for (number, _, version) in globals.iter().filter(|(_, interface, _)| interface == "wl_output") {
            registry.bind::<WlOutput, _, _>(*number, (*version).min(2), &handle, ());
        }
        self.state.shapes =
            named("wp_cursor_shape_manager_v1").map(|(number, ..)| registry.bind(*number, 1, &handle, ()));
        self.state.moves = named("zwp_relative_pointer_manager_v1")
            .map(|(number, ..)| registry.bind(*number, 1, &handle, ()));
        if let Some((number, _, version)) = named("wl_seat") {
            registry.bind::<WlSeat, _, _>(*number, (*version).min(5), &handle, ());
        }

        let surface = compositor.create_surface(&handle, ());
        let layer =
            layers.get_layer_surface(&surface, None, Layer::Top, "yadori-lamp".to_owned(), &handle, ());
        layer.set_keyboard_interactivity(KeyboardInteractivity::None);
        // From the very edges of the screen, whatever panels stand there. First as large as the screen: what it is given tells
        // how large that is.
        layer.set_exclusive_zone(-1);
        layer.set_anchor(Anchor::all());
        surface.commit();
        let Some(room) = self.await_room(&layer)? else { return Ok(()) };
        let mut picture = self.shared.wanted().picture;
        let standing = Standing::new(room, picture.size, *place);
        layer.set_size(picture.size.0.into(), picture.size.1.into());
        layer.set_anchor(Anchor::Top | Anchor::Left);
        layer.set_margin(standing.at.1, 0, 0, standing.at.0);
        (self.state.room, self.state.standing) = (room, Some(standing));
        surface.commit();
        if self.await_room(&layer)?.is_none() {
            return Ok(());
        }
        // The screens have told what they are by now.
        self.state.changed = false;
        let draw = |picture: &Picture| -> Result<(), NotShown> {
            let region = compositor.create_region(&handle, ());
            picture.rows().for_each(|(x, y, width)| region.add(x, y, width.into(), 1));
            surface.set_input_region(Some(&region));
            region.destroy();
            surface.attach(Some(&buffer(&shm, picture, &handle)?), 0, 0);
            surface.damage(0, 0, picture.size.0.into(), picture.size.1.into());
            surface.commit();
            Ok(())
        };
        draw(&picture)?;
        loop {
            self.exchange(None)?;
            for event in self.state.done.drain(..) {
                if let LampEvent::Moved(at) = event {
                    *place = Some(at);
                }
                let _ = tell.send(event);
            }
            if let Some((serial, _)) = self.state.given.take() {
                layer.ack_configure(serial);
                surface.commit();
            }
            if let Some(standing) = self.state.standing.as_ref()
                && std::mem::take(&mut self.state.moved)
            {
                layer.set_margin(standing.at.1, 0, 0, standing.at.0);
                surface.commit();
            }
            let wanted = self.shared.wanted();
            if wanted.stop || self.state.changed {
                layer.destroy();
                surface.destroy();
                let _ = self.connection.flush();
                return Ok(());
            }
            if self.state.closed {
                return Err(NotShown::Lost("the compositor took it away".to_owned()));
            }
            if wanted.picture != picture && wanted.picture.size == picture.size {
                picture = wanted.picture;
                draw(&picture)?;
            }
        }
    }

    fn exchange(&mut self, until: Option<Instant>) -> Result<(), NotShown> {
        let bell = self.shared.bell.as_fd();
        let limit = |_: &State| until.map(|until| until.saturating_duration_since(Instant::now()));
        exchange(&self.connection, &mut self.queue, &mut self.state, bell, limit, |_| Vec::new())
            .map_err(|why| lost(&why))?;
        self.shared.silence();
        Ok(())
    }

    /// Waits for this. False: it is not wanted any more.
    fn await_answer(&mut self, is: impl Fn(&mut State) -> bool) -> Result<bool, NotShown> {
        let until = Instant::now() + ANSWER;
        while !is(&mut self.state) {
            if self.shared.wanted().stop {
                return Ok(false);
            }
            if self.state.closed || Instant::now() >= until {
                return Err(NotShown::Lost("the compositor gives no room for it".to_owned()));
            }
            self.exchange(Some(until))?;
        }
        Ok(true)
    }

    /// Waits for the room that the surface is given, and answers that.
    fn await_room(&mut self, layer: &ZwlrLayerSurfaceV1) -> Result<Option<Place>, NotShown> {
        let wanted = self.await_answer(|state| state.given.is_some())?;
        let given = self.state.given.take().filter(|_| wanted);
        Ok(given.map(|(serial, room)| {
            layer.ack_configure(serial);
            room
        }))
    }
}

/// The picture where the compositor can read it; each part of its colors as far as it is to be seen (Wayland, `wl_shm`).
fn buffer(shm: &WlShm, picture: &Picture, handle: &QueueHandle<State>) -> Result<WlBuffer, NotShown> {
    let seen = |part: u8, alpha: u8| u32::from(part) * u32::from(alpha) / 255;
    let points: Vec<u8> = picture
        .points
        .chunks_exact(4)
        .flat_map(|one| {
            let [red, green, blue] = [1, 2, 3].map(|n| seen(one[n], one[0]));
            (u32::from(one[0]) << 24 | red << 16 | green << 8 | blue).to_ne_bytes()
        })
        .collect();
    let file = sealed_file("lamp", &points, SealFlags::SHRINK | SealFlags::GROW | SealFlags::SEAL)
        .map_err(|why| lost(&why))?;
    let (width, height) = (i32::from(picture.size.0), i32::from(picture.size.1));
    let pool = shm.create_pool(file.as_fd(), width * height * 4, handle, ());
    let buffer = pool.create_buffer(0, width, height, width * 4, Format::Argb8888, handle, ());
    pool.destroy();
    Ok(buffer)
}

impl State {
    fn button(&mut self, button: u32, down: bool) {
        let Some(standing) = &mut self.standing else { return };
        if button == LEFT && down {
            self.hand = (f64::from(standing.at.0) + self.on.0, f64::from(standing.at.1) + self.on.1);
            standing.press(whole(self.hand));
        } else if button == LEFT {
            self.done.extend(standing.release());
        } else if button == RIGHT && !down {
            self.done.push(LampEvent::Dismissed);
        }
    }

    fn hand_moved(&mut self, by: (f64, f64)) {
        // The pointer does not leave the screen, however far the hand goes.
        self.hand.0 = (self.hand.0 + by.0).clamp(0.0, f64::from(self.room.0.max(0)));
        self.hand.1 = (self.hand.1 + by.1).clamp(0.0, f64::from(self.room.1.max(0)));
        self.moved |= self.standing.as_mut().and_then(|one| one.drag(whole(self.hand))).is_some();
    }
}

#[allow(clippy::cast_possible_truncation, reason = "points of a screen")]
fn whole((x, y): (f64, f64)) -> Place {
    (x.round() as i32, y.round() as i32)
}

impl Dispatch<WlRegistry, ()> for State {
    fn event(
        state: &mut Self,
        _: &WlRegistry,
        event: RegistryEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        if let RegistryEvent::Global { name, interface, version } = event {
            state.globals.push((name, interface, version));
        }
    }
}

impl Dispatch<WlCallback, ()> for State {
    fn event(
        state: &mut Self,
        _: &WlCallback,
        _: wayland_client::protocol::wl_callback::Event,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        state.answered = true;
    }
}

impl Dispatch<WlOutput, ()> for State {
    fn event(
        state: &mut Self,
        _: &WlOutput,
        event: OutputEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        state.changed |= matches!(event, OutputEvent::Done | OutputEvent::Mode { .. });
    }
}

impl Dispatch<WlSeat, ()> for State {
    fn event(
        state: &mut Self,
        seat: &WlSeat,
        event: SeatEvent,
        (): &(),
        _: &Connection,
        handle: &QueueHandle<Self>,
    ) {
        let SeatEvent::Capabilities { capabilities: WEnum::Value(has) } = event else { return };
        if has.contains(Capability::Pointer) && state.pointer.is_none() {
            let pointer = seat.get_pointer(handle, ());
            if let Some(moves) = &state.moves {
                moves.get_relative_pointer(&pointer, handle, ());
            }
            let shape = state.shapes.as_ref().map(|shapes| shapes.get_pointer(&pointer, handle, ()));
            state.pointer = Some((pointer, shape));
        } else if !has.contains(Capability::Pointer) {
            state.pointer = None;
        }
    }
}

impl Dispatch<WlPointer, ()> for State {
    fn event(
        state: &mut Self,
        _: &WlPointer,
        event: PointerEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        match event {
            PointerEvent::Enter { serial, surface_x, surface_y, .. } => {
                state.on = (surface_x, surface_y);
                if let Some((_, Some(shape))) = &state.pointer {
                    shape.set_shape(serial, Shape::Pointer);
                }
            }
            PointerEvent::Motion { surface_x, surface_y, .. } => state.on = (surface_x, surface_y),
            PointerEvent::Button { button, state: WEnum::Value(how), .. } => {
                state.button(button, how == ButtonState::Pressed);
            }
            // Taken away while it is pressed: where it was dragged to holds, and nothing was pressed.
            PointerEvent::Leave { .. } => {
                let dragged = state.standing.as_mut().and_then(Standing::release);
                state.done.extend(dragged.filter(|one| *one != LampEvent::Pressed));
            }
            _ => {}
        }
    }
}

impl Dispatch<ZwpRelativePointerV1, ()> for State {
    fn event(
        state: &mut Self,
        _: &ZwpRelativePointerV1,
        event: RelativeEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        if let RelativeEvent::RelativeMotion { dx, dy, .. } = event {
            state.hand_moved((dx, dy));
        }
    }
}

impl Dispatch<ZwlrLayerSurfaceV1, ()> for State {
    fn event(
        state: &mut Self,
        _: &ZwlrLayerSurfaceV1,
        event: SurfaceEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        match event {
            SurfaceEvent::Configure { serial, width, height } => {
                let room = |size: u32| i32::try_from(size).unwrap_or(i32::MAX);
                state.given = Some((serial, (room(width), room(height))));
            }
            SurfaceEvent::Closed => state.closed = true,
            _ => {}
        }
    }
}

impl Dispatch<WlBuffer, ()> for State {
    fn event(
        _: &mut Self,
        buffer: &WlBuffer,
        event: BufferEvent,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        if matches!(event, BufferEvent::Release) {
            buffer.destroy();
        }
    }
}

delegate_noop!(State: WlCompositor);
delegate_noop!(State: WlRegion);
delegate_noop!(State: WlShmPool);
delegate_noop!(State: ZwlrLayerShellV1);
delegate_noop!(State: ZwpRelativePointerManagerV1);
delegate_noop!(State: WpCursorShapeManagerV1);
delegate_noop!(State: WpCursorShapeDeviceV1);
delegate_noop!(State: ignore WlShm);
delegate_noop!(State: ignore WlSurface);
