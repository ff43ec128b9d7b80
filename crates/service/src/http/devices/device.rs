//! The devices of the group, how the exchange stands, and leaving.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{AllDevices, Device, OnItsWay, PauseExchange, Problem, RefusedRecord, SendClip, StruckOff};
use yadori_core::ClipId;

use crate::exchange::Exchanger;
use crate::exchange::devices::StrikeError;
use crate::exchange::handing::SendError;
use crate::home::random::hex;
use crate::http::extract::{Json, Path};
use crate::http::language::{Retold as _, spoken};
use crate::http::{Context, Failure};
use crate::state::exchanging::Hosted;

/// How everything stands.
pub(super) async fn all(exchanger: &Exchanger) -> AllDevices {
    let state = exchanger.state().await;
    let devices = exchanger.devices().await.into_iter().map(|one| Device {
        id: hex(one.id.0),
        name: one.name,
        this: one.this,
        heard_at: one.heard_at,
        behind: one.behind,
        travels: one.travels,
    });
    let refused = state.refused.into_iter();
    let (serves, serves_problem) = match state.hosted {
        Some(Hosted::At(address)) => (Some(address), None),
        Some(Hosted::Not(why)) => (None, Some(why)),
        Some(Hosted::Starting) | None => (None, None),
    };
    let all = AllDevices {
        hub: state.hub,
        serves,
        serves_problem,
        devices: devices.collect(),
        paused: state.paused,
        trouble: state.trouble,
        reached_at: state.reached_at,
        received_at: state.received_at,
        waits: state.waits,
        behind: state.behind,
        sent: state.sent,
        received: state.received,
        refused: refused.map(|one| RefusedRecord { at: one.at, number: one.number, why: one.why }).collect(),
    };
    all.retold(spoken())
}

/// The devices of the group, and how the exchange with them stands
#[utoipa::path(get, path = "/devices", responses((status = 200, body = AllDevices)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> axum::Json<AllDevices> {
    axum::Json(all(&context.exchanger).await)
}

/// Strike a device off: by its name, or the beginning of its id
#[utoipa::path(delete, path = "/devices/{device}", params(("device" = String, Path)),
    responses((status = 200, body = StruckOff), (status = 404, body = Problem)))]
pub(crate) async fn strike_off(
    State(context): State<Arc<Context>>,
    Path(device): Path<String>,
) -> Result<axum::Json<StruckOff>, Failure> {
    let name = context.exchanger.strike_off(&device).await?;
    Ok(axum::Json(StruckOff { name }))
}

/// Leave the group: this device keeps what it has
#[utoipa::path(post, path = "/devices/leave", responses((status = 204)))]
pub(crate) async fn leave(State(context): State<Arc<Context>>) -> Result<StatusCode, Failure> {
    context.exchanger.leave().await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Send a clip to one device, whatever else travels: it goes to the live clipboard there
#[utoipa::path(post, path = "/devices/send", request_body = SendClip,
    responses((status = 200, body = OnItsWay), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub(crate) async fn send(
    State(context): State<Arc<Context>>,
    Json(SendClip { id, to }): Json<SendClip>,
) -> Result<axum::Json<OnItsWay>, Failure> {
    let id = ClipId::parse(&id).ok_or_else(|| Failure::invalid("give the whole id of a clip"))?;
    let to = context.exchanger.hand(id, &to).await?;
    Ok(axum::Json(OnItsWay { to }))
}

/// Exchange now, whatever pause was made after a failure
#[utoipa::path(post, path = "/exchange/now", responses((status = 200, body = AllDevices)))]
pub(crate) async fn now(State(context): State<Arc<Context>>) -> axum::Json<AllDevices> {
    context.exchanger.ask();
    axum::Json(all(&context.exchanger).await)
}

/// Pause the exchange with other devices, or go on with it, over restarts too
#[utoipa::path(post, path = "/exchange/pause", request_body = PauseExchange,
    responses((status = 200, body = AllDevices)))]
pub(crate) async fn pause(
    State(context): State<Arc<Context>>,
    Json(PauseExchange { paused }): Json<PauseExchange>,
) -> Result<axum::Json<AllDevices>, Failure> {
    context.exchanger.pause(paused).map_err(|why| {
        Failure::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "not-remembered",
            "It can't be remembered",
            format!("whether the exchange is paused can't be remembered: {why}"),
        )
    })?;
    Ok(axum::Json(all(&context.exchanger).await))
}

impl From<SendError> for Failure {
    fn from(why: SendError) -> Self {
        let detail = why.to_string();
        match why {
            SendError::Device(why) => why.into(),
            SendError::Gone => Self::new(StatusCode::NOT_FOUND, "no-clip", "No such clip", detail),
            SendError::Trouble(_) => {
                Self::new(StatusCode::SERVICE_UNAVAILABLE, "away", "It was not sent", detail)
            }
            _ => Self::new(StatusCode::CONFLICT, "send", "It was not sent", detail),
        }
    }
}

impl From<StrikeError> for Failure {
    fn from(why: StrikeError) -> Self {
        let detail = why.to_string();
        match why {
            StrikeError::None(_) => Self::new(StatusCode::NOT_FOUND, "no-device", "No such device", detail),
            StrikeError::Several(_) | StrikeError::This => {
                Self::new(StatusCode::CONFLICT, "device", "It was not struck off", detail)
            }
            StrikeError::Pair(why) => why.into(),
        }
    }
}
