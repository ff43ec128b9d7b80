//! Sign-in: a link by the Unix socket, a key for its secret, and browsers that stay signed in.

use std::sync::Arc;

use axum::Extension;
use axum::extract::State;
use axum::http::{HeaderMap, StatusCode, header};
use base64::Engine;
use base64::engine::general_purpose::STANDARD as BASE64;
use yadori_api::{Problem, Proof, Renew, SignIn, SignInLink, SignedIn, SignedInBrowser, SignedInBrowsers};
use yadori_store::{SignInChange, SignInRow};

use super::status::only_unix;
use crate::home::random::hex;
use crate::http::context::Entrance;
use crate::http::extract::{Json, Path};
use crate::http::gate::bearer;
use crate::http::{Context, Failure};
use crate::state::clock::now;
use crate::state::proof::is_public;
use crate::state::sign_in::{Door, LINK_LIFE, MARK, NewBrowser};
use crate::writer::WriteError;

/// Make a sign-in link (over the Unix socket only)
#[utoipa::path(post, path = "/sign-in-links", responses((status = 200, body = SignInLink), (status = 503, body = Problem)))]
pub(crate) async fn new_link(
    State(context): State<Arc<Context>>,
    Extension(entrance): Extension<Entrance>,
) -> Result<axum::Json<SignInLink>, Failure> {
    only_unix(entrance)?;
    let console = context.app.health.now().console.map_err(|why| {
        Failure::new(StatusCode::SERVICE_UNAVAILABLE, "no-console", "The console is not served", why)
    })?;
    let secret = context.app.entries.new_link(Door::Here)?;
    let seconds = u32::try_from(LINK_LIFE.as_secs()).unwrap_or(60);
    Ok(axum::Json(SignInLink { url: format!("{console}/{MARK}{secret}"), seconds }))
}

/// Exchange a link's secret for a key
#[utoipa::path(post, path = "/sign-in", request_body = SignIn,
    responses((status = 200, body = SignedIn), (status = 403, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn sign_in(
    State(context): State<Arc<Context>>,
    Extension(entrance): Extension<Entrance>,
    headers: HeaderMap,
    Json(wanted): Json<SignIn>,
) -> Result<axum::Json<SignedIn>, Failure> {
    let entries = &context.app.entries;
    let public = wanted.public.as_deref().map(public_of).transpose()?;
    if entrance == Entrance::Phone && public.is_none() {
        let detail = "this browser can't keep a key of its own, without which a phone is not let in";
        return Err(Failure::invalid(detail));
    }
    if !entries.open(&wanted.entry, entrance.door()) {
        let detail = "this sign-in link was used already, or its time has passed";
        let next = match entrance {
            Entrance::Phone => {
                "run `yadori phone add` on the computer, or add a phone on its page of devices"
            }
            _ => "run `yadori console` for a new one",
        };
        return Err(Failure::new(StatusCode::FORBIDDEN, "spent-link", "The link is spent", detail).hint(next));
    }
    let id = match (public, origin_of(&headers)) {
        (Some(public), Some(origin)) => {
            let name = name_of(wanted.name.as_deref());
            let (id, changes) = entries.entering(NewBrowser { public, origin, name })?;
            // One that can't be recorded now is good for this run.
            record(&context, changes).await.ok().map(|()| id)
        }
        _ => None,
    };
    Ok(axum::Json(SignedIn { key: entries.new_key(id)?, id: id.map(hex) }))
}

/// What has become of sign-ins is recorded, and then holds.
async fn record(context: &Context, changes: Vec<SignInChange>) -> Result<(), WriteError> {
    context.queue.sign_ins(changes.clone()).await?;
    context.app.entries.apply(&changes);
    if changes.iter().any(|change| matches!(change, SignInChange::End(_))) {
        // Whoever listens with a key that has ended is let go of; the others connect anew.
        context.app.events.forget();
    }
    Ok(())
}

fn public_of(text: &str) -> Result<Vec<u8>, Failure> {
    let bytes = BASE64.decode(text).ok().filter(|bytes| is_public(bytes));
    bytes.ok_or_else(|| Failure::invalid("`public` must be a point of P-256, uncompressed, in base64"))
}

fn origin_of(headers: &HeaderMap) -> Option<String> {
    headers.get(header::ORIGIN)?.to_str().ok().map(str::to_owned)
}

/// At most 60 characters that can be shown.
fn name_of(name: Option<&str>) -> String {
    let name: String = name.unwrap_or_default().chars().filter(|one| !one.is_control()).take(60).collect();
    if name.trim().is_empty() { "A browser".into() } else { name }
}

/// Something to sign, for a browser that has signed in before
#[utoipa::path(post, path = "/sign-in/proof", responses((status = 200, body = Proof)))]
pub(crate) async fn proof(State(context): State<Arc<Context>>) -> Result<axum::Json<Proof>, Failure> {
    Ok(axum::Json(Proof { nonce: context.app.entries.proofs.nonce()? }))
}

/// A key for a browser that shows that it has signed in before
#[utoipa::path(post, path = "/sign-in/renew", request_body = Renew,
    responses((status = 200, body = SignedIn), (status = 403, body = Problem), (status = 503, body = Problem)))]
