//! A keyboard on a Wayland compositor, and who types on it.

use std::os::unix::net::UnixStream;

use anyhow::{Context, Result, anyhow};
use wayland_client::protocol::wl_registry::{Event, WlRegistry};
use wayland_client::protocol::wl_seat::WlSeat;
use wayland_client::{Connection, Dispatch, EventQueue, QueueHandle, delegate_noop};
use wayland_protocols_misc::zwp_virtual_keyboard_v1::client::zwp_virtual_keyboard_manager_v1::ZwpVirtualKeyboardManagerV1;
use wayland_protocols_misc::zwp_virtual_keyboard_v1::client::zwp_virtual_keyboard_v1::ZwpVirtualKeyboardV1;
use yadori_core::take::chord::{Chord, Held, keysym_of};
use yadori_desk::wayland::keys::Keyboard;

use crate::Compositor;

/// What a compositor has: numbers and names.
#[derive(Default)]
pub(crate) struct Globals(Vec<(u32, String)>);

/// A connection to a compositor, with the seat that programs may act on.
pub(crate) struct Seated {
    pub(crate) queue: EventQueue<Globals>,
    pub(crate) globals: Globals,
    pub(crate) registry: WlRegistry,
    pub(crate) seat: WlSeat,
}

impl Seated {
    pub(crate) fn at(compositor: &Compositor) -> Result<Self> {
        let connection = Connection::from_socket(UnixStream::connect(compositor.socket())?)?;
        let mut queue = connection.new_event_queue();
        let handle = queue.handle();
        let registry = connection.display().get_registry(&handle, ());
        let mut globals = Globals::default();
        queue.roundtrip(&mut globals)?;
        let seat = registry.bind(globals.number("wl_seat")?, 1, &handle, ());
        Ok(Self { queue, globals, registry, seat })
    }

    /// Everything sent so far has been done by the compositor.
    pub(crate) fn roundtrip(&mut self) -> Result<()> {
        self.queue.roundtrip(&mut self.globals)?;
        Ok(())
    }
}

impl Globals {
    pub(crate) fn number(&self, name: &str) -> Result<u32> {
        self.0.iter().find(|one| one.1 == name).map(|one| one.0).with_context(|| format!("no {name}"))
    }
}

/// Who types.
pub struct Typist {
    seated: Seated,
    keyboard: Keyboard,
}

impl Typist {
    /// At this compositor.
    ///
    /// # Errors
    /// It has no keyboard for programs.
    pub fn at(compositor: &Compositor) -> Result<Self> {
        let mut seated = Seated::at(compositor)?;
        let (manager, handle) =
            (seated.globals.number("zwp_virtual_keyboard_manager_v1")?, seated.queue.handle());
        let manager: ZwpVirtualKeyboardManagerV1 = seated.registry.bind(manager, 1, &handle, ());
        let keyboard = Keyboard::new(manager.create_virtual_keyboard(&seated.seat, &handle, ()))?;
        seated.roundtrip()?;
        Ok(Self { seated, keyboard })
    }

    /// Presses keys together, such as `Ctrl+Shift+C` or `Return`.
    ///
    /// # Errors
    /// There is no such key, or no compositor.
    pub fn press(&mut self, keys: &str) -> Result<()> {
        // What is no chord for the whole desktop is a key all the same.
        let chord = match keys.parse::<Chord>() {
            Ok(chord) => chord,
            Err(_) => Chord { held: Held::default(), ..format!("Ctrl+{keys}").parse::<Chord>()? },
        };
        anyhow::ensure!(self.keyboard.press(chord), "no key for {keys}");
        self.seated.roundtrip()
    }

    /// Types letters.
    ///
    /// # Errors
    /// A usual keyboard has no key for one.
    pub fn type_text(&mut self, text: &str) -> Result<()> {
        for letter in text.chars() {
            let held = Held { shift: letter.is_uppercase(), ..Held::default() };
            let key = keysym_of(letter).ok_or_else(|| anyhow!("no key for {letter}"))?;
            anyhow::ensure!(self.keyboard.press(Chord { held, key }), "no key for {letter}");
            self.seated.roundtrip()?;
        }
        Ok(())
    }
}

impl Dispatch<WlRegistry, ()> for Globals {
    fn event(
        globals: &mut Self,
        _: &WlRegistry,
        event: Event,
        (): &(),
        _: &Connection,
        _: &QueueHandle<Self>,
    ) {
        if let Event::Global { name, interface, .. } = event {
            globals.0.push((name, interface));
        }
    }
}

delegate_noop!(Globals: ignore WlSeat);
delegate_noop!(Globals: ignore ZwpVirtualKeyboardManagerV1);
delegate_noop!(Globals: ignore ZwpVirtualKeyboardV1);
