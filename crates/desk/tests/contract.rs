//! What every desk must do, held against the desk in memory and against a real X server with real programs.

mod events;
mod ext;

use std::sync::Arc;
use std::time::Duration;

use events::until_watching;
use yadori_core::clip::mime;
use yadori_core::{Offer, Representation};
use yadori_desk::memory::{self, Stage};
use yadori_desk::{Desk, DeskEvent, DeskEvents, Live, RefusedBecause};
use yadori_e2e::{Compositor, Display};

/// Other programs: what the contract needs of them.
trait Programs {
    fn copy(&mut self, mime: &str, bytes: &[u8]);
    fn paste(&self, target: &str) -> Option<Vec<u8>>;
}

impl Programs for Stage {
    fn copy(&mut self, mime: &str, bytes: &[u8]) {
        Stage::copy(self, vec![Representation::new(mime, bytes.to_vec())]);
    }

    fn paste(&self, target: &str) -> Option<Vec<u8>> {
        Stage::paste(self, target).map(Into::into)
    }
}

impl Programs for Display {
    fn copy(&mut self, mime: &str, bytes: &[u8]) {
        Display::copy(self, if mime == mime::PLAIN { "UTF8_STRING" } else { mime }, bytes);
    }

    fn paste(&self, target: &str) -> Option<Vec<u8>> {
        Display::paste(self, target)
    }
}

impl Programs for Compositor {
    fn copy(&mut self, mime: &str, bytes: &[u8]) {
        Compositor::copy(self, if mime == mime::PLAIN { "text/plain;charset=utf-8" } else { mime }, bytes);
    }

    fn paste(&self, target: &str) -> Option<Vec<u8>> {
        Compositor::paste(self, target)
    }
}

impl Programs for ext::Ext {
    fn copy(&mut self, mime: &str, bytes: &[u8]) {
        ext::Ext::copy(self, if mime == mime::PLAIN { "text/plain;charset=utf-8" } else { mime }, bytes);
    }

    fn paste(&self, target: &str) -> Option<Vec<u8>> {
        ext::Ext::paste(self, target)
    }
}

async fn next(events: &mut DeskEvents) -> DeskEvent {
    tokio::time::timeout(Duration::from_secs(10), events.recv())
        .await
        .expect("an event in time")
        .expect("a desk")
}

async fn next_copy(events: &mut DeskEvents) -> Arc<Offer> {
    loop {
        match next(events).await {
            DeskEvent::Copied { offer, .. } => return offer,
            DeskEvent::Refused(why) => panic!("refused: {why:?}"),
            _ => {}
        }
    }
}

/// The contract. `desk` watches; `programs` copy and paste.
async fn holds(desk: &Desk, events: &mut DeskEvents, programs: &mut dyn Programs) {
    // A copy arrives whole, preceded by word that the clipboard has changed.
    programs.copy(mime::PLAIN, "Kestrel Hut: 14 bunks, 山小屋".as_bytes());
    loop {
        if let DeskEvent::Live(Live::Theirs(_)) = next(events).await {
            break;
        }
    }
    let offer = next_copy(events).await;
    assert_eq!(offer.representations[0].mime, mime::PLAIN);
    assert_eq!(
        offer.representations[0].content.expose().as_ref(),
        "Kestrel Hut: 14 bunks, 山小屋".as_bytes()
    );

    // A large one, byte for byte.
    let large: Vec<u8> = (0..10_000_000u32).map(|n| (n.wrapping_mul(2_654_435_761) >> 24) as u8).collect();
    programs.copy("image/png", &large);
    let offer = next_copy(events).await;
    assert_eq!(offer.find("image/png").unwrap().content.expose().as_ref(), &large[..]);

    // What is taken is pasteable when the take returns, in every representation, and is never captured.
    let taken = Arc::new(Offer {
        representations: vec![
            Representation::new(mime::PLAIN, "gas 11 kg".as_bytes().to_vec()),
            Representation::new("text/html", "<b>gas</b> 11 kg".as_bytes().to_vec()),
            Representation::new("image/png", large.clone()),
        ],
        at: 1,
        ..Offer::default()
    });
    desk.take(taken.clone()).await.expect("taken");
    assert_eq!(programs.paste("UTF8_STRING").unwrap(), b"gas 11 kg");
    assert_eq!(programs.paste("text/html").unwrap(), b"<b>gas</b> 11 kg");
    assert_eq!(programs.paste("image/png").unwrap(), large);
    assert_eq!(programs.paste("application/x-absent"), None);
    programs.copy(mime::PLAIN, b"a mark");
    let offer = next_copy(events).await;
    assert_eq!(offer.representations[0].content.expose().as_ref(), b"a mark", "the take itself was captured");

    // A wish not to be recorded is obeyed, and nothing of it is passed on.
    programs.copy(mime::DO_NOT_RECORD, b"secret");
    loop {
        match next(events).await {
            DeskEvent::Refused(refused) => {
                assert_eq!(refused.reason, RefusedBecause::DoNotRecord);
                assert_eq!(refused.source, Default::default());
                break;
            }
            DeskEvent::Copied { .. } => panic!("recorded against the program's wish"),
            _ => {}
        }
    }
}

#[tokio::test]
async fn the_desk_in_memory_keeps_the_contract() {
    let (desk, mut events, mut stage) = memory::start();
    holds(&desk, &mut events, &mut stage).await;
    desk.stop();
}

#[tokio::test]
async fn the_x11_desk_keeps_the_contract() {
    let mut display = Display::start();
    let (desk, mut events) = yadori_desk::x11::start(Some(display.name())).unwrap();
    until_watching(&mut events).await;
    holds(&desk, &mut events, &mut display).await;
    desk.stop();
}

#[tokio::test]
async fn the_wayland_desk_keeps_the_contract() {
    let mut compositor = Compositor::start();
    let (desk, mut events) =
        yadori_desk::wayland::start(compositor.socket(), Default::default(), false).unwrap();
    until_watching(&mut events).await;
    holds(&desk, &mut events, &mut compositor).await;
    desk.stop();
}

#[tokio::test]
async fn the_wayland_desk_keeps_the_contract_by_the_standing_protocol_as_well() {
    let mut compositor = ext::Ext::start();
    let (desk, mut events) =
        yadori_desk::wayland::start(compositor.socket(), Default::default(), false).unwrap();
    until_watching(&mut events).await;
    holds(&desk, &mut events, &mut compositor).await;
    desk.stop();
}
