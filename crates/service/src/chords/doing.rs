//! What chords do: the clip at a place is pasted, the picker is started. In the order in which they were pressed.

use std::sync::Arc;

use tokio::sync::mpsc;
use yadori_api::{Form, Hand, PasteInto, Take};
use yadori_core::acts::{Act, BatchChange};
use yadori_core::{BatchId, Clip};

use super::hitch::{ChordError, said};
use super::picker::Picker;
use crate::batches::hand::{HandError, hand};
use crate::home::random::random;
use crate::intake::pause::{pause, resume};
use crate::state::app::{App, Shared};
use crate::state::pressed::Pressed;
use crate::take::take::take;
use crate::writer::{Queue, With, WriteError};

/// Does what was pressed until there is no more.
pub async fn run(app: Shared, queue: Queue, picker: Picker, mut pressed: mpsc::UnboundedReceiver<Pressed>) {
    while let Some(pressed) = pressed.recv().await {
        let outcome = match pressed {
            Pressed::Paste(_, Some(clip)) => paste(&app, &clip).await,
            Pressed::Paste(n, None) => Err(ChordError::NothingThere(n)),
            Pressed::Next => next(&app, &queue).await,
            Pressed::Gather => gather(&app, &queue).await,
            Pressed::Pause if app.pausing.now().is_some() => resume(&app).await.map_err(ChordError::Pause),
            Pressed::Pause => pause(&app, None).map_err(ChordError::Pause),
            Pressed::Picker => picker.start(&app).inspect_err(|_| give_up_picker(&app)),
            Pressed::PickerBy(done) => {
                if let Some(desk) = &app.desk {
                    desk.expect_picker();
                }
                let outcome = picker.start(&app).inspect_err(|_| give_up_picker(&app));
                let _ = done.send(outcome.as_ref().err().map(ToString::to_string));
                outcome
            }
            Pressed::Console => picker.console(&app),
            // Why has been told: it could not be started, or ended at once.
            Pressed::NoPicker if app.health.now().hitch.is_some() => continue,
            Pressed::NoPicker => Err(ChordError::NoPicker),
        };
        said(&app, outcome.err());
    }
}

/// It won't come: the keyboard is let go of.
fn give_up_picker(app: &App) {
    if let Some(desk) = &app.desk {
        desk.picker_failed();
    }
}

async fn paste(app: &App, clip: &Arc<Clip>) -> Result<(), ChordError> {
    let wanted = Take { form: Form::Ready, paste: Some(PasteInto::Front), ..Take::default() };
    take(app, clip, &wanted).await?;
    Ok(())
}

async fn next(app: &App, queue: &Queue) -> Result<(), ChordError> {
    let wanted = Hand { paste: Some(PasteInto::Front), ..Hand::default() };
    match hand(app, queue, None, &wanted).await {
        Ok(_) => Ok(()),
        Err(HandError::Take(why)) => Err(ChordError::from(why)),
        Err(why) => Err(ChordError::Batch(why)),
    }
}

/// Copies join a new batch from now on; or no longer, if they did.
async fn gather(app: &App, queue: &Queue) -> Result<(), ChordError> {
    let gathering = app.clips.history().batches().gathering().map(|one| one.id);
    let on = gathering.is_none();
    let change = BatchChange { gathering: Some(on), ..BatchChange::default() };
    let act = match gathering {
        Some(batch) => Act::ChangeBatch { batch, change },
        None => Act::NewBatch {
            id: BatchId(random().map_err(|_| ChordError::Write(WriteError::NoRandomness))?),
            pieces: Vec::new(),
            change,
        },
    };
    queue.act(act, With::default()).await.map(drop).map_err(ChordError::Write)
}
