//! One clip: its details, and each representation as it came.

use std::sync::Arc;

use axum::extract::State;
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::response::IntoResponse;
use serde::Deserialize;
use utoipa::IntoParams;
use yadori_api::{Detail, EarlierOffer, Pictured, PicturedState, PicturedWord, Problem, Representation};
use yadori_core::RepresentationRecord;
use yadori_core::clip::mime;
use yadori_core::clip::pictured::Area;
use yadori_core::clip::reading::plain_form;
use yadori_core::{Clip, Kind};

use super::address::{resolve, resolve_open};
use crate::http::extract::{Path, Query};
use crate::http::{Context, Failure};
use crate::pictures::reader::is_installed;
use crate::pictures::reading::{picture_of, pictured};
use crate::search::find::{read_query, zone};
use crate::state::shapes::row;
use crate::take::shaped::missing_files;

/// Bytes of text that details carry.
const TEXT_MOST: usize = 1 << 20;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(crate) struct Looking {
    /// A query, as for a search: words of a picture that match it are named
    q: Option<String>,
    /// The viewer's time zone, for dates in it
    zone: Option<String>,
}

/// A clip as a whole
#[utoipa::path(get, path = "/clips/{address}", params(("address" = String, Path), Looking),
    responses((status = 200, body = Detail), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub(crate) async fn detail(
    State(context): State<Arc<Context>>,
    Path(address): Path<String>,
    Query(looking): Query<Looking>,
) -> Result<axum::Json<Detail>, Failure> {
    let clip = resolve(&context.app, &address)?;
    let text = match clip.facts.kind() {
        _ if clip.is_secret() => None,
        Kind::Image => None,
        Kind::Text | Kind::Link | Kind::Files => plain_form(&context.app.at_hand.offer(&clip).await?),
    };
    let text_cut = text.as_ref().is_some_and(|text| text.len() > TEXT_MOST);
    let text = text.map(|mut text| {
        let end = (0..=TEXT_MOST.min(text.len())).rev().find(|end| text.is_char_boundary(*end)).unwrap_or(0);
        text.truncate(end);
        text
    });
    let mut offers = clip.state.shown_offers().into_iter();
    let representations = offers.next().map(|one| listed(&one.value.representations)).unwrap_or_default();
    let earlier = offers
        .map(|one| EarlierOffer {
            at: i64::try_from(one.at.wall_ms).unwrap_or(0) * 1_000,
            representations: listed(&one.value.representations),
            source: one.value.source.clone(),
        })
        .collect();
    let missing = missing_files(&clip).await;
    let pictured = words_of(&context, &clip, &looking).await;
    let mut representations = representations;
    if clip.is_secret() {
        // How long it is tells something of it.
        representations.iter_mut().for_each(|one| one.size = 0);
    }
    let row = row(&context.app.clips.history(), &clip);
    Ok(axum::Json(Detail { row, representations, earlier, text, text_cut, pictured, missing }))
}

/// How it is with the words of its picture; `None` for what is none.
async fn words_of(context: &Context, clip: &Clip, looking: &Looking) -> Option<Pictured> {
    let app = &context.app;
    if clip.facts.kind() != Kind::Image {
        return None;
    }
    let read = pictured(app, clip).await;
    let state = match &read {
        Some(_) => PicturedState::Read,
        None if picture_of(clip).is_none() => PicturedState::Never,
        None if !app.settings().read_pictures => PicturedState::Off,
        None if !is_installed() => PicturedState::NoReader,
        None => PicturedState::Waits,
    };
    let read = read.unwrap_or_default();
    let query = looking.q.as_deref().and_then(|text| {
        let zone = zone(looking.zone.as_deref())?;
        // One that can't be read marks nothing: whoever typed it is told by the search.
        read_query(app, text, zone).ok()
    });
    let found = query.map(|query| read.found(&query)).unwrap_or_default();
    Some(Pictured {
        state,
        width: read.size.0,
        height: read.size.1,
        text: read.text(),
        words: read
            .words
            .into_iter()
            .map(|word| {
                let Area { x, y, width, height } = word.area;
                PicturedWord { text: word.text, x, y, width, height }
            })
            .collect(),
        found: found.into_iter().filter_map(|n| u32::try_from(n).ok()).collect(),
    })
}

fn listed(records: &[RepresentationRecord]) -> Vec<Representation> {
    let one = |(n, record): (usize, &RepresentationRecord)| Representation {
        n: u32::try_from(n).unwrap_or(0),
        mime: record.mime.clone(),
        size: record.size,
        extension: mime::extension(&record.mime).to_owned(),
    };
    records.iter().enumerate().map(one).collect()
}

/// One representation, byte for byte, as an attachment
#[utoipa::path(get, path = "/clips/{address}/representations/{n}",
    params(("address" = String, Path), ("n" = u32, Path)),
    responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = Problem)))]
pub(crate) async fn representation(
    State(context): State<Arc<Context>>,
    Path((address, n)): Path<(String, usize)>,
) -> Result<impl IntoResponse, Failure> {
    let clip = resolve_open(&context.app, &address)?;
    let records = clip.state.offer().map(|offer| offer.representations.as_slice()).unwrap_or_default();
    let Some(record) = records.get(n) else {
        let detail = format!("it has {} representations, counted from 0", records.len());
        return Err(Failure::new(
            StatusCode::NOT_FOUND,
            "no-such-representation",
            "No such representation",
            detail,
        ));
    };
    let content = context.app.at_hand.content(record.digest).await?;
    let mut headers = HeaderMap::new();
    // The type a program gave is untrusted: the browser is told bytes, and what it was stands beside it.
    headers.insert(header::CONTENT_TYPE, HeaderValue::from_static("application/octet-stream"));
    let name = format!("attachment; filename=\"clip.{}\"", mime::extension(&record.mime));
    if let Ok(name) = HeaderValue::from_str(&name) {
        headers.insert(header::CONTENT_DISPOSITION, name);
    }
    headers.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static("sandbox; default-src 'none'"));
    Ok((headers, content.expose().clone()))
}
