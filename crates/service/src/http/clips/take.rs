//! Taking: a clip onto the live clipboard.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use tokio::sync::oneshot;
use yadori_api::{Problem, ReadyText, Take, Taken, TypedKeys};
use yadori_core::clip::reading::plain_form;
use yadori_core::picker::keys::Ask;

use yadori_desk::Typed;

use super::address::{resolve, resolve_open};
use crate::http::extract::{Json, Path};
use crate::http::{Context, Failure};
use crate::intake::bring_in::add;
use crate::state::pressed::Pressed;
use crate::state::shapes::row;
use crate::take::shaped::missing_files;
use crate::take::take::{answered, put_as, ready, take as put_on_clipboard};
use crate::writer::PartOf;

/// Characters of a text that a preview tells.
const SHOWN: usize = 4_000;

/// The clip that is named first, and those that go with it.
fn all_of<'a>(address: &'a str, wanted: &'a Take) -> impl Iterator<Item = &'a str> {
    std::iter::once(address).chain(wanted.and.iter().map(String::as_str))
}

/// Put a clip, or several joined, on the live clipboard; it is pasteable when this returns
#[utoipa::path(post, path = "/clips/{address}/take", params(("address" = String, Path)), request_body = Take,
    responses((status = 200, body = Taken), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub(crate) async fn take(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Json(wanted): Json<Take>,
) -> Result<axum::Json<Taken>, Failure> {
    let app = &context.app;
    let clips: Vec<_> = all_of(&address, &wanted).map(|one| resolve(app, one)).collect::<Result<_, _>>()?;
    let (clip, filled) = if let [one] = &clips[..] {
        (one.clone(), put_on_clipboard(app, one, &wanted).await?)
    } else {
        // What several make is a clip, and that is taken.
        let ready = answered(app, &clips, &wanted).await?;
        let id =
            add(app, &context.queue, &context.disk, ready.offer.clone(), true, PartOf::Nothing).await?.clip;
        let filled = ready.filled;
        put_as(app, id, ready, wanted.paste).await?;
        (app.clips.get(id).ok_or_else(|| Failure::no_clip("it was removed meanwhile"))?, filled)
    };
    let row = row(&app.clips.history(), &clip);
    let pasted = wanted.paste.is_some();
    let missing = missing_files(&clip).await;
    Ok(axum::Json(Taken { row, form: wanted.form, filled, pasted, missing }))
}

/// What a take would put on the live clipboard, without doing it
#[utoipa::path(post, path = "/clips/{address}/take/preview", params(("address" = String, Path)), request_body = Take,
    responses((status = 200, body = ReadyText), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn preview(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Json(wanted): Json<Take>,
) -> Result<axum::Json<ReadyText>, Failure> {
    let app = &context.app;
    let clips: Vec<_> =
        all_of(&address, &wanted).map(|one| resolve_open(app, one)).collect::<Result<_, _>>()?;
    let ready = ready(app, &clips, &wanted).await?;
    let text = plain_form(&ready.offer);
    Ok(axum::Json(ReadyText {
        chars: text.as_ref().map_or(0, |text| text.chars().count() as u64),
        text: text.map(|text| text.chars().take(SHOWN).collect()),
        mimes: ready.offer.representations.iter().map(|one| one.mime.clone()).collect(),
        filled: ready.filled,
        questions: ready.open,
    }))
}

/// The picker is there: what was typed since its chord, once its window has the keyboard
#[utoipa::path(post, path = "/picker", responses((status = 200, body = TypedKeys)))]
pub(crate) async fn picker(State(context): State<Arc<Context>>) -> axum::Json<TypedKeys> {
    let Some(desk) = &context.app.desk else { return axum::Json(TypedKeys::default()) };
    let asked = |typed| match typed {
        Typed::Text(text) => Some(Ask::Type(text)),
        Typed::Key(chord) => Ask::of(chord),
    };
    let typed = desk.hand_over().await;
    let by_chord = typed.is_some();
    axum::Json(TypedKeys {
        by_chord,
        asks: typed.unwrap_or_default().into_iter().filter_map(asked).collect(),
    })
}

/// Open the picker, as its chord does
#[utoipa::path(post, path = "/picker/open", responses((status = 204), (status = 409, body = Problem)))]
pub(crate) async fn open_picker(State(context): State<Arc<Context>>) -> Result<StatusCode, Failure> {
    let failed = |why: String| {
        Failure::new(StatusCode::CONFLICT, "no-picker", "The picker is not open", why)
            .hint("`yadori pick` opens it in this terminal, the console shows it under #/pick")
    };
    let (done, answer) = oneshot::channel();
    let presses = context.app.presses.get();
    let sent = presses.is_some_and(|presses| presses.send(Pressed::PickerBy(done)).is_ok());
    match answer.await {
        Ok(None) => Ok(StatusCode::NO_CONTENT),
        Ok(Some(why)) => Err(failed(why)),
        Err(_) if sent => Err(failed("the service is stopping".to_owned())),
        Err(_) => Err(failed("no display is watched that it could be opened on".to_owned())),
    }
}
