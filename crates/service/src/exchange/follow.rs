//! What was just copied on another device goes to the live clipboard of this one.

use yadori_api::{Form, Take};
use yadori_core::{ClipId, DeviceId, Micros};

use super::exchanger::Exchanger;
use crate::state::clock::now;
use crate::take::take::take;

/// A copy that is older than this is no fresh one.
const FRESH: Micros = 60_000_000;

impl Exchanger {
    /// Takes the newest clip, if it came just now, and was copied just now by the device whose record it came in.
    pub(super) async fn follow(&self, came: &[(ClipId, DeviceId)]) {
        if !self.app.settings().exchange.follow || self.app.desk.is_none() {
            return;
        }
        let newest = self.app.clips.history().at(1);
        let Some(clip) = newest else { return };
        let Some((_, from)) = came.iter().rev().find(|(id, _)| *id == clip.id) else { return };
        let copied = clip.state.copied_at.as_ref();
        let by_them =
            copied.is_some_and(|copied| copied.at.device == *from && *from != self.app.clips.device());
        // By this device's own clock: when it came, if that of the other is ahead.
        let age = now().saturating_sub(clip.ordered_at);
        if !by_them || !(0..FRESH).contains(&age) || clip.is_secret() {
            return;
        }
        let wanted = Take { form: Form::Copied, ..Take::default() };
        if let Err(why) = take(&self.app, &clip, &wanted).await {
            tracing::info!("a copy of another device did not go to the clipboard: {why}");
        }
    }
}
