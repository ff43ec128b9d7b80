//! A day of ordinary use in short, on both kinds of desktops (the long form: `make soak`).

use anyhow::Result;
use yadori_e2e::day::{Desk, spend};
use yadori_e2e::{Compositor, Display};

/// One at a time: each stops and kills what the other may be waiting for, on a machine that both share.
static TURN: std::sync::Mutex<()> = std::sync::Mutex::new(());

#[test]
fn what_was_announced_on_x11_is_there_in_the_evening() -> Result<()> {
    let _turn = TURN.lock();
    let (day, _) = spend(Desk::X(Display::start_apart()), 120, 7)?;
    assert!(day.takes >= 17, "{day:?}");
    Ok(())
}

#[test]
fn what_was_announced_on_wayland_is_there_in_the_evening() -> Result<()> {
    let _turn = TURN.lock();
    let (day, _) = spend(Desk::Wayland(Compositor::start()), 120, 7)?;
    assert!(day.takes >= 17, "{day:?}");
    Ok(())
}
