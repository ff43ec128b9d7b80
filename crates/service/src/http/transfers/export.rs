//! Exports.

use std::sync::Arc;

use axum::extract::State;
use axum::response::IntoResponse;
use serde::Deserialize;
use tokio::runtime::Handle;
use utoipa::IntoParams;
use yadori_api::Problem;
use yadori_core::ClipId;

use super::sent::attachment;
use crate::http::acts::done::ids_of;
use crate::http::extract::{Json, Path, Query};
use crate::http::{Context, Failure};
use crate::search::find::{find, read_query, zone};
use crate::transfer::export::{DrawerExport, Export, Form};
use crate::transfer::outgoing;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Wanted {
    /// `zip` (the default) or `csv`
    format: Option<String>,
    /// Only what this query finds
    #[serde(default)]
    q: String,
    /// Only the clips with these ids, separated by commas
    ids: Option<String>,
    /// The viewer's time zone, for the query
    zone: Option<String>,
}

/// Export everything, or what a query finds
#[utoipa::path(get, path = "/export", params(Wanted),
    responses((status = 200, body = Vec<u8>, content_type = "application/zip"), (status = 422, body = Problem)))]
pub(crate) async fn export(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
) -> Result<impl IntoResponse, Failure> {
    let app = &context.app;
    let zone = zone(wanted.zone.as_deref()).ok_or_else(Failure::no_zone)?;
    let query = read_query(app, &wanted.q, zone).map_err(|why| Failure::query(&wanted.q, &why))?;
    let form = match wanted.format.as_deref() {
        None | Some("zip") => Form::Zip,
        Some("csv") => Form::Csv,
        Some(_) => return Err(Failure::invalid("`format` is zip or csv")),
    };
    let ids = match &wanted.ids {
        Some(ids) => {
            let ids: Option<Vec<ClipId>> = ids.split(',').map(ClipId::parse).collect();
            ids.ok_or_else(|| Failure::invalid("`ids` must be whole ids, separated by commas"))?
        }
        None => find(app, Arc::new(query), usize::MAX - 1).await?.ids,
    };
    written(&context, ids, form)
}

/// Export some clips
#[utoipa::path(post, path = "/export", request_body = yadori_api::RowsRequest,
    responses((status = 200, body = Vec<u8>, content_type = "application/zip"), (status = 422, body = Problem)))]
pub(crate) async fn export_some(
    State(context): State<Arc<Context>>,
    Json(wanted): Json<yadori_api::RowsRequest>,
) -> Result<impl IntoResponse, Failure> {
    written(&context, ids_of(&wanted.ids)?, Form::Zip)
}

/// The answer: written while it is sent.
fn written(context: &Context, ids: Vec<ClipId>, form: Form) -> Result<impl IntoResponse + use<>, Failure> {
    let export = Export::new(context.app.clone(), ids, Handle::current());
    let write = move |out| export.write(out, form);
    let (transfer, sent) = outgoing::send(context.app.clone(), "an export", write)?;
    let (kind, name) = match form {
        Form::Csv => ("text/csv;charset=utf-8", "yadori.csv"),
        Form::Zip => ("application/zip", "yadori-export.zip"),
    };
    Ok(attachment(kind, name, &transfer, sent))
}

/// Export a drawer with everything in it, as one JSON file
#[utoipa::path(get, path = "/drawers/{drawer}/export", params(("drawer" = String, Path)),
    responses((status = 200, body = Object, content_type = "application/json"), (status = 404, body = Problem)))]
pub(crate) async fn drawer(
    State(context): State<Arc<Context>>,
    Path(drawer): Path<String>,
) -> Result<impl IntoResponse, Failure> {
    let export = DrawerExport::new(context.app.clone(), &drawer, Handle::current())?;
    let write = move |out| export.write(out);
    let (transfer, sent) = outgoing::send(context.app.clone(), "an export of a drawer", write)?;
    Ok(attachment("application/json", "yadori-drawer.json", &transfer, sent))
}
