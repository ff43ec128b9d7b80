//! Pairing.

use std::sync::Arc;

use axum::extract::State;
use axum::http::StatusCode;
use yadori_api::{LetIn, Pairing, PairingState, Problem, ShowCode, TypeCode, TypePhrase};

use crate::exchange::pairings::{PairError, Step};
use crate::http::code::drawn;
use crate::http::extract::Json;
use crate::http::{Context, Failure};

fn stands(context: &Context) -> axum::Json<Pairing> {
    let blank = |state| Pairing { state, code: None, picture: None, phrase: None, device: None, why: None };
    axum::Json(match context.exchanger.pairings.step() {
        None => blank(PairingState::None),
        Some(Step::Shown(code, phrase)) => {
            let hub = context.app.exchange.now().hub;
            let picture = hub.and_then(|hub| drawn(&format!("yadori pair {code} --hub {hub}")));
            Pairing { code: Some(code), picture, phrase, ..blank(PairingState::Shown) }
        }
        Some(Step::Typed) => blank(PairingState::Typed),
        Some(Step::Asks(name)) => Pairing { device: Some(name), ..blank(PairingState::Asks) },
        Some(Step::Joining(name)) => {
            let device = Some(name).filter(|name| !name.is_empty());
            Pairing { device, ..blank(PairingState::Joining) }
        }
        Some(Step::Done(name)) => Pairing { device: Some(name), ..blank(PairingState::Done) },
        Some(Step::Failed(why)) => Pairing { why: Some(why), ..blank(PairingState::Failed) },
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

/// Type the recovery phrase, to be let into its group without another device
#[utoipa::path(post, path = "/devices/pairing/phrase", request_body = TypePhrase,
    responses((status = 200, body = Pairing), (status = 422, body = Problem)))]
pub(crate) async fn type_phrase(
    State(context): State<Arc<Context>>,
    Json(TypePhrase { hub, phrase, name }): Json<TypePhrase>,
) -> Result<axum::Json<Pairing>, Failure> {
    context.exchanger.type_phrase(&hub, &phrase, name.as_deref())?;
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
            PairError::Code(_) | PairError::Phrase(_) | PairError::Name | PairError::NoHub => {
                StatusCode::UNPROCESSABLE_ENTITY
            }
            PairError::Link(_) => StatusCode::BAD_GATEWAY,
            PairError::Trouble(_) | PairError::NotUnderWay => StatusCode::SERVICE_UNAVAILABLE,
            PairError::Keys(_) | PairError::NoRandomness => StatusCode::INTERNAL_SERVER_ERROR,
            _ => StatusCode::CONFLICT,
        };
        Self::new(status, "pairing", "Pairing did not come about", why.to_string())
    }
}
