//! Joining: several clips, or the items of a batch, become one text.

use yadori_api::Join;
use yadori_core::batch::NoBatch;
use yadori_core::batch::join::{Joined, joined};
use yadori_core::clip::reading::plain_form;
use yadori_core::{COPY_CAP, ClipId};

use crate::state::app::App;
use crate::state::at_hand::ContentError;

/// Why nothing was joined.
#[derive(Debug, thiserror::Error)]
pub enum JoinError {
    /// Nothing is named.
    #[error("name at least two clips, or a batch, to be joined")]
    Nothing,
    /// A clip that is not there.
    #[error("one of these clips is not in the history any more")]
    NoClip,
    /// A picture.
    #[error("a picture is among them, and has no text")]
    NoText,
    /// No such list.
    #[error("a list is one of `bullets` or `numbers`")]
    NoList,
    /// Too much.
    #[error("together they are more than 64 MiB")]
    TooLarge,
    /// No batch is meant.
    #[error("{}", crate::batches::hand::no_batch(.0))]
    NoBatch(NoBatch),
    /// Their contents.
    #[error(transparent)]
    Content(#[from] ContentError),
}

/// One text of several.
///
/// # Errors
/// Says why there is none.
pub async fn join(app: &App, wanted: &Join) -> Result<String, JoinError> {
    let how = match (wanted.list.as_deref(), &wanted.with) {
        (None, with) => Joined::With(with.clone().unwrap_or_else(|| "\n".to_owned())),
        (Some("bullets"), _) => Joined::Bullets,
        (Some("numbers"), _) => Joined::Numbers,
        (Some(_), _) => return Err(JoinError::NoList),
    };
    let mut texts = Vec::new();
    let mut size = 0;
    let mut keep = |text: Option<String>| {
        let text = text.ok_or(JoinError::NoText)?;
        size += text.len() as u64;
        texts.push(text);
        if size > COPY_CAP { Err(JoinError::TooLarge) } else { Ok(()) }
    };
    if let Some(batch) = &wanted.batch {
        let which = Some(batch.as_str()).filter(|name| *name != "-");
        let batch = app.clips.history().batches().find(which).map_err(JoinError::NoBatch)?.clone();
        for item in &batch.items {
            let record = &item.piece.offer;
            if record.representations.is_empty() {
                keep(Some(String::new()))?;
            } else {
                keep(plain_form(&app.at_hand.offer_of(record, batch.state.made_at).await?))?;
            }
        }
    }
    for id in &wanted.clips {
        let clip = ClipId::parse(id).and_then(|id| app.clips.get(id)).ok_or(JoinError::NoClip)?;
        keep(plain_form(&app.at_hand.offer(&clip).await?))?;
    }
    if texts.is_empty() {
        return Err(JoinError::Nothing);
    }
    let text = joined(texts.iter().map(String::as_str), &how);
    if text.len() as u64 > COPY_CAP { Err(JoinError::TooLarge) } else { Ok(text) }
}
