//! Pairing: this device shows a code and lets another one in, or types the code of another one. It goes on in the background;
//! whoever shows it asks how it stands.

use std::sync::Arc;
use std::time::Duration;

use tokio::sync::oneshot;
use yadori_store::ExchangeRow;
use yadori_sync::group::{Chain, ChainError, Keyring, Member as Named, Next, Phrase, RECOVERY};
use yadori_sync::keys::{EpochKey, NamingKey};
use yadori_sync::pairing::{Channel, Code, Guest, Hello, Host, PairingError, Welcome, name_of};
use yadori_sync::wire::Found;

use super::exchanger::{Current, Exchanger};
use super::keys::Keys;
use super::link::{Asker, Link};
use super::member::{Member, MemberError};
use super::pairings::{PairError, Step};
use super::trouble::Trouble;
use crate::home::random::random;
use crate::hosting;
use crate::state::clock::now;
use crate::state::exchanging::Hosted;

/// How long a code can be used.
const OPEN: Duration = Duration::from_secs(600);
/// For how long the hub is asked to hold a request.
const WAIT: Duration = Duration::from_secs(20);
/// How often an entry is made anew when another one was faster.
const ENTRIES: usize = 5;
/// Entries of a chain at most.
const MOST_ENTRIES: usize = 20_000;

fn random_of<const N: usize>() -> Result<[u8; N], PairError> {
    random().map_err(|_| PairError::NoRandomness)
}

fn checked(name: &str) -> Result<String, PairError> {
    name_of(name).ok_or(PairError::Name)
}

/// The whole chain of a group.
async fn every_entry(link: &Link, asker: &Asker) -> Result<Vec<Vec<u8>>, PairError> {
    let mut entries: Vec<Vec<u8>> = Vec::new();
    loop {
        let some = link.entries(asker, entries.len() as u64).await?;
        if some.is_empty() {
            return Ok(entries);
        }
        entries.extend(some);
        // Devices come and go a few times a year; a hub that goes on for ever is not believed.
        if entries.len() > MOST_ENTRIES {
            return Err(PairError::Chain(ChainError::Malformed));
        }
    }
}

/// Waits for what is said at a place.
async fn heard(link: &Link, place: u32, n: u32, end: tokio::time::Instant) -> Result<Vec<u8>, PairError> {
    while tokio::time::Instant::now() < end {
        if let Some(said) = link.hear(place, n, WAIT).await? {
            return Ok(said.to_vec());
        }
    }
    Err(PairError::Over)
}

impl Exchanger {
    fn own_name(&self, name: Option<&str>) -> Result<String, PairError> {
        match name {
            Some(name) => checked(name),
            None => checked(self.app.clips.device_name()).or_else(|_| Ok("this device".into())),
        }
    }

    /// Shows a code with which another device may be let in. Without a group, one comes to be at this hub first.
    ///
    /// # Errors
    /// No code is shown then.
    pub async fn show_code(
        &self,
        hub: Option<&str>,
        invitation: Option<&str>,
        name: Option<&str>,
    ) -> Result<(), PairError> {
        let ended = self.pairings.begin(Step::Joining(String::new()))?;
        let shown = async {
            let mut phrase = None;
            if Keys::load(&self.home.data).map_err(PairError::Keys)?.is_none() {
                let (own, invited) = match hub {
                    Some(_) => (None, None),
                    None => self.own_hub().await?.unzip(),
                };
                let hub = hub.or(own.as_deref()).ok_or(PairError::NoHub)?;
                let invitation = invitation.or(invited.as_deref());
                phrase = Some(self.begin_group(hub, invitation.unwrap_or_default(), name).await?);
            }
            let current = self.under_way().await?;
            let place = current.link.open_place(&current.member.asker()).await?;
            Ok::<_, PairError>((current, Code::new(place, random_of()?), phrase))
        };
        let (current, code, phrase) = match shown.await {
            Ok(shown) => shown,
            Err(why) => {
                self.pairings.stand(Step::Failed(why.to_string()), None);
                return Err(why);
            }
        };
        let phrase = phrase.map(|phrase| phrase.to_string());
        self.pairings.stand(Step::Shown(code.to_string(), phrase), None);
        let (this, place) = (self.clone(), code.place);
        self.app.parts.start("letting a device in", async move {
            let outcome = tokio::select! {
                outcome = this.let_in(&current, code) => outcome,
                () = ended.cancelled() => Err(PairError::CalledOff),
                () = this.app.shutdown.cancelled() => return,
            };
            // What was said last may still be on its way to the other; the place closes by itself then.
            if !matches!(outcome, Ok(_) | Err(PairError::Declined)) {
                let _ = current.link.close_place(&current.member.asker(), place).await;
            }
            this.ended(outcome);
        });
        Ok(())
    }

