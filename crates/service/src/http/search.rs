//! Search: the newest matches with what matched, all matches in outline, completion, and the insight.

use std::sync::Arc;
use std::sync::atomic::Ordering;

use axum::extract::State;
use serde::Deserialize;
use utoipa::IntoParams;
use yadori_api as api;
use yadori_api::{Completions, Excerpt, Found, FoundOutline, Hit, Insight, Problem, Share};
use yadori_core::clip::reading::plain_form;
use yadori_core::search::complete::{Vocabulary, complete};
use yadori_core::search::{facts_are_whole, marks};
use yadori_core::{Clip, Kind, search};
use yadori_core::clip::facts;

use super::extract::Query;
use super::history::kind_letter;
use super::{Context, Failure};
use crate::app::{App, now, row};
use crate::searching::{find, read_query, zone};

/// Hits with rows at most.
const HITS: usize = 500;
/// Characters of an excerpt.
const EXCERPT: usize = 240;
/// Long texts that are read for their excerpts, per answer.
const READ: usize = 50;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(super) struct Wanted {
    /// The query
    #[serde(default)]
    q: String,
    /// How many, at most 500 with rows; 50 if not given
    limit: Option<usize>,
    /// The viewer's time zone (IANA name); this computer's if not given
    zone: Option<String>,
    /// In outline: leave out what is pinned, unless the query names favorites or drawers
    #[serde(default)]
    spare_pinned: bool,
}

fn parse(app: &App, text: &str, zone_name: Option<&str>) -> Result<search::Query, Failure> {
    let zone = zone(zone_name).ok_or_else(|| Failure::invalid("`zone` must be the name of a time zone"))?;
    read_query(app, text, zone).map_err(|why| Failure::query(text, &why))
}

/// The newest clips that match a query, and where they match
#[utoipa::path(get, path = "/search", params(Wanted),
    responses((status = 200, body = Found), (status = 422, body = Problem)))]
pub(super) async fn search(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
) -> Result<axum::Json<Found>, Failure> {
    let app = &context.app;
    let limit = wanted.limit.unwrap_or(50);
    if limit == 0 || limit > HITS {
        return Err(Failure::invalid(format!("`limit` must be between 1 and {HITS}")));
    }
    let query = Arc::new(parse(&context.app, &wanted.q, wanted.zone.as_deref())?);
    let found = find(app, query.clone(), limit).await;
    let (clips, revision): (Vec<Arc<Clip>>, u64) = {
        let history = app.history();
        (found.ids.iter().filter_map(|id| history.get(*id).cloned()).collect(), history.revision())
    };
    let mut read = 0;
    let mut hits = Vec::with_capacity(clips.len());
    for clip in clips {
        let mut excerpts = excerpts(&clip, &query);
        if excerpts.is_empty() && !facts_are_whole(&clip) && read < READ && has_words(&query) {
            read += 1;
            if let Some(text) = app.offer(&clip).await.ok().as_ref().and_then(plain_form) {
                excerpts.extend(excerpt("text", &text, &query));
            }
        }
        let history = app.history();
        // The name of its drawer is known to the history alone.
        if excerpts.is_empty()
            && let Some(name) = history.drawer_name(&clip)
        {
            excerpts.extend(excerpt("drawer", name, &query));
        }
        hits.push(Hit { row: row(&history, &clip), excerpts });
    }
    let unread = app.unread.load(Ordering::Relaxed);
    Ok(axum::Json(Found { hits, more: found.more, unread, revision }))
}

fn has_words(query: &search::Query) -> bool {
    query
        .terms
        .iter()
        .any(|term| !term.not && matches!(term.test, search::Test::Words(_) | search::Test::Pattern(_)))
}

fn excerpt(of: &str, text: &str, query: &search::Query) -> Option<Excerpt> {
    let found = marks::excerpt(text, query, EXCERPT)?;
    Some(Excerpt { of: of.to_owned(), text: found.text, cut: found.cut, marks: found.marks })
}

/// Where a clip matches, as far as its facts tell.
fn excerpts(clip: &Clip, query: &search::Query) -> Vec<Excerpt> {
    let mut found = Vec::new();
    if let Some(title) = clip.state.title() {
        found.extend(excerpt("title", title, query));
    }
    found.extend(excerpt("text", &clip.facts.head, query));
    for uri in &clip.facts.files {
        let path = facts::path_of(uri).unwrap_or_else(|| uri.clone());
        if let Some(one) = excerpt("file", &path, query) {
            found.push(one);
            break;
        }
    }
    if let Some(offer) = clip.state.offer() {
        let source = &offer.source;
        for (of, text) in [("program", &source.program), ("window", &source.window), ("page", &source.page)] {
            found.extend(text.as_deref().and_then(|text| excerpt(of, text, query)));
        }
    }
    found
}

/// Everything that matches a query, in outline
#[utoipa::path(get, path = "/search/outline", params(Wanted),
    responses((status = 200, body = FoundOutline), (status = 422, body = Problem)))]
