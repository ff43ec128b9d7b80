//! Texts that are longer than what the history holds of them are read in the background after the start.

use yadori_core::ClipId;
use yadori_core::clip::reading::plain_form;

use crate::state::app::Shared;

/// Reads them, newest first.
pub(crate) async fn read(app: Shared, mut ids: Vec<ClipId>) {
    while let Some(id) = ids.pop() {
        if app.shutdown.is_cancelled() {
            return;
        }
        read_one(&app, id).await;
        app.clips.set_unread(ids.len() as u64);
    }
}

async fn read_one(app: &Shared, id: ClipId) {
    let Some(clip) = app.clips.get(id).filter(|_| !app.clips.has_whole_text(id)) else { return };
    let Ok(offer) = app.at_hand.texts_of(&clip).await else { return };
    app.clips.whole_text(id, &plain_form(&offer).unwrap_or_default());
}