    /// The hub that this device serves, with an invitation to it.
    async fn own_hub(&self) -> Result<Option<(String, String)>, PairError> {
        let Some(Hosted::At(address)) = self.app.exchange.now().hosted else { return Ok(None) };
        let invited = hosting::invited(&self.home.data).await;
        Ok(Some((address, invited.map_err(|why| PairError::OwnHub(why.to_string()))?)))
    }

    /// A code was typed here: this device asks the one that shows it to be let in.
    ///
    /// # Errors
    /// Nothing has begun then.
    pub fn type_code(&self, hub: &str, code: &str, name: Option<&str>) -> Result<(), PairError> {
        let code: Code = code.parse()?;
        let link = Link::to(hub)?;
        let name = self.own_name(name)?;
        if Keys::load(&self.home.data).map_err(PairError::Keys)?.is_some() {
            return Err(PairError::Belongs);
        }
        let ended = self.pairings.begin(Step::Typed)?;
        let this = self.clone();
        self.app.parts.start("joining a group", async move {
            let outcome = tokio::select! {
                outcome = this.ask_in(&link, &code, name) => outcome,
                () = ended.cancelled() => Err(PairError::CalledOff),
                () = this.app.shutdown.cancelled() => return,
            };
            this.ended(outcome);
        });
        Ok(())
    }

    fn ended(&self, outcome: Result<String, PairError>) {
        let step = match outcome {
            Ok(name) => Step::Done(name),
            Err(why) => Step::Failed(why.to_string()),
        };
        self.pairings.stand(step, None);
        self.app.health.touch();
    }

