//! How a query can go on.

use std::sync::Arc;

use axum::extract::State;
use serde::Deserialize;
use utoipa::IntoParams;
use yadori_api as api;
use yadori_api::Completions;
use yadori_core::search::complete::{Vocabulary, complete};

use crate::http::Context;
use crate::http::extract::Query;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Unfinished {
    /// The query as far as it is written
    q: String,
    /// Where the cursor stands, in characters (Unicode scalar values); at the end if not given
    cursor: Option<usize>,
}

/// How a query can go on
#[utoipa::path(get, path = "/complete", params(Unfinished), responses((status = 200, body = Completions)))]
pub(crate) async fn completions(
    State(context): State<Arc<Context>>,
    Query(unfinished): Query<Unfinished>,
) -> axum::Json<Completions> {
    let text = &unfinished.q;
    let byte = |chars: usize| text.char_indices().nth(chars).map_or(text.len(), |(at, _)| at);
    let chars = |byte: usize| u32::try_from(text[..byte].chars().count()).unwrap_or(u32::MAX);
    let texts = context.app.clips.texts();
    let known = context.app.clips.drawers();
    let shown = known.shown();
    let mut drawers: Vec<&str> =
        shown.iter().flat_map(|(_, state)| [state.name(), state.group()]).flatten().collect();
    drawers.sort_unstable();
    drawers.dedup();
    let words =
        Vocabulary { programs: texts.programs(), drawers, devices: vec![context.app.clips.device_name()] };
    let found = complete(text, byte(unfinished.cursor.unwrap_or(usize::MAX)), &words, 10);
    let completions = found
        .into_iter()
        .map(|one| api::Completion {
            from: chars(one.from),
            to: chars(one.to),
            insert: one.insert,
            meaning: one.meaning.map(str::to_owned),
        })
        .collect();
    axum::Json(Completions { completions })
}
