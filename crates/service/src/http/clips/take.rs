//! Taking: a clip onto the live clipboard.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Problem, Take, Taken, TypedKeys};
use yadori_core::picker::keys::Ask;

use yadori_desk::Typed;

use super::address::resolve;
use crate::http::extract::{Json, Path};
use crate::http::{Context, Failure};
use crate::state::shapes::row;
use crate::take::shaped::missing_files;
use crate::take::take::take as put_on_clipboard;

/// Put a clip on the live clipboard; it is pasteable when this returns
#[utoipa::path(post, path = "/clips/{address}/take", params(("address" = String, Path)), request_body = Take,
    responses((status = 200, body = Taken), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub(crate) async fn take(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Json(wanted): Json<Take>,
) -> Result<axum::Json<Taken>, Failure> {
    let app = &context.app;
    let clip = resolve(app, &address)?;
    let filled = put_on_clipboard(app, &clip, &wanted).await?;
    let row = row(&app.clips.history(), &clip);
    let pasted = wanted.paste.is_some();
    let missing = missing_files(&clip).await;
    Ok(axum::Json(Taken { row, form: wanted.form, filled, pasted, missing }))
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
