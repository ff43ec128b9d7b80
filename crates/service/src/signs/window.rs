//! The lamp as a small window of its own: where it was dragged to is remembered.

use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};
use tokio::sync::mpsc;
use yadori_desk::displays::Displays;
use yadori_desk::lamp::{Lamp, LampEvent, Picture};

use super::drawn::{HIGH, WIDE, lamp_with_count};
use super::sight::Sight;
use crate::home::place::write_private;

/// Where it stands.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
struct Place {
    x: i32,
    y: i32,
}

/// The window, and what a person does with it.
#[derive(Debug)]
pub(super) struct Window {
    lamp: Lamp,
    events: mpsc::UnboundedReceiver<LampEvent>,
    file: PathBuf,
}

fn picture(sight: &Sight) -> Picture {
    let points = lamp_with_count(sight.lamp, sight.count);
    Picture { size: (u16::try_from(WIDE).unwrap_or(0), u16::try_from(HIGH).unwrap_or(0)), points }
}

impl Window {
    /// Puts it up where it stood last.
    pub(super) fn new(displays: Displays, file: &Path, sight: &Sight) -> std::io::Result<Self> {
        let place = std::fs::read(file).ok().and_then(|text| serde_json::from_slice::<Place>(&text).ok());
        let place = place.map(|place| (place.x, place.y));
        let (lamp, events) = Lamp::start(displays, place, picture(sight))?;
        Ok(Self { lamp, events, file: file.to_owned() })
    }

    pub(super) fn show(&self, sight: &Sight) {
        self.lamp.show(picture(sight));
    }

    /// What was done with it next. Where it was dragged to is remembered.
    pub(super) async fn next(&mut self) -> Option<LampEvent> {
        let event = self.events.recv().await?;
        if let LampEvent::Moved((x, y)) = event {
            let text = serde_json::to_vec(&Place { x, y }).unwrap_or_default();
            if let Err(why) = write_private(&self.file, &text) {
                tracing::warn!("where the lamp stands can't be remembered: {why}");
            }
        }
        Some(event)
    }
}
