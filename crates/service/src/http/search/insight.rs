//! How the history is made up.

use std::sync::Arc;

use axum::extract::State;
use yadori_api::{Insight, Problem, Share};
use yadori_core::Kind;

use super::query::Wanted;
use crate::http::extract::Query;
use crate::http::language::say;
use crate::http::{Context, Failure};
use crate::search::find::zone;
use crate::state::clock::now;

/// How the history is made up, in the viewer's zone
#[utoipa::path(get, path = "/insight", params(Wanted),
    responses((status = 200, body = Insight), (status = 422, body = Problem)))]
pub(crate) async fn insight(
    State(context): State<Arc<Context>>,
    Query(wanted): Query<Wanted>,
) -> Result<axum::Json<Insight>, Failure> {
    let zone = zone(wanted.zone.as_deref()).ok_or_else(Failure::no_zone)?;
    let texts = context.app.clips.texts();
    let days = wanted.limit.unwrap_or(30).clamp(1, 400);
    let work = move || {
        let called = |program| texts.program(program);
        yadori_core::history::insight::insight(texts.glances(), called, now(), &zone, days, 12)
    };
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
        .map(|(kind, one)| share(say(kind.word()), one, format!("kind:{}", kind.word())));
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
        share(say(name), one, [from, to].into_iter().flatten().collect::<Vec<_>>().join(" "))
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
