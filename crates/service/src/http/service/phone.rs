//! Phones: the door by which they come in, those that are signed in, and the code that lets one in.

use std::sync::Arc;

use axum::Extension;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use yadori_api::{AllPhones, PhoneLink, Problem, SignedInBrowser};

use crate::home::random::hex;
use crate::http::code::drawn;
use crate::http::context::Entrance;
use crate::http::{Context, Failure};
use crate::state::phones::PhonesNow;
use crate::state::sign_in::{Door, MARK, PHONE_LINK_LIFE};

/// How phones come in, and those that are signed in
#[utoipa::path(get, path = "/phones", responses((status = 200, body = AllPhones), (status = 503, body = Problem)))]
pub(crate) async fn list(State(context): State<Arc<Context>>) -> Result<axum::Json<AllPhones>, Failure> {
    let known = context.app.entries.browsers().ok_or_else(Failure::not_open)?;
    let phones = known.into_iter().rev().filter(|row| Door::of(&row.origin) == Door::Phone);
    let phones = phones.map(|row| SignedInBrowser {
        id: hex(row.id),
        here: false,
        name: row.name,
        origin: row.origin,
        made_at: row.made_at,
        seen_at: row.seen_at,
    });
    let phones = phones.collect();
    Ok(axum::Json(match context.app.phones.now() {
        PhonesNow::Off => AllPhones { phones, ..AllPhones::default() },
        PhonesNow::Not(why) => AllPhones { phones, problem: Some(why), ..AllPhones::default() },
        PhonesNow::At(door) => AllPhones {
            phones,
            address: Some(door.address),
            fingerprint: Some(door.fingerprint),
            own_authority: door.authority.is_some(),
            problem: None,
        },
    }))
}

/// Make a code that lets a phone in, once
#[utoipa::path(post, path = "/phones", responses((status = 200, body = PhoneLink), (status = 409, body = Problem),
    (status = 403, body = Problem)))]
pub(crate) async fn new_link(
    State(context): State<Arc<Context>>,
    Extension(entrance): Extension<Entrance>,
) -> Result<axum::Json<PhoneLink>, Failure> {
    if entrance == Entrance::Phone {
        let detail = "another phone is let in at the computer";
        return Err(Failure::new(StatusCode::FORBIDDEN, "not-from-a-phone", "Not from a phone", detail));
    }
    let door = match context.app.phones.now() {
        PhonesNow::At(door) => door,
        PhonesNow::Off => {
            let detail = "phones are not let in: the service answers on this computer alone";
            return Err(Failure::new(StatusCode::CONFLICT, "no-phones", "Phones are not let in", detail).hint(
                "put listen = \"0.0.0.0:8940\" under [phone] in the configuration, and start the service again",
            ));
        }
        PhonesNow::Not(why) => {
            return Err(Failure::new(StatusCode::CONFLICT, "no-phones", "Phones are not let in", why));
        }
    };
    let secret = context.app.entries.new_link(Door::Phone)?;
    let url = format!("{}/{MARK}{secret}", door.address);
    let picture = drawn(&url).ok_or_else(|| Failure::invalid("the address is too long for a code"))?;
    let seconds = u32::try_from(PHONE_LINK_LIFE.as_secs()).unwrap_or(300);
    Ok(axum::Json(PhoneLink { url, seconds, picture, fingerprint: door.fingerprint }))
}

/// The certificate of this device's own authority, for a phone that is to trust it.
pub(crate) async fn authority(State(context): State<Arc<Context>>) -> Response {
    match context.app.phones.now() {
        PhonesNow::At(door) if door.authority.is_some() => {
            let headers = [
                (header::CONTENT_TYPE, "application/x-x509-ca-cert"),
                (header::CONTENT_DISPOSITION, "attachment; filename=\"yadori.crt\""),
            ];
            (headers, door.authority.unwrap_or_default()).into_response()
        }
        _ => (StatusCode::NOT_FOUND, "There is no authority of this device's own.\n").into_response(),
    }
}
