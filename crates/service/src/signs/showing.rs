//! Keeps the signs as things stand: follows what happens, and shows it where the person wants it shown.

use std::path::PathBuf;
use std::sync::Arc;
use std::time::Duration;

use ksni::{Handle, TrayMethods};
use tokio::sync::broadcast::error::RecvError;
use yadori_core::{ClipId, Micros};
use yadori_desk::displays::Displays;
use yadori_desk::lamp::LampEvent;
use yadori_words::word;
use zbus::Connection;

use super::indicator::Indicator;
use super::notices::Notices;
use super::sight::{Sight, Sitting, Trouble};
use super::sound::Sound;
use super::window::Window;
use crate::home::settings::change::{Config, change, named};
use crate::state::app::Shared;
use crate::state::clock::now;
use crate::state::events::Happening;
use crate::state::pressed::Pressed;

/// How long after the session's bus was away it is looked for again.
const AGAIN: Duration = Duration::from_secs(30);
/// How often the sitting is looked at, which ends by time alone.
const LOOK: Duration = Duration::from_secs(60);

/// What is shown, and by what.
struct Showing {
    app: Shared,
    sitting: Sitting,
    trouble: Trouble,
    indicator: Option<Handle<Indicator>>,
    notices: Option<Notices>,
    sound: Sound,
    /// The session's bus was not there; not before this is it looked for again.
    again: Option<tokio::time::Instant>,
    shown: Option<Sight>,
    window: Option<Window>,
    around: Around,
}

/// What the signs need of the service.
#[derive(Clone, Debug)]
pub(crate) struct Around {
    /// Where files of this run are.
    pub(crate) run: PathBuf,
    /// Where the lamp's place is remembered.
    pub(crate) place: PathBuf,
    /// What the window is shown on.
    pub(crate) displays: Displays,
    /// The configuration: who dismisses the window does not want it.
    pub(crate) config: Arc<Config>,
}

/// Shows signs until the service ends.
pub(crate) async fn run(app: Shared, around: Around) {
    let mut events = app.events.listen(None).live;
    let mut showing = Showing {
        app: app.clone(),
        sitting: Sitting::default(),
        trouble: Trouble::default(),
        indicator: None,
        notices: None,
        sound: Sound::at(around.run.join("copied.wav")),
        again: None,
        shown: None,
        window: None,
        around,
    };
    loop {
        let changed = app.changing();
        let look = showing.show().await;
        tokio::select! {
            event = events.recv() => {
                let mut next = event;
                // What comes together is shown once.
                loop {
                    match next {
                        Ok((_, Happening::Clip { id, copied: true, .. })) => showing.copied(id).await,
                        Ok(_) | Err(RecvError::Lagged(_)) => {}
                        Err(RecvError::Closed) => return,
                    }
                    match events.try_recv() {
                        Ok(more) => next = Ok(more),
                        Err(_) => break,
                    }
                }
            }
            event = done_with(&mut showing.window) => showing.done(event).await,
            () = changed => showing.again = None,
            () = tokio::time::sleep(look) => {}
            () = app.shutdown.cancelled() => {
                if let Some(indicator) = showing.indicator.take() {
                    indicator.shutdown().await;
                }
                return;
            }
        }
    }
}

/// What was done with the window next; never, where there is none.
async fn done_with(window: &mut Option<Window>) -> Option<LampEvent> {
    match window {
        Some(window) => window.next().await,
        None => std::future::pending().await,
    }
}

impl Showing {
    async fn done(&mut self, event: Option<LampEvent>) {
        match event {
            Some(LampEvent::Pressed) => {
                if let Some(presses) = self.app.presses.get() {
                    let (done, _) = tokio::sync::oneshot::channel();
                    let _ = presses.send(Pressed::PickerBy(done));
                }
            }
            Some(LampEvent::Moved(..)) => {}
            Some(LampEvent::Dismissed) => self.dismissed().await,
            None => self.window = None,
        }
    }

    /// The window is not wanted any more, until it is called back.
    async fn dismissed(&mut self) {
        let config = self.around.config.clone();
        let one_at_a_time = config.changing.lock().await;
        let path = config.path.clone();
        let changed = tokio::task::spawn_blocking(move || {
            change(&path, &[(named("signs.lamp")?, serde_json::Value::Bool(false))])
        });
        match changed.await {
            Ok(Ok(changeable)) => self.app.set(changeable),
            Ok(Err(why)) => tracing::warn!("the lamp is hidden for this run alone: {why}"),
            Err(_) => {}
        }
        drop(one_at_a_time);
        self.window = None;
        let back = word!("`yadori settings set signs.lamp true`, or the console's settings, call it back");
        let outcome = match self.notices().await {
            Some(notices) => notices.word(word!("The lamp is hidden"), back).await,
            None => Ok(()),
        };
        self.heard(outcome);
    }

