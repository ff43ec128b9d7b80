//! Waiting for what a desk says.
#![allow(dead_code, unreachable_pub, reason = "each test file uses a part")]

use std::sync::Arc;

use yadori_core::Offer;
use yadori_desk::{DeskEvent, DeskEvents, DeskState, Refused};
use yadori_e2e::PATIENCE;

pub async fn until(events: &mut DeskEvents, wanted: impl Fn(&DeskEvent) -> bool) -> DeskEvent {
    let waiting = async {
        loop {
            let event = events.recv().await.expect("a desk");
            if wanted(&event) {
                return event;
            }
        }
    };
    tokio::time::timeout(PATIENCE, waiting).await.expect("the event in time")
}

pub async fn until_watching(events: &mut DeskEvents) {
    until(events, |event| matches!(event, DeskEvent::State(DeskState::Watching { .. }))).await;
}

pub async fn until_lost(events: &mut DeskEvents) -> String {
    match until(events, |event| matches!(event, DeskEvent::State(DeskState::Lost { .. }))).await {
        DeskEvent::State(DeskState::Lost { reason }) => reason,
        _ => unreachable!(),
    }
}

pub async fn next_copy(events: &mut DeskEvents) -> Arc<Offer> {
    match until(events, |event| matches!(event, DeskEvent::Copied { .. })).await {
        DeskEvent::Copied { offer, .. } => offer,
        _ => unreachable!(),
    }
}

pub async fn next_refusal(events: &mut DeskEvents) -> Refused {
    match until(events, |event| matches!(event, DeskEvent::Refused(_))).await {
        DeskEvent::Refused(refused) => refused,
        _ => unreachable!(),
    }
}

pub fn text_of(offer: &Arc<Offer>) -> String {
    String::from_utf8_lossy(offer.representations[0].content.expose()).into_owned()
}
