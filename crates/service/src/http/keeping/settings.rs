//! Every setting: listed with where it comes from, and changed while the service runs.

use std::collections::BTreeMap;
use std::sync::Arc;

use axum::Extension;
use axum::extract::State;
use axum::http::StatusCode;
use serde_json::Value;
use yadori_api::{AllSettings, ChangeSettings, Problem, Setting};

use crate::home::settings::change::{ChangeError, KNOWN, Known, change as change_in, named, read, written};
use crate::home::settings::read_again;
use crate::http::context::Entrance;
use crate::http::extract::Json;
use crate::http::language::say;
use crate::http::{Context, Failure};

/// The settings by their names.
pub(super) fn known_changes(
    changes: &BTreeMap<String, Value>,
) -> Result<Vec<(&'static Known, Value)>, Failure> {
    changes
        .iter()
        .map(|(name, value)| Ok((named(name).map_err(|why| refused(&why))?, value.clone())))
        .collect()
}

/// Why settings are as they were.
pub(super) fn refused(why: &ChangeError) -> Failure {
    let status = match why {
        ChangeError::Unwritable(..) => StatusCode::INSUFFICIENT_STORAGE,
        _ => StatusCode::UNPROCESSABLE_ENTITY,
    };
    Failure::new(status, "settings", "The settings are as they were", why.to_string())
        .hint("`yadori settings` shows every setting with what it may be")
}

fn all(context: &Context) -> AllSettings {
    let text = read(&context.config.path).unwrap_or_default();
    let mistake = read_again(&context.config.path).err().map(|why| why.to_string());
    let set = written(&text).unwrap_or_default();
    let one = |known: &'static Known| {
        let usual: Value = serde_json::from_str(known.usual).unwrap_or_default();
        let value = set.iter().find(|(one, _)| one.name == known.name).map(|(_, value)| value.clone());
        Setting {
            name: known.name.to_owned(),
            about: say(known.about),
            expected: say(known.expected),
            from: if value.is_some() { "file" } else { "usual" }.to_owned(),
            value: value.unwrap_or_else(|| usual.clone()),
            usual,
            live: known.live,
            in_console: known.in_console(),
        }
    };
    AllSettings {
        file: context.config.path.display().to_string(),
        mistake,
        settings: KNOWN.iter().map(one).collect(),
    }
}

/// Every setting, with where its value comes from
#[utoipa::path(get, path = "/settings", responses((status = 200, body = AllSettings)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> axum::Json<AllSettings> {
    axum::Json(all(&context))
}

/// Change settings: all of them, or none
#[utoipa::path(patch, path = "/settings", request_body = ChangeSettings,
    responses((status = 200, body = AllSettings), (status = 403, body = Problem), (status = 422, body = Problem)))]
pub(crate) async fn change(
    State(context): State<Arc<Context>>,
    Extension(entrance): Extension<Entrance>,
    Json(wanted): Json<ChangeSettings>,
) -> Result<axum::Json<AllSettings>, Failure> {
    let changes = known_changes(&wanted.changes)?;
    // What starts programs or says where things are is no matter of a page in a browser.
    if let (Entrance::Tcp(_) | Entrance::Phone, Some((known, _))) =
        (entrance, changes.iter().find(|(known, _)| !known.in_console()))
    {
        let detail = format!("`{}` is set by the client alone", known.name);
        return Err(Failure::new(StatusCode::FORBIDDEN, "not-here", "Not by this way", detail)
            .hint(format!("yadori settings set {} VALUE", known.name)));
    }
    let _one_at_a_time = context.config.changing.lock().await;
    let path = context.config.path.clone();
    let changeable = tokio::task::spawn_blocking(move || change_in(&path, &changes)).await;
    let changeable = changeable
        .map_err(|_| Failure::unavailable("the service is stopping"))?
        .map_err(|why| refused(&why))?;
    // Changed limits are obeyed again, whatever was taken back before.
    if changeable.keeping.limits != context.app.settings().keeping.limits {
        context.app.holding.hold(false);
    }
    context.app.set(changeable);
    Ok(axum::Json(all(&context)))
}
