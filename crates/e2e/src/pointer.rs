//! A real pointer on a display, moved as a hand would: step by step, with a button held or not (the XTEST extension).

use anyhow::{Context, Result};
use x11rb::connection::Connection;
use x11rb::protocol::xproto::{
    BUTTON_PRESS_EVENT, BUTTON_RELEASE_EVENT, ConnectionExt as _, MOTION_NOTIFY_EVENT,
};
use x11rb::protocol::xtest::ConnectionExt as _;
use x11rb::rust_connection::RustConnection;

use crate::{Browser, Display};

/// Steps of one move.
const STEPS: i32 = 12;

/// The pointer of a display.
#[derive(Debug)]
pub struct Pointer {
    conn: RustConnection,
    root: u32,
}

impl Pointer {
    /// The pointer of this display.
    pub fn of(display: &Display) -> Result<Self> {
        let (conn, screen) = x11rb::connect(Some(&display.name()))?;
        let root = conn.setup().roots[screen].root;
        Ok(Self { conn, root })
    }

    fn send(&self, kind: u8, detail: u8, x: i16, y: i16) -> Result<()> {
        self.conn.xtest_fake_input(kind, detail, 0, self.root, x, y, 0)?;
        // Answered once the server has moved it.
        self.conn.query_pointer(self.root)?.reply()?;
        Ok(())
    }

    /// Moves to a place on the screen, in pixels.
    pub fn move_to(&self, (x, y): (i32, i32)) -> Result<()> {
        let at = self.conn.query_pointer(self.root)?.reply()?;
        let (from_x, from_y) = (i32::from(at.root_x), i32::from(at.root_y));
        for step in 1..=STEPS {
            let on_the_way = |from: i32, to: i32| i16::try_from(from + (to - from) * step / STEPS);
            self.send(MOTION_NOTIFY_EVENT, 0, on_the_way(from_x, x)?, on_the_way(from_y, y)?)?;
        }
        Ok(())
    }

    /// Holds the first button down.
    pub fn press(&self) -> Result<()> {
        self.send(BUTTON_PRESS_EVENT, 1, 0, 0)
    }

    /// Lets go of the first button.
    pub fn release(&self) -> Result<()> {
        self.send(BUTTON_RELEASE_EVENT, 1, 0, 0)
    }
}

impl Pointer {
    /// Clicks a button: 1 is the first, 3 opens menus.
    pub fn click(&self, button: u8) -> Result<()> {
        self.send(BUTTON_PRESS_EVENT, button, 0, 0)?;
        self.send(BUTTON_RELEASE_EVENT, button, 0, 0)
    }
}

impl Browser {
    /// Where the middle of what a selector finds lies on the screen, in pixels. Needs a browser with a window.
    pub async fn place_of(&self, selector: &str) -> Result<(i32, i32)> {
        let script = format!(
            "const box = document.querySelector({selector:?}).getBoundingClientRect(); \
             return [Math.round(window.screenX + (window.outerWidth - window.innerWidth) / 2 + box.x + box.width / 2), \
             Math.round(window.screenY + window.outerHeight - window.innerHeight + box.y + box.height / 2)]"
        );
        let found: (i32, i32) =
            serde_json::from_value(self.script(&script).await?).context("a place on the screen")?;
        Ok(found)
    }
}
