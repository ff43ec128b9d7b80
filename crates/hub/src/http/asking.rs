//! Who asks: a device of a group, by its signature.

use axum::body::Bytes;
use axum::http::{HeaderMap, Method, Uri, header};
use yadori_core::DeviceId;
use yadori_sync::group::{Chain, RECOVERY};
use yadori_sync::wire::{Request, RequestError, Signature};

use super::hub::{Hub, micros, seconds};
use super::problem::Failure;
use crate::records::Standing;

/// That a group was asked for is noted once in so long, in microseconds: a day.
const NOTED: i64 = 86_400_000_000;

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

fn refused(why: RequestError) -> Failure {
    match why {
        RequestError::Time => Failure::another_time(),
        RequestError::Malformed => Failure::unsigned("the request is not signed as a device signs"),
        RequestError::Signature => Failure::unsigned("the request was not signed by its device as it is"),
    }
}

impl Asked<'_> {
    /// Who asks: a device that belongs to the group, or did.
    pub(super) async fn by(&self, hub: &Hub) -> Result<Asker, Failure> {
        let by = self.signature()?;
        let (chain, standing) = hub.known.chain(&hub.records, self.group).await?;
        self.named(hub, &by, (chain, standing)).await
    }

    /// Who asks, by the chain as it was read last where it belonged to the group then: whatever is done must look at the
    /// epoch of the group once more.
    pub(super) async fn by_known(&self, hub: &Hub) -> Result<Asker, Failure> {
        let by = self.signature()?;
        match hub.known.last_read(self.group) {
            Some(known) if known.0.member(by.device, known.1.epoch).is_some() => {
                self.named(hub, &by, known).await
            }
            _ => self.by(hub).await,
        }
    }

    fn signature(&self) -> Result<Signature, Failure> {
        let header = self.headers.get(header::AUTHORIZATION).and_then(|header| header.to_str().ok());
        Signature::from_header(header.unwrap_or_default()).map_err(refused)
    }

    async fn named(
        &self,
        hub: &Hub,
        by: &Signature,
        (chain, standing): (std::sync::Arc<Chain>, Standing),
    ) -> Result<Asker, Failure> {
        let now = chain.member(by.device, chain.epoch());
        let phrase = chain.recovery().filter(|_| by.device == RECOVERY);
        let once = || (1..chain.epoch()).rev().find_map(|epoch| chain.member(by.device, epoch));
        let key = phrase.or(now).or_else(once).ok_or_else(Failure::stranger)?;
        let path = self.uri.path_and_query().map_or("", |path| path.as_str());
        let request = Request { method: self.method.as_str(), path, group: self.group, body: self.body };
        let claim = request.claim(by, &key, seconds()).map_err(refused)?;
        if !hub.believing.holds(claim).await.ok_or_else(Failure::away)? {
            return Err(refused(RequestError::Signature));
        }
        if !hub.answered.is_new(by) {
            return Err(Failure::unsigned("the request was answered before"));
        }
        hub.pace.take(self.group)?;
        let today = micros();
        if today.saturating_sub(standing.seen_at) > NOTED {
            hub.records.seen(self.group, today).await?;
        }
        let (belongs, phrase) = (now.is_some(), phrase.is_some());
        Ok(Asker { device: by.device, chain, standing, belongs, phrase })
    }
}
