//! The devices of the group, for whoever shows them; striking one off, and leaving.

use yadori_core::DeviceId;
use yadori_store::DeviceRow;
use yadori_sync::body::DeviceBody;

use super::exchanger::Exchanger;
use super::keys::Keys;
use super::pairings::PairError;
use super::trouble::Trouble;
use crate::home::random::hex;
use crate::state::exchanging::ExchangeNow;

/// A device of the group.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct DeviceShown {
    /// Which.
    pub id: DeviceId,
    /// What its owner calls it.
    pub name: String,
    /// It is this one.
    pub this: bool,
    /// When it was last heard of.
    pub heard_at: Option<i64>,
    /// How many of the group's records it has not asked for yet, as the hub says; where that is known.
    pub behind: Option<u64>,
    /// What it sends, in words.
    pub travels: String,
}

/// Why a device is not struck off.
#[derive(Debug, thiserror::Error)]
pub enum StrikeError {
    /// None is called so.
    #[error("no device of the group is called `{0}`; `yadori devices` lists them")]
    None(String),
    /// Several are.
    #[error(
        "several devices of the group are called `{0}`; name it by the beginning of its id, as `yadori devices` shows it"
    )]
    Several(String),
    /// It is this one.
    #[error("that is this device; leave the group with `yadori unpair --this`")]
    This,
    /// The exchange.
    #[error(transparent)]
    Pair(#[from] PairError),
}

fn said(row: Option<&DeviceRow>) -> DeviceBody {
    row.and_then(|row| DeviceBody::from_bytes(&row.body)).unwrap_or_default()
}

impl Exchanger {
    /// The devices of the group, this one first, then by their names.
    pub async fn devices(&self) -> Vec<DeviceShown> {
        let come = self.come().await;
        let mut all = self.members();
        for one in all.iter_mut().filter(|one| !one.this) {
            let Some(come) = &come else { continue };
            let said = come.devices.iter().find(|(device, ..)| *device == one.id);
            // Whoever never asked has everything before it.
            one.behind = Some(come.last.saturating_sub(said.map_or(0, |(_, number, _)| *number)));
            let asked_at = said.and_then(|(_, _, at)| i64::try_from(*at).ok()?.checked_mul(1_000_000));
            one.heard_at = one.heard_at.max(asked_at);
        }
        all
    }

    /// The same, without what the hub says of them.
    pub(super) fn members(&self) -> Vec<DeviceShown> {
        let state = self.app.exchange.now();
        let own = self.app.clips.device();
        let mut shown: Vec<DeviceShown> = state
            .members
            .iter()
            .map(|id| {
                let row = state.devices.iter().find(|row| row.device == *id);
                let DeviceBody { name, travels } = said(row);
                let this = *id == own;
                let name = if this { state.name.clone() } else { name };
                let travels = if this { self.app.settings().exchange.travels.to_string() } else { travels };
                let name = if name.is_empty() { hex(id.0)[..8].to_owned() } else { name };
                let heard_at = row.map(|row| row.heard_at).filter(|_| !this);
                DeviceShown { id: *id, name, this, heard_at, behind: None, travels }
            })
            .collect();
        shown.sort_by(|a, b| b.this.cmp(&a.this).then_with(|| a.name.cmp(&b.name)).then(a.id.cmp(&b.id)));
        shown
    }

    /// The device that a person means: by its name, or the beginning of its id.
    pub(super) fn meant(&self, words: &str) -> Result<DeviceShown, StrikeError> {
        let all = self.members();
        let called: Vec<&DeviceShown> = all.iter().filter(|one| one.name == words).collect();
        let begins = |one: &&DeviceShown| words.len() >= 4 && hex(one.id.0).starts_with(words);
        let called = if called.is_empty() { all.iter().filter(begins).collect() } else { called };
        match called.as_slice() {
            [] => Err(StrikeError::None(words.to_owned())),
            [one] => Ok((*one).clone()),
            _ => Err(StrikeError::Several(words.to_owned())),
        }
    }

    /// Strikes a device off: those who stay have a new key, which it never gets. Gives its name.
    ///
    /// # Errors
    /// It still belongs to the group then.
    pub async fn strike_off(&self, words: &str) -> Result<String, StrikeError> {
        let device = self.meant(words)?;
        if device.this {
            return Err(StrikeError::This);
        }
        let current = self.under_way().await?;
        self.with_members(&current, |members| members.retain(|one| one.device != device.id)).await?;
        Ok(device.name)
    }

    /// This device leaves its group. Others learn of it if the hub can be reached; it keeps what it has.
    ///
    /// # Errors
    /// It still belongs to the group then.
    pub async fn leave(&self) -> Result<(), PairError> {
        let _turning = self.turning.lock().await;
        if let Some(current) = self.current() {
            let own = self.app.clips.device();
            let alone = current.member.now().chain.members().len() < 2;
            if !alone {
                // Whether it is told or not, this device is not bound to belong.
                let told =
                    self.with_members(&current, |members| members.retain(|one| one.device != own)).await;
                if let Err(why) = told {
                    tracing::info!("the group was not told that this device leaves: {why}");
                }
            }
        }
        Keys::forget(&self.home.data).map_err(PairError::Keys)?;
        if let Some(store) = self.app.at_hand.store() {
            store.leave().await.map_err(Trouble::from)?;
        }
        // A hub that this device serves goes on.
        self.app.exchange.change(|state| {
            *state = ExchangeNow { hosted: state.hosted.take(), ..ExchangeNow::default() };
        });
        self.app.exchange.turn();
        self.app.health.touch();
        Ok(())
    }
}
