//! Pairing.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{LetIn, Pairing, PairingState, Problem, ShowCode, TypeCode};

use crate::exchange::pairings::{PairError, Step};
use crate::http::extract::Json;
use crate::http::{Context, Failure};

fn stands(context: &Context) -> axum::Json<Pairing> {
    let pairing = |state, code, device, why| Pairing { state, code, device, why };
    axum::Json(match context.exchanger.pairings.step() {
        None => pairing(PairingState::None, None, None, None),
        Some(Step::Shown(code)) => pairing(PairingState::Shown, Some(code), None, None),
        Some(Step::Typed) => pairing(PairingState::Typed, None, None, None),
        Some(Step::Asks(name)) => pairing(PairingState::Asks, None, Some(name), None),
        Some(Step::Joining(name)) => pairing(PairingState::Joining, None, Some(name), None),
        Some(Step::Done(name)) => pairing(PairingState::Done, None, Some(name), None),
        Some(Step::Failed(why)) => pairing(PairingState::Failed, None, None, Some(why)),
    })
}

/// How pairing stands
#[utoipa::path(get, path = "/devices/pairing", responses((status = 200, body = Pairing)))]
pub(crate) async fn pairing(State(context): State<Arc<Context>>) -> axum::Json<Pairing> {
    stands(&context)
}

/// Show a code with which another device may be let in
#[utoipa::path(post, path = "/devices/pairing", request_body = ShowCode,
    responses((status = 200, body = Pairing), (status = 409, body = Problem)))]
pub(crate) async fn show_code(
    State(context): State<Arc<Context>>,
    Json(ShowCode { hub, invitation, name }): Json<ShowCode>,
) -> Result<axum::Json<Pairing>, Failure> {
    context.exchanger.show_code(hub.as_deref(), invitation.as_deref(), name.as_deref()).await?;
    Ok(stands(&context))
}

/// Type the code of another device, to be let in
#[utoipa::path(post, path = "/devices/pairing/code", request_body = TypeCode,
    responses((status = 200, body = Pairing), (status = 422, body = Problem)))]
pub(crate) async fn type_code(
    State(context): State<Arc<Context>>,
    Json(TypeCode { hub, code, name }): Json<TypeCode>,
) -> Result<axum::Json<Pairing>, Failure> {
    context.exchanger.type_code(&hub, &code, name.as_deref())?;
    Ok(stands(&context))
}

/// Say whether the device that asks is let in
#[utoipa::path(post, path = "/devices/pairing/answer", request_body = LetIn,
    responses((status = 200, body = Pairing), (status = 409, body = Problem)))]
pub(crate) async fn answer(
    State(context): State<Arc<Context>>,
    Json(LetIn { yes }): Json<LetIn>,
) -> Result<axum::Json<Pairing>, Failure> {
    context.exchanger.pairings.answer(yes)?;
    Ok(stands(&context))
}

/// Call pairing off
#[utoipa::path(delete, path = "/devices/pairing", responses((status = 204)))]
pub(crate) async fn call_off(State(context): State<Arc<Context>>) -> StatusCode {
    context.exchanger.pairings.call_off();
    StatusCode::NO_CONTENT
}

impl From<PairError> for Failure {
    fn from(why: PairError) -> Self {
        let status = match &why {
            PairError::Code(_) | PairError::Name | PairError::NoHub => StatusCode::UNPROCESSABLE_ENTITY,
            PairError::Link(_) => StatusCode::BAD_GATEWAY,
            PairError::Trouble(_) | PairError::NotUnderWay => StatusCode::SERVICE_UNAVAILABLE,
            PairError::Keys(_) | PairError::NoRandomness => StatusCode::INTERNAL_SERVER_ERROR,
            _ => StatusCode::CONFLICT,
        };
        Self::new(status, "pairing", "Pairing did not come about", why.to_string())
    }
}