pub(super) async fn outline(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
) -> Result<axum::Json<FoundOutline>, Failure> {
    use std::fmt::Write;
    let query = Arc::new(parse(&context.app, &wanted.q, wanted.zone.as_deref())?);
    let names_pinned = query.names_pinned();
    let spares = wanted.spare_pinned && !names_pinned;
    let found = find(&context.app, query, usize::MAX - 1).await;
    let history = context.app.history();
    let limit = wanted.limit.unwrap_or(usize::MAX);
    let mut out = FoundOutline {
        ids: String::new(),
        kinds: String::new(),
        times: Vec::new(),
        count: 0,
        pinned: 0,
        spared: 0,
        names_pinned,
    };
    for clip in found.ids.iter().filter_map(|id| history.get(*id)) {
        if spares && clip.state.is_pinned() {
            out.spared += 1;
            continue;
        }
        out.count += 1;
        out.pinned += u64::from(clip.state.is_pinned());
        if out.times.len() < limit {
            let _ = write!(out.ids, "{}", clip.id);
            out.kinds.push(kind_letter(clip));
            out.times.push(clip.ordered_at() / 1_000_000);
        }
    }
    Ok(axum::Json(out))
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub(super) struct Unfinished {
    /// The query as far as it is written
    q: String,
    /// Where the cursor stands, in characters (Unicode scalar values); at the end if not given
    cursor: Option<usize>,
}

/// How a query can go on
#[utoipa::path(get, path = "/complete", params(Unfinished), responses((status = 200, body = Completions)))]
pub(super) async fn completions(
    State(context): State<Arc<Context>>,
    Query(unfinished): Query<Unfinished>,
) -> axum::Json<Completions> {
    let text = &unfinished.q;
    let byte = |chars: usize| text.char_indices().nth(chars).map_or(text.len(), |(at, _)| at);
    let chars = |byte: usize| u32::try_from(text[..byte].chars().count()).unwrap_or(u32::MAX);
    let history = context.app.history();
    let corpus = context.app.corpus();
    let shown = history.drawers().shown();
    let mut drawers: Vec<&str> =
        shown.iter().flat_map(|(_, state)| [state.name(), state.group()]).flatten().collect();
    drawers.sort_unstable();
    drawers.dedup();
    let words = Vocabulary { programs: corpus.programs(), drawers, devices: vec![&context.app.device_name] };
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

/// How the history is made up, in the viewer's zone
#[utoipa::path(get, path = "/insight", params(Wanted),
    responses((status = 200, body = Insight), (status = 422, body = Problem)))]
pub(super) async fn insight(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
) -> Result<axum::Json<Insight>, Failure> {
    let zone = zone(wanted.zone.as_deref())
        .ok_or_else(|| Failure::invalid("`zone` must be the name of a time zone"))?;
    let clips: Vec<Arc<Clip>> = context.app.history().from(1).cloned().collect();
    let days = wanted.limit.unwrap_or(30).clamp(1, 400);
    let work = move || yadori_core::history::insight::insight(clips.iter().map(|one| &**one), now(), &zone, days, 12);
    let found = tokio::task::spawn_blocking(work)
        .await
        .map_err(|_| Failure::unavailable("it could not be computed"))?;
    let share = |name: String, share: yadori_core::history::insight::Share, query: String| Share {
        name,
        clips: share.clips,
        bytes: share.bytes,
        query,
    };
    let plain = |clips: u64| yadori_core::history::insight::Share { clips, bytes: 0 };
    let days = found.days.iter().map(|(day, clips)| {
        let next = day.tomorrow().unwrap_or(*day);
        share(day.to_string(), plain(*clips), format!("since:{day} before:{next}"))
    });
    let hours = found
        .hours
        .iter()
        .enumerate()
        .map(|(hour, clips)| share(hour.to_string(), plain(*clips), format!("hour:{hour}")));
    let kinds = [Kind::Text, Kind::Link, Kind::Image, Kind::Files]
        .into_iter()
        .zip(found.kinds)
        .map(|(kind, one)| share(kind.word().into(), one, format!("kind:{}", kind.word())));
    let sources = found.sources.into_iter().map(|(name, one)| {
        let quoted = if name.contains(char::is_whitespace) { format!("\"{name}\"") } else { name.clone() };
        share(name, one, format!("from:{quoted}"))
    });
    let names = ["up to a day", "a week", "a month", "3 months", "a year", "older"];
    let mut since = None;
    let ages = names.into_iter().zip(found.ages).enumerate().map(|(n, (name, one))| {
        let days = yadori_core::history::insight::AGES.get(n).copied();
        let from = days.map(|days| format!("since:{}h", days * 24));
        let to = since.replace(days.unwrap_or(0)).map(|days| format!("before:{}h", days * 24));
        share(name.into(), one, [from, to].into_iter().flatten().collect::<Vec<_>>().join(" "))
    });
    Ok(axum::Json(Insight {
        days: days.collect(),
        hours: hours.collect(),
        kinds: kinds.collect(),
        sources: sources.collect(),
        ages: ages.collect(),
        all: share("all".into(), found.all, String::new()),
    }))
}
