//! What is said of a subject to other devices.

use yadori_core::exchange::what_always_travels;
use yadori_core::{ClipId, Digest, StoredClip};
use yadori_store::Subject;
use yadori_sync::body::{CLIP, ClipBody, DEVICE, DRAWER, DeviceBody, Held};

use crate::state::app::App;
use crate::state::at_hand::ContentError;

/// Bytes of contents that stand in a record.
const INLINE: u64 = 600 << 10;

/// What is to be sent of something.
#[derive(Debug)]
pub(super) enum Body {
    /// This.
    Says(Vec<u8>),
    /// Nothing.
    Nothing,
}

/// What is to be sent of a subject. `sent`: it was sent before.
///
/// # Errors
/// It can't be read now.
pub(super) async fn body_of(
    app: &App,
    name: &str,
    subject: &Subject,
    sent: bool,
) -> Result<Body, ContentError> {
    let (kind, id) = subject;
    match kind.as_str() {
        CLIP => match <[u8; 16]>::try_from(id.as_slice()) {
            Ok(id) => body_of_clip(app, ClipId(id), sent).await,
            Err(_) => Ok(Body::Nothing),
        },
        DRAWER => {
            let id = String::from_utf8_lossy(id);
            let history = app.clips.history();
            let state = history.drawers().known(&id).and_then(|state| serde_json::to_vec(state).ok());
            Ok(state.map_or(Body::Nothing, Body::Says))
        }
        DEVICE => {
            let says =
                DeviceBody { name: name.to_owned(), travels: app.settings().exchange.travels.to_string() };
            Ok(Body::Says(says.to_bytes()))
        }
        _ => Ok(Body::Nothing),
    }
}

async fn body_of_clip(app: &App, id: ClipId, sent: bool) -> Result<Body, ContentError> {
    let stored: StoredClip = app.clips.history().stored(id);
    let travels = &app.settings().exchange.travels;
    let wanted = stored.facts.as_ref().is_some_and(|facts| travels.takes(facts, stored.state.is_pinned()));
    if !wanted {
        // What goes always travels, once the clip itself has.
        let state = what_always_travels(&stored.state);
        let body = ClipBody { state, facts: None, contents: Vec::new() };
        return Ok(if sent { Body::Says(body.to_bytes()) } else { Body::Nothing });
    }
    let mut digests: Vec<Digest> = stored.digests().collect();
    digests.sort_unstable();
    digests.dedup();
    let sizes = stored.state.offers.iter().flat_map(|offer| &offer.value.representations);
    let size: u64 = sizes.filter(|one| digests.contains(&one.digest)).map(|one| one.size).sum();
    if size > INLINE {
        return Ok(Body::Nothing);
    }
    let mut contents = Vec::with_capacity(digests.len());
    for digest in digests {
        match app.at_hand.content(digest).await {
            Ok(content) => contents.push((digest, Held::Here(content.expose().to_vec()))),
            Err(ContentError::Damaged) => {}
            Err(why @ ContentError::Away) => return Err(why),
        }
    }
    let body = ClipBody { state: stored.state, facts: stored.facts, contents };
    Ok(Body::Says(body.to_bytes()))
}
