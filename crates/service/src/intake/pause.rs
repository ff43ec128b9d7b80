//! Pausing and resuming: nothing that is copied meanwhile is read, and nothing of it afterwards.

use std::time::Duration;

use yadori_core::Micros;

use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::state::pausing::Pause;

/// A pause is looked at again so often: the clock may have been set.
const LOOK: Duration = Duration::from_secs(20);
/// Minutes of a pause.
const LONGEST: f64 = 366.0 * 24.0 * 60.0;

/// Why capture goes on as it did.
#[derive(Debug, thiserror::Error)]
pub enum PauseError {
    /// There is nothing to pause.
    #[error("capture is switched off for this run, so there is nothing to pause")]
    Off,
    /// Not a time.
    #[error("a pause takes between a second and a year, not {0} minutes")]
    Minutes(f64),
    /// It is not paused.
    #[error("capture is not paused")]
    NotPaused,
    /// It can't be remembered.
    #[error("that can't be remembered over a restart: {0}")]
    Remembering(#[from] std::io::Error),
}

/// Pauses capture, for so many minutes or until it is resumed. Nothing that is copied after this returns is read.
///
/// # Errors
/// Nothing was changed, unless it can't be remembered.
pub fn pause(app: &App, minutes: Option<f64>) -> Result<(), PauseError> {
    let desk = app.desk.as_ref().ok_or(PauseError::Off)?;
    if let Some(minutes) = minutes.filter(|minutes| !(1.0 / 60.0..=LONGEST).contains(minutes)) {
        return Err(PauseError::Minutes(minutes));
    }
    let since = now();
    let span = |minutes: f64| {
        Micros::try_from(Duration::from_secs_f64(minutes * 60.0).as_micros()).unwrap_or(Micros::MAX)
    };
    let until = minutes.map(|minutes| since.saturating_add(span(minutes)));
    desk.pause();
    let remembered = app.pausing.set(Some(Pause { since, until }));
    app.health.touch();
    Ok(remembered?)
}

/// Captures again. What lies on the clipboard is not read.
///
/// # Errors
/// It is not paused.
pub async fn resume(app: &App) -> Result<(), PauseError> {
    let desk = app.desk.as_ref().ok_or(PauseError::Off)?;
    if app.pausing.now().is_none() {
        return Err(PauseError::NotPaused);
    }
    let remembered = app.pausing.set(None);
    desk.resume().await;
    app.health.touch();
    Ok(remembered?)
}

/// Ends pauses when their time has come, until the service ends.
pub async fn run(app: Shared) {
    // A pause that ended while the service was starting.
    if let Some(desk) = app.desk.as_ref().filter(|desk| desk.is_paused() && app.pausing.now().is_none()) {
        desk.resume().await;
    }
    loop {
        let left = app
            .pausing
            .now()
            .and_then(|pause| pause.until)
            .map(|until| Duration::from_micros(u64::try_from(until - now()).unwrap_or(0)));
        if left == Some(Duration::ZERO) {
            if let Err(why) = resume(&app).await {
                tracing::warn!("a pause has ended: {why}");
            }
            continue;
        }
        let next = left.unwrap_or(Duration::MAX).min(LOOK);
        tokio::select! {
            () = tokio::time::sleep(next), if left.is_some() => {}
            () = app.pausing.changed() => {}
            () = app.shutdown.cancelled() => return,
        }
    }
}
