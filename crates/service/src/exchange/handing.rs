//! One clip, to one device: it goes there whatever travels, and to the live clipboard there.

use yadori_api::{Brought, Form, Take};
use yadori_core::history::stored::Held;
use yadori_core::{ClipId, DeviceId, Micros};
use yadori_sync::body::{SENT, sent_id};

use super::bodies::may_be_sent;
use super::devices::StrikeError;
use super::exchanger::Exchanger;
use super::trouble::Trouble;
use crate::state::clock::now;
use crate::take::take::take;

/// What was sent longer ago than this, by the clocks of both, stays in the history alone.
const LATE: Micros = 24 * 3_600_000_000;

/// A clip that came for this device.
#[derive(Clone, Copy, Debug)]
pub(super) struct Came {
    /// The clip.
    pub(super) clip: ClipId,
    /// Who sent it.
    pub(super) from: DeviceId,
    /// When, by its clock.
    pub(super) at: Micros,
}

/// Why a clip is not sent to a device.
#[derive(Debug, thiserror::Error)]
pub enum SendError {
    /// This device belongs to no group.
    #[error("this device belongs to no group; `yadori pair` lets another one in")]
    Alone,
    /// There is no such clip.
    #[error("there is no such clip any more")]
    Gone,
    /// It never travels.
    #[error("a secret, and what a rule keeps on this device, is never sent")]
    Never,
    /// It is not saved.
    #[error("the clip is not saved yet; send it again in a moment")]
    Unsaved,
    /// It is this one.
    #[error("that is this device")]
    This,
    /// The device.
    #[error(transparent)]
    Device(#[from] StrikeError),
    /// The records.
    #[error(transparent)]
    Trouble(#[from] Trouble),
}

impl Exchanger {
    /// Sends a clip to a device, by its name or the beginning of its id. Gives its name. It goes when the hub can be reached.
    ///
    /// # Errors
    /// It is not sent then.
    pub async fn hand(&self, clip: ClipId, to: &str) -> Result<String, SendError> {
        if self.app.exchange.now().hub.is_none() {
            return Err(SendError::Alone);
        }
        let device = self.meant(to)?;
        if device.this {
            return Err(SendError::This);
        }
        let clip = self.app.clips.history().get(clip).ok_or(SendError::Gone)?;
        if !may_be_sent(&clip) {
            return Err(SendError::Never);
        }
        if clip.held != Held::Recorded {
            return Err(SendError::Unsaved);
        }
        let store = self.app.at_hand.store().ok_or(Trouble::Records)?;
        let subject = (SENT.to_owned(), sent_id(device.id, clip.id));
        store.note_sending(&subject, clip.id, now()).await.map_err(Trouble::from)?;
        self.app.exchange.is_due();
        Ok(device.name)
    }

    /// What was sent to this device goes to its live clipboard, the last one of several, and a sign says so.
    pub(super) async fn bring(&self, came: &[Came]) {
        let Some(last) = came.last() else { return };
        let name = self.members().into_iter().find(|one| one.id == last.from).map(|one| one.name);
        let clip = self.app.clips.history().get(last.clip);
        // It was removed here, and not copied since.
        let Some(clip) = clip else { return };
        let mut live = false;
        if self.app.desk.is_some() && (now() - last.at).abs() < LATE {
            match take(&self.app, &clip, &Take { form: Form::Copied, ..Take::default() }).await {
                Ok(_) => live = true,
                Err(why) => tracing::info!("what another device sent did not go to the clipboard: {why}"),
            }
        }
        let device = name.unwrap_or_else(|| "another device".to_owned());
        let brought = Brought { at: now(), id: clip.id.to_string(), device, live };
        self.app.health.change(|health| health.brought = Some(brought));
    }
}
