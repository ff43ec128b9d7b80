//! A pointer on a Wayland compositor, moved as a hand would: step by step, with a button held or not
//! (`wlr-virtual-pointer-unstable-v1`).

use anyhow::Result;
use wayland_client::delegate_noop;
use wayland_client::protocol::wl_pointer::ButtonState;
use wayland_protocols_wlr::virtual_pointer::v1::client::zwlr_virtual_pointer_manager_v1::ZwlrVirtualPointerManagerV1;
use wayland_protocols_wlr::virtual_pointer::v1::client::zwlr_virtual_pointer_v1::ZwlrVirtualPointerV1;

use crate::Compositor;
use crate::typist::{Globals, Seated};

/// The screen that tests have.
const SCREEN: (u32, u32) = (1_280, 800);
/// Steps of one move.
const STEPS: i32 = 12;
/// Buttons (Linux, input-event-codes.h).
pub const LEFT: u32 = 0x110;
/// The other button.
pub const RIGHT: u32 = 0x111;

/// Who moves a pointer.
pub struct Hand {
    seated: Seated,
    pointer: ZwlrVirtualPointerV1,
    at: (i32, i32),
}

impl Hand {
    /// At this compositor, in the middle of its screen.
    ///
    /// # Errors
    /// It has no pointer for programs.
    pub fn at(compositor: &Compositor) -> Result<Self> {
        let seated = Seated::at(compositor)?;
        let (manager, handle) =
            (seated.globals.number("zwlr_virtual_pointer_manager_v1")?, seated.queue.handle());
        let manager: ZwlrVirtualPointerManagerV1 = seated.registry.bind(manager, 1, &handle, ());
        let pointer = manager.create_virtual_pointer(Some(&seated.seat), &handle, ());
        let mut hand = Self { seated, pointer, at: (640, 400) };
        hand.put((640, 400))?;
        Ok(hand)
    }

    fn put(&mut self, at: (i32, i32)) -> Result<()> {
        self.at = (at.0.clamp(0, 1_279), at.1.clamp(0, 799));
        let (x, y) = (u32::try_from(self.at.0)?, u32::try_from(self.at.1)?);
        self.pointer.motion_absolute(0, x, y, SCREEN.0, SCREEN.1);
        self.pointer.frame();
        self.seated.roundtrip()
    }

    /// Moves to a place on the screen, in points.
    ///
    /// # Errors
    /// The compositor is gone.
    pub fn move_to(&mut self, to: (i32, i32)) -> Result<()> {
        let from = self.at;
        for step in 1..=STEPS {
            let on_the_way = |from: i32, to: i32| from + (to - from) * step / STEPS;
            self.put((on_the_way(from.0, to.0), on_the_way(from.1, to.1)))?;
        }
        Ok(())
    }

    /// Holds a button down, or lets go of it.
    ///
    /// # Errors
    /// The compositor is gone.
    pub fn hold(&mut self, button: u32, down: bool) -> Result<()> {
        let state = if down { ButtonState::Pressed } else { ButtonState::Released };
        self.pointer.button(0, button, state);
        self.pointer.frame();
        self.seated.roundtrip()
    }

    /// Clicks a button.
    ///
    /// # Errors
    /// The compositor is gone.
    pub fn click(&mut self, button: u32) -> Result<()> {
        self.hold(button, true)?;
        self.hold(button, false)
    }
}

delegate_noop!(Globals: ZwlrVirtualPointerManagerV1);
delegate_noop!(Globals: ZwlrVirtualPointerV1);