    fn show_window(&mut self, sight: &Sight, wanted: bool) {
        let displays = &self.around.displays;
        match (wanted && *displays != Displays::default(), &self.window) {
            (true, Some(_)) if self.shown.as_ref() == Some(sight) => {}
            (true, Some(window)) => window.show(sight),
            (true, None) => match Window::new(displays.clone(), &self.around.place, sight) {
                Ok(window) => self.window = Some(window),
                Err(why) => tracing::warn!("no lamp: {why}"),
            },
            (false, _) => self.window = None,
        }
    }

    fn sight(&self) -> Sight {
        Sight::of(&self.app.status().capture, self.sitting.count(now()))
    }

    /// Brings everything up to date. Gives how long that holds at most.
    async fn show(&mut self) -> Duration {
        let sight = self.sight();
        let wanted = self.app.settings().signs;
        let looked = self.trouble.look(sight.trouble(), now());
        if looked.is_ok() && wanted.trouble {
            let outcome = match self.notices().await {
                Some(notices) => notices.trouble(&sight.words, sight.next.as_deref()).await,
                None => Ok(()),
            };
            self.heard(outcome);
        }
        self.show_window(&sight, wanted.lamp);
        match (wanted.indicator, self.indicator.take()) {
            (true, None) => self.put_up(&sight).await,
            (true, Some(indicator)) if self.shown.as_ref() == Some(&sight) => {
                self.indicator = Some(indicator);
            }
            (true, Some(indicator)) => {
                let there = indicator.update(|lamp| lamp.sight = sight.clone()).await;
                // Its bus has gone: it is put up anew.
                self.indicator = there.map(|()| indicator);
            }
            (false, Some(indicator)) => indicator.shutdown().await,
            (false, None) => {}
        }
        self.shown = Some(sight);
        let until = |at: Micros| Duration::from_micros(u64::try_from(at - now()).unwrap_or(0));
        looked.err().flatten().map_or(LOOK, |at| until(at) + Duration::from_millis(20)).min(LOOK)
    }

    fn may_look(&self) -> bool {
        self.again.is_none_or(|again| again <= tokio::time::Instant::now())
    }

    async fn put_up(&mut self, sight: &Sight) {
        let Some(presses) = self.app.presses.get().filter(|_| self.may_look()) else { return };
        let indicator = Indicator { sight: sight.clone(), presses: presses.clone() };
        // Where there is no place for it yet, it comes up once there is one.
        match indicator.assume_sni_available(true).spawn().await {
            Ok(handle) => self.indicator = Some(handle),
            Err(why) => self.not_there(&why),
        }
    }

    fn not_there(&mut self, why: &dyn std::fmt::Display) {
        tracing::debug!("no signs on the desktop: {why}");
        self.again = Some(tokio::time::Instant::now() + AGAIN);
    }

    /// Who tells, if the session has a bus.
    async fn notices(&mut self) -> Option<&mut Notices> {
        if self.notices.is_none() && self.may_look() {
            let made = async { Notices::on(&Connection::session().await?).await };
            match made.await {
                Ok(notices) => self.notices = Some(notices),
                Err(why) => self.not_there(&why),
            }
        }
        self.notices.as_mut()
    }

    fn heard(&mut self, outcome: zbus::Result<()>) {
        if let Err(why) = outcome {
            self.notices = None;
            self.not_there(&why);
        }
    }

    /// Something was copied.
    async fn copied(&mut self, id: ClipId) {
        self.sitting.copied(now());
        let wanted = self.app.settings().signs;
        if wanted.sound {
            self.sound.play(&self.app);
        }
        if wanted.copies
            && let Some(clip) = self.app.clips.get(id).filter(|clip| !clip.is_secret())
        {
            let program = clip.state.offer().and_then(|offer| offer.source.program.clone());
            let (kind, line) = (clip.facts.kind(), self.sight().line());
            let outcome = match self.notices().await {
                Some(notices) => notices.copied(kind, program.as_deref(), &line).await,
                None => Ok(()),
            };
            self.heard(outcome);
        }
    }
}
