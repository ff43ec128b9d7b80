//! Events in words. These are added when an event is sent, from what is known then.

use yadori_api as api;

use crate::state::app::App;
use crate::state::batches::event as event_of;
use crate::state::events::Happening;
use crate::state::shapes::{blank_row, refusal, row};

/// An event as it is sent now. A clip that has gone since comes without words; that it went follows.
pub fn told(app: &App, event: &Happening) -> api::Event {
    match event {
        Happening::Clip { id, before, place, revision, copied } => {
            let history = app.clips.history();
            let mut row = history.get(*id).map_or_else(|| blank_row(*id), |clip| row(&history, &clip));
            row.place = *place;
            let (before, revision, copied) = (*before, *revision, *copied);
            api::Event::Clip(Box::new(api::ClipEvent { row, before, revision, copied }))
        }
        Happening::Gone { id, before, revision } => {
            api::Event::Gone(api::GoneEvent { id: id.to_string(), before: *before, revision: *revision })
        }
        Happening::Status => api::Event::Status(Box::new(app.status())),
        Happening::Refused(row) => api::Event::Refused(refusal(row)),
        Happening::Kept(drawers) => api::Event::Kept(api::KeptEvent { drawers: drawers.clone() }),
        Happening::Batches(ids) => api::Event::Batches(Box::new(event_of(&app.clips.history(), ids))),
        Happening::Reset => api::Event::Reset,
    }
}
