//! Who asks: a device of a group, by its signature.

use axum::body::Bytes;
use axum::http::{HeaderMap, Method, Uri, header};
use yadori_core::DeviceId;
use yadori_sync::group::{Chain, RECOVERY};
use yadori_sync::wire::{Request, RequestError, Signature};

use super::hub::{Hub, seconds};
use super::problem::Failure;
use crate::records::Standing;

/// A request as it came, for its signature.
#[derive(Debug)]
pub(super) struct Asked<'a> {
    pub(super) method: &'a Method,
    pub(super) uri: &'a Uri,
    pub(super) headers: &'a HeaderMap,
    pub(super) body: &'a Bytes,
    pub(super) group: [u8; 16],
}

/// Who asks.
#[derive(Debug)]
pub(super) struct Asker {
    pub(super) device: DeviceId,
    pub(super) chain: std::sync::Arc<Chain>,
    pub(super) standing: Standing,
    /// It belongs to the group now.
    belongs: bool,
    /// It is the recovery phrase, which is no device.
    phrase: bool,
}

impl Asker {
    /// Goes on only if it belongs to the group now.
    pub(super) fn member(self) -> Result<Self, Failure> {
        if self.belongs { Ok(self) } else { Err(Failure::struck_off()) }
    }

    /// Goes on only if it may say who belongs: a member, or whoever has the recovery phrase.
    pub(super) fn author(self) -> Result<Self, Failure> {
        if self.phrase { Ok(self) } else { self.member() }
    }
}

impl Asked<'_> {
    /// Who asks: a device that belongs to the group, or did.
    pub(super) async fn by(&self, hub: &Hub) -> Result<Asker, Failure> {
        let header = self.headers.get(header::AUTHORIZATION).and_then(|header| header.to_str().ok());
        let refused = |why| match why {
            RequestError::Time => Failure::another_time(),
            RequestError::Malformed => Failure::unsigned("the request is not signed as a device signs"),
            RequestError::Signature => Failure::unsigned("the request was not signed by its device as it is"),
        };
        let by = Signature::from_header(header.unwrap_or_default()).map_err(refused)?;
        let (chain, standing) = hub.known.chain(&hub.records, self.group).await?;
        let now = chain.member(by.device, chain.epoch());
        let phrase = chain.recovery().filter(|_| by.device == RECOVERY);
        let once = || (1..chain.epoch()).rev().find_map(|epoch| chain.member(by.device, epoch));
        let key = phrase.or(now).or_else(once).ok_or_else(Failure::stranger)?;
        let path = self.uri.path_and_query().map_or("", |path| path.as_str());
        let request = Request { method: self.method.as_str(), path, group: self.group, body: self.body };
        request.verify(&by, &key, seconds()).map_err(refused)?;
        if !hub.answered.is_new(&by) {
            return Err(Failure::unsigned("the request was answered before"));
        }
        let (belongs, phrase) = (now.is_some(), phrase.is_some());
        Ok(Asker { device: by.device, chain, standing, belongs, phrase })
    }
}
