//! The newest matches with what matched, and all matches in outline.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Excerpt, ExcerptOf, Found, FoundOutline, Hit, Problem};
use yadori_core::Clip;
use yadori_core::clip::facts;
use yadori_core::clip::reading::plain_form;
use yadori_core::search::{self, facts_are_whole, marks};
use yadori_core::text::stack::overwrite_stack;

use super::query::Wanted;
use crate::http::clips::list::{OUTLINED, cursor, parse_cursor};
use crate::http::extract::Query;
use crate::http::part::limited;
use crate::http::problem::expected;
use crate::http::{Context, Failure};
use crate::pictures::reading::pictured;
use crate::search::find::{find, nearest_to};
use crate::state::shapes::row;

/// Hits with rows at most.
const HITS: usize = 500;
/// Clips that come near at most.
const NEAREST: usize = 20;
/// Characters of an excerpt.
const EXCERPT: usize = 240;
/// Long texts that are read for their excerpts, per answer.
const READ: usize = 50;

/// The newest clips that match a query, and where they match; or, of a query that can't be read (yet), what is expected
#[utoipa::path(get, path = "/search", params(Wanted),
    responses((status = 200, body = Found), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn search(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
) -> Result<axum::Json<Found>, Failure> {
    let app = &context.app;
    let limit = limited(wanted.limit, 50, HITS)?;
    let query = match wanted.read(app)? {
        Ok(query) => Arc::new(query),
        Err(why) => {
            let expected = Some(expected(&wanted.q, &why));
            let (unread, revision) = (app.clips.unread(), app.clips.history().revision());
            return Ok(axum::Json(Found {
                hits: Vec::new(),
                more: false,
                unread,
                revision,
                expected,
                nearest: false,
            }));
        }
    };
    let mut found = find(app, query.clone(), limit).await?;
    let nearest = found.ids.is_empty() && wanted.nearest && app.settings().nearest;
    if nearest {
        found.ids = nearest_to(app, query.clone(), limit.min(NEAREST)).await?;
    }
    let nearest = nearest && !found.ids.is_empty();
    let (clips, revision): (Vec<Arc<Clip>>, u64) = {
        let history = app.clips.history();
        (found.ids.iter().filter_map(|id| history.get(*id)).collect(), history.revision())
    };
    let mut read = 0;
    let mut hits = Vec::with_capacity(clips.len());
    for clip in clips {
        let mut excerpts = excerpts(&clip, &query);
        if excerpts.is_empty() && !facts_are_whole(&clip) && read < READ && has_words(&query) {
            read += 1;
            if let Some(text) = app.at_hand.texts_of(&clip).await.ok().as_ref().and_then(plain_form) {
                excerpts.extend(excerpt(ExcerptOf::Text, &text, &query));
            }
        }
        if excerpts.is_empty() && read < READ && has_words(&query) && app.clips.is_read(clip.id) {
            read += 1;
            let words = pictured(app, &clip).await.unwrap_or_default();
            excerpts.extend(excerpt(ExcerptOf::Picture, &words.text(), &query));
        }
        let history = app.clips.history();
        // The name of its drawer is known to the history alone.
        if excerpts.is_empty()
            && let Some(name) = history.drawer_name(&clip)
        {
            excerpts.extend(excerpt(ExcerptOf::Drawer, name, &query));
        }
        hits.push(Hit { row: row(&history, &clip), excerpts });
    }
    overwrite_stack();
    let unread = app.clips.unread();
    Ok(axum::Json(Found { hits, more: found.more, unread, revision, expected: None, nearest }))
}

fn has_words(query: &search::Query) -> bool {
    let mut has = false;
    query.each(&mut |term| has |= matches!(term.test, search::Test::Words(_) | search::Test::Pattern(_)));
    has
}

fn excerpt(of: ExcerptOf, text: &str, query: &search::Query) -> Option<Excerpt> {
    let found = marks::excerpt(text, query, EXCERPT)?;
    Some(Excerpt { of, text: found.text, cut: found.cut, marks: found.marks })
}

/// Where a clip matches, as far as its facts tell.
fn excerpts(clip: &Clip, query: &search::Query) -> Vec<Excerpt> {
    let mut found = Vec::new();
    if let Some(title) = clip.state.title() {
        found.extend(excerpt(ExcerptOf::Title, title, query));
    }
    let masked = clip.is_secret();
    found.extend(excerpt(ExcerptOf::Text, &clip.facts.head, query).filter(|_| !masked));
    for uri in clip.facts.files.iter().filter(|_| !masked) {
        let path = facts::path_of(uri).unwrap_or_else(|| uri.clone());
        if let Some(one) = excerpt(ExcerptOf::File, &path, query) {
            found.push(one);
            break;
        }
    }
    if let Some(offer) = clip.state.offer() {
        let source = &offer.source;
        for (of, text) in [
            (ExcerptOf::Program, &source.program),
            (ExcerptOf::Window, &source.window),
            (ExcerptOf::Page, &source.page),
        ] {
            found.extend(text.as_deref().and_then(|text| excerpt(of, text, query)));
        }
    }
    found
}

/// How much matches a query, and a part of it in outline
#[utoipa::path(get, path = "/search/outline", params(Wanted),
    responses((status = 200, body = FoundOutline), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn outline(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
) -> Result<axum::Json<FoundOutline>, Failure> {
    use std::fmt::Write;
    let query = Arc::new(wanted.query(&context.app)?);
    let names_pinned = query.names_pinned();
    let spares = wanted.spare_pinned && !names_pinned;
    let limit = wanted.limit.unwrap_or(OUTLINED);
    if limit > OUTLINED {
        return Err(Failure::invalid(format!("`limit` must be at most {OUTLINED}")));
    }
    let after = wanted.after.as_deref().map(parse_cursor).transpose()?;
    let found = find(&context.app, query, usize::MAX - 1).await?;
    let (mut last, mut more) = (None, false);
    let mut out = FoundOutline {
        ids: String::new(),
        kinds: String::new(),
        times: Vec::new(),
        count: 0,
        pinned: 0,
        spared: 0,
        names_pinned,
        next: None,
    };
    context.app.clips.outlined(&found.ids, |clip| {
        if spares && clip.pinned {
            out.spared += 1;
            return;
        }
        out.count += 1;
        out.pinned += u64::from(clip.pinned);
        let key = (clip.ordered_at, clip.id);
        if after.is_some_and(|after| key >= after) {
            return;
        }
        if out.times.len() == limit {
            more = true;
            return;
        }
        let _ = write!(out.ids, "{}", clip.id);
        out.kinds.push(clip.letter);
        out.times.push(clip.ordered_at / 1_000_000);
        last = Some(key);
    });
    out.next = last.filter(|_| more).map(cursor);
    Ok(axum::Json(out))
}