pub(crate) async fn renew(
    State(context): State<Arc<Context>>,
    headers: HeaderMap,
    Json(wanted): Json<Renew>,
) -> Result<axum::Json<SignedIn>, Failure> {
    let entries = &context.app.entries;
    let known = entries.browsers().ok_or_else(Failure::not_open)?;
    let refused = || {
        let detail = "this browser is not signed in here, or was signed out";
        Failure::new(StatusCode::FORBIDDEN, "signed-out", "Not signed in", detail)
            .hint("run `yadori console` for a sign-in link")
    };
    let row = known.into_iter().find(|row| hex(row.id) == wanted.id).ok_or_else(refused)?;
    let signature = BASE64.decode(&wanted.signature).unwrap_or_default();
    let own = origin_of(&headers).is_some_and(|origin| origin == row.origin);
    if !own || !entries.proofs.holds(&row.public, &row.origin, &wanted.id, &wanted.nonce, &signature) {
        return Err(refused());
    }
    let id = row.id;
    let seen = SignInChange::Keep(SignInRow { seen_at: now(), ..row });
    // When it came is worth less than that it comes in.
    if let Err(why) = record(&context, vec![seen]).await {
        tracing::debug!("when a browser came back could not be recorded: {why}");
    }
    Ok(axum::Json(SignedIn { key: entries.new_key(Some(id))?, id: Some(wanted.id) }))
}

/// Browsers that are signed in
#[utoipa::path(get, path = "/sign-ins", responses((status = 200, body = SignedInBrowsers)))]
pub(crate) async fn browsers(
    State(context): State<Arc<Context>>,
    headers: HeaderMap,
) -> Result<axum::Json<SignedInBrowsers>, Failure> {
    let entries = &context.app.entries;
    let own = bearer(&headers).and_then(|key| entries.browser_of(key)).flatten();
    let known = entries.browsers().ok_or_else(Failure::not_open)?;
    let shown = known.into_iter().rev().map(|row| SignedInBrowser {
        id: hex(row.id),
        here: own == Some(row.id),
        name: row.name,
        origin: row.origin,
        made_at: row.made_at,
        seen_at: row.seen_at,
    });
    Ok(axum::Json(SignedInBrowsers { browsers: shown.collect() }))
}

/// Sign a browser out
#[utoipa::path(post, path = "/sign-ins/{id}/end", params(("id" = String, Path)),
    responses((status = 204), (status = 404, body = Problem), (status = 503, body = Problem)))]
pub(crate) async fn end(
    State(context): State<Arc<Context>>,
    Path(id): Path<String>,
) -> Result<StatusCode, Failure> {
    let known = context.app.entries.browsers().ok_or_else(Failure::not_open)?;
    let row = known.iter().find(|row| hex(row.id) == id).ok_or_else(|| {
        let detail = "no browser is signed in under this id";
        Failure::new(StatusCode::NOT_FOUND, "no-such-sign-in", "There is no such sign-in", detail)
            .hint("`yadori console --list` shows those that are signed in")
    })?;
    record(&context, vec![SignInChange::End(row.id)]).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Sign out: the key of this call, and the browser it belongs to
#[utoipa::path(post, path = "/sign-out", responses((status = 204), (status = 503, body = Problem)))]
pub(crate) async fn sign_out(
    State(context): State<Arc<Context>>,
    headers: HeaderMap,
) -> Result<StatusCode, Failure> {
    let Some(key) = bearer(&headers) else { return Ok(StatusCode::NO_CONTENT) };
    let browser = context.app.entries.browser_of(key).flatten();
    if let Some(id) = browser {
        record(&context, vec![SignInChange::End(id)]).await?;
    }
    context.app.entries.forget_key(key);
    context.app.events.forget();
    Ok(StatusCode::NO_CONTENT)
}