    /// The exchange of this device, which may just begin.
    pub(super) async fn under_way(&self) -> Result<Arc<Current>, PairError> {
        for _ in 0..100 {
            if let Some(current) = self.current() {
                return Ok(current);
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Err(PairError::NotUnderWay)
    }

    /// A group of this one device comes to be.
    async fn begin_group(
        &self,
        hub: &str,
        invitation: &str,
        name: Option<&str>,
    ) -> Result<Phrase, PairError> {
        let _turning = self.turning.lock().await;
        let link = Link::to(hub)?;
        link.meet(false).await?;
        let mut keys = Keys::new(link.address(), self.own_name(name)?)?;
        let phrase = Phrase::new(random_of()?);
        let (group, recovery) = (phrase.group(), phrase.member());
        let device = self.app.clips.device();
        let secrets = (EpochKey(random_of()?), NamingKey(random_of()?));
        let entry = Chain::of(group).begin(
            keys.member(device),
            &keys.signing(),
            recovery,
            secrets,
            &mut system_random(),
        )?;
        let found = Found { invitation: invitation.trim().to_owned(), entry: entry.clone() };
        link.found(group, &found).await?;
        keys.group = hex::encode(group);
        keys.first = blake3::hash(&entry).to_hex().to_string();
        self.joined(&keys, &[entry]).await?;
        Ok(phrase)
    }

    /// The recovery phrase was typed here: this device is let into its group, whether any other is left or not.
    ///
    /// # Errors
    /// Nothing has begun then.
    pub fn type_phrase(&self, hub: &str, phrase: &str, name: Option<&str>) -> Result<(), PairError> {
        let phrase: Phrase = phrase.parse()?;
        let (link, name) = (Link::to(hub)?, self.own_name(name)?);
        if Keys::load(&self.home.data).map_err(PairError::Keys)?.is_some() {
            return Err(PairError::Belongs);
        }
        let ended = self.pairings.begin(Step::Joining(String::new()))?;
        let this = self.clone();
        self.app.parts.start("joining a group", async move {
            let outcome = tokio::select! {
                outcome = this.let_in_by_phrase(&link, &phrase, name) => outcome,
                () = ended.cancelled() => Err(PairError::CalledOff),
                () = this.app.shutdown.cancelled() => return,
            };
            this.ended(outcome);
        });
        Ok(())
    }

    async fn let_in_by_phrase(
        &self,
        link: &Link,
        phrase: &Phrase,
        name: String,
    ) -> Result<String, PairError> {
        let _turning = self.turning.lock().await;
        link.meet(false).await?;
        let mut keys = Keys::new(link.address(), name)?;
        let (device, group) = (self.app.clips.device(), phrase.group());
        let (signing, asker) =
            (phrase.signing(), Asker { device: RECOVERY, signing: phrase.signing(), group });
        for _ in 0..ENTRIES {
            let mut entries = every_entry(link, &asker).await?;
            let mut chain = Chain::of(group);
            for entry in &entries {
                chain.accept(entry)?;
            }
            let keyring = &chain.unlock(None, &phrase.secret()).map_err(MemberError::from)?;
            let mut members = chain.members().to_vec();
            members.retain(|one| one.device != device);
            members.push(keys.member(device));
            members.sort_unstable_by_key(|one| one.device);
            let key = EpochKey(random_of()?);
            let next = Next { author: RECOVERY, signing: &signing, members, key, keyring };
            let entry = chain.next(next, &mut system_random())?;
            match link.append(&asker, entry.clone()).await {
                Ok(()) => {
                    entries.push(entry);
                    keys.group = hex::encode(group);
                    keys.first = entries
                        .first()
                        .map_or_else(String::new, |first| blake3::hash(first).to_hex().to_string());
                    self.joined(&keys, &entries).await?;
                    return Ok("the group of your phrase".to_owned());
                }
                Err(why) if why.is("not-next") => {}
                Err(why) => return Err(why.into()),
            }
        }
        Err(PairError::Chain(ChainError::NotNext(0)))
    }

    /// This device belongs to a group from now on.
    async fn joined(&self, keys: &Keys, entries: &[Vec<u8>]) -> Result<(), PairError> {
        let store = self.app.at_hand.store().ok_or(PairError::Trouble(Trouble::Records))?;
        let device = self.app.clips.device();
        Member::new(device, keys.clone(), entries)?;
        let row = ExchangeRow { incarnation: u64::from_be_bytes(random_of()?), ..ExchangeRow::default() };
        store.join(&row, entries, now()).await.map_err(Trouble::from)?;
        let own = (yadori_sync::body::DEVICE.to_owned(), device.0.to_vec());
        store.note_subject(&own, now()).await.map_err(Trouble::from)?;
        keys.save(&self.home.data).map_err(PairError::Keys)?;
        self.app.exchange.turn();
        Ok(())
    }

    /// The host's part: gives the name of the device that was let in.
    async fn let_in(&self, current: &Arc<Current>, code: Code) -> Result<String, PairError> {
        let end = tokio::time::Instant::now() + OPEN;
        let (link, place) = (&current.link, code.place);
        let share = heard(link, place, 0, end).await?;
        let (answered, words) = Host::new(code, current.link.terms()).answer(&share, &mut system_random())?;
        link.say(place, 1, words).await?;
        let mut channel: Channel = answered.confirm(&heard(link, place, 2, end).await?)?;
        let said = channel.hear(&heard(link, place, 3, end).await?)?;
        let Hello { member: guest, name } = Hello::from_bytes(&said).ok_or(PairingError::Malformed)?;
        let (answer, answered) = oneshot::channel();
        self.pairings.stand(Step::Asks(name.clone()), Some(answer));
        let yes = tokio::time::timeout_at(end, answered).await.map_err(|_| PairError::Over)?.unwrap_or(false);
        if !yes {
            link.say(place, 4, channel.say(&Welcome::No.to_bytes())?).await?;
            return Err(PairError::Declined);
        }
        self.pairings.stand(Step::Joining(name.clone()), None);
        self.with_members(current, |members| {
            members.retain(|one| one.device != guest.device);
            members.push(guest);
        })
        .await?;
        let group = current.member.now().chain.group();
        let mut first = [0; 32];
        let _ = hex::decode_to_slice(&current.member.keys.first, &mut first);
        let welcome = Welcome::Yes { group, first, name: current.member.keys.name.clone() };
        link.say(place, 4, channel.say(&welcome.to_bytes())?).await?;
        Ok(name)
    }

    /// The guest's part: gives the name of the device that let this one in.
    async fn ask_in(&self, link: &Link, code: &Code, name: String) -> Result<String, PairError> {
        let end = tokio::time::Instant::now() + OPEN;
        let _turning = self.turning.lock().await;
        link.meet(true).await?;
        let mut keys = Keys::new(link.address(), name)?;
        let device = self.app.clips.device();
        let (guest, share) = Guest::begin(code, &link.terms(), &mut system_random())?;
        link.say(code.place, 0, share).await?;
        let (mut channel, confirmation) = guest.hear(&heard(link, code.place, 1, end).await?)?;
        link.say(code.place, 2, confirmation).await?;
        let words =
            channel.say(&Hello { member: keys.member(device), name: keys.name.clone() }.to_bytes())?;
        link.say(code.place, 3, words).await?;
        let said = channel.hear(&heard(link, code.place, 4, end).await?)?;
        let Welcome::Yes { group, first, name } =
            Welcome::from_bytes(&said).ok_or(PairingError::Malformed)?
        else {
            return Err(PairError::DeclinedThere);
        };
        self.pairings.stand(Step::Joining(name.clone()), None);
        keys.group = hex::encode(group);
        keys.first = hex::encode(first);
        let asker = Asker { device, signing: keys.signing(), group };
        let entries = every_entry(link, &asker).await?;
        self.joined(&keys, &entries).await?;
        Ok(name)
    }

    /// Who belongs to the group is changed: an entry with a new key follows the last one, made anew if another was faster.
    pub(super) async fn with_members(
        &self,
        current: &Current,
        change: impl Fn(&mut Vec<Named>),
    ) -> Result<(), PairError> {
        for _ in 0..ENTRIES {
            current.catch_up().await?;
            let standing = current.member.now();
            let mut members = standing.chain.members().to_vec();
            change(&mut members);
            members.sort_unstable_by_key(|one| one.device);
            let keyring: &Keyring = &standing.keyring;
            let signing = current.member.keys.signing();
            let next = Next {
                author: current.member.device,
                signing: &signing,
                members,
                key: EpochKey(random_of()?),
                keyring,
            };
            let entry = standing.chain.next(next, &mut system_random())?;
            match current.link.append(&current.member.asker(), entry).await {
                Ok(()) => {
                    current.catch_up().await?;
                    self.tell_members(&current.member);
                    return Ok(());
                }
                Err(why) if why.is("not-next") => {}
                Err(why) => return Err(why.into()),
            }
        }
        Err(PairError::Chain(ChainError::NotNext(current.member.now().chain.epoch())))
    }
}

/// The system's randomness, for what asks for a generator.
fn system_random() -> impl yadori_sync::CryptoRng {
    yadori_sync::UnwrapErr(getrandom::SysRng)
}
