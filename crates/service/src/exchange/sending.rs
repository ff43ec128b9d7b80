//! What has changed here is sealed, kept until the hub has it, and sent.

use std::sync::atomic::Ordering;
use std::time::Duration;

use yadori_core::ClipId;
use yadori_store::{CLIP, ExchangeRow, Noted, OutgoingRow, Store, Subject};
use yadori_sync::body::{KEPT, SENT, read_sent_id};
use yadori_sync::exchange::{Due, Exchange, Made, Numbers, Pushed};
use yadori_sync::record::{Header, TooLarge, Topic, content, seal};
use yadori_sync::wire::Sent;

use super::bodies::Body;
use super::exchanger::{Current, Exchanger};
use super::trouble::Trouble;
use crate::home::random::random;
use crate::state::clock::now;
use crate::state::exchanging::RefusedRecord;

/// Subjects that are looked at at once.
const SUBJECTS: u32 = 200;
/// How long clips of a restore are given to come to their place before it is looked again.
const LATER: Duration = Duration::from_millis(250);
/// Bytes that are sent at once, beyond the first record.
const BYTES: usize = 4 << 20;

/// A body, the blobs that it lists, and its kind where that is another one than what waited.
type Says = (Vec<u8>, Vec<[u8; 16]>, Option<&'static str>);

pub(super) fn row_of(machine: &Exchange) -> ExchangeRow {
    let Numbers { incarnation, sequence, seen } = machine.numbers();
    ExchangeRow { incarnation, sequence, seen, ..ExchangeRow::default() }
}

impl Exchanger {
    /// Sends what changes, for ever.
    pub(super) async fn send(&self, current: &Current) -> Result<(), Trouble> {
        loop {
            while self.send_some_or_make_room(current).await? {}
            let waits = current.store.count_due().await?;
            self.app.exchange.change(|state| state.waits = waits);
            match current.store.note_some(now()).await? {
                Noted::All => self.app.exchange.until_due().await,
                Noted::More => {}
                Noted::Later => tokio::time::sleep(LATER).await,
            }
        }
    }

    /// What was removed here goes from what is on its way as well, while the hub can't be reached: whether the hub has it or
    /// not, the rest is made anew, in a new life of this device.
    pub(super) async fn let_go_of_removed(&self, store: &Store) -> Result<(), Trouble> {
        let removed = |((kind, id), changed): &(Subject, bool)| {
            let clip = match kind.as_str() {
                // What says that it was removed is what was made last of it.
                CLIP if *changed => id.as_slice().try_into().ok().map(ClipId),
                SENT => read_sent_id(id).map(|(_, clip)| clip),
                _ => None,
            };
            clip.is_some_and(|clip| self.app.clips.get(clip).is_none())
        };
        if !self.app.clips.are_loaded() || !store.on_their_way().await?.iter().any(removed) {
            return Ok(());
        }
        let Some(row) = store.exchange().await?.row else { return Ok(()) };
        let incarnation = u64::from_be_bytes(random().map_err(|_| Trouble::NoRandomness)?);
        tracing::info!("what was removed goes from what is on its way: a new life in the group begins");
        store
            .begin_anew(&ExchangeRow { incarnation, sequence: 0, seen: row.seen, ..ExchangeRow::default() })
            .await?;
        Ok(())
    }

    /// Whether a subject is a clip that was removed here.
    fn is_removed(&self, (kind, id): &Subject) -> bool {
        let clip = (kind == CLIP).then(|| id.as_slice().try_into().ok().map(ClipId)).flatten();
        clip.is_some_and(|clip| self.app.clips.get(clip).is_none())
    }

    /// Sends some of what waits. Where the hub takes no more, what was removed goes before everything else: that makes room.
    async fn send_some_or_make_room(&self, current: &Current) -> Result<bool, Trouble> {
        let why = match self.send_some(current).await {
            Err(Trouble::Link(why)) if why.is("full") => why,
            other => return other,
        };
        let due = current.store.due(SUBJECTS).await?;
        if !due.iter().any(|one| self.is_removed(&one.subject)) || current.full.swap(true, Ordering::Relaxed)
        {
            return Err(why.into());
        }
        tracing::info!("the hub takes no more; what was removed is sent before the rest");
        let incarnation = u64::from_be_bytes(random().map_err(|_| Trouble::NoRandomness)?);
        let mut machine = current.machine.lock().await;
        let mut next = machine.clone();
        next.renew(incarnation);
        current.store.begin_anew(&row_of(&next)).await?;
        *machine = next;
        drop(machine);
        while self.send_some(current).await? {}
        // The rest is tried again after a while.
        Err(why.into())
    }

    /// Sends some of what waits. False: nothing does.
    async fn send_some(&self, current: &Current) -> Result<bool, Trouble> {
        let on_its_way = !current.machine.lock().await.pending().is_empty();
        if !on_its_way && !self.prepare(current).await? {
            return Ok(false);
        }
        let pending = current.machine.lock().await.pending().to_vec();
        if pending.is_empty() {
            return Ok(true);
        }
        let sent = pending.iter().map(|one| (&one.made.record.0[..], one.made.blobs.clone()));
        let sent = Sent(sent.collect());
        let answer = match current.link.push(&current.member.asker(), &sent).await {
            Ok(()) => Pushed::Taken,
            Err(why) if why.is("older") => Pushed::Older,
            Err(why) if why.is("struck-off") => {
                // The chain tells it in its own words.
                current.catch_up().await?;
                return Err(why.into());
            }
            Err(why) => return Err(why.into()),
        };
        self.reached();
        let mut machine = current.machine.lock().await;
        let incarnation = u64::from_be_bytes(random().map_err(|_| Trouble::NoRandomness)?);
        let mut next = machine.clone();
        if next.pushed(answer, incarnation).is_some() {
            current.store.sent().await?;
            let sent = pending.len() as u64;
            self.app.exchange.change(|state| {
                state.sent += sent;
                state.waits = state.waits.saturating_sub(sent);
            });
        } else {
            tracing::warn!("the records of this device are an older copy: it begins a new life in its group");
            current.store.begin_anew(&row_of(&next)).await?;
        }
        *machine = next;
        Ok(true)
    }

    /// Makes records of some of what waits. False: nothing does.
    async fn prepare(&self, current: &Current) -> Result<bool, Trouble> {
        let mut due = current.store.due(SUBJECTS).await?;
        if current.full.load(Ordering::Relaxed) {
            due.retain(|one| self.is_removed(&one.subject));
        }
        if due.is_empty() {
            return Ok(false);
        }
        let mut bodies: Vec<(Due, Option<Says>)> = Vec::with_capacity(due.len());
        let (mut bytes, mut turn) = (0, true);
        for due in due {
            let (subject, version) = (due.subject.clone(), due.version);
            let body = match self.body_of(current, due, &mut turn).await? {
                Body::Says(body, blobs) => Some((body, blobs, None)),
                Body::SaysInPart(body) => Some((body, Vec::new(), Some(KEPT))),
                Body::Nothing => None,
                // What can go goes before it.
                Body::Later => continue,
            };
            bytes += body.as_ref().map_or(0, |(body, ..)| body.len());
            if bytes > BYTES && !bodies.is_empty() {
                break;
            }
            bodies.push((Due { topic: Topic { kind: subject.0, id: subject.1 }, version }, body));
        }
        if bodies.is_empty() {
            return Ok(true);
        }
        let standing = current.member.now();
        let chain = &standing.chain;
        let epoch = chain.epoch();
        let Some(key) = standing.keyring.epochs.get(&epoch) else { return Err(Trouble::Records) };
        let (signing, group) = (current.member.keys.signing(), chain.group());
        let mut machine = current.machine.lock().await;
        let mut next = machine.clone();
        let (due, says): (Vec<Due>, Vec<Option<Says>>) = bodies.into_iter().unzip();
        let mut says = says.into_iter();
        let mut too_large = 0_u64;
        let nothing = next.prepare(due, |topic, numbers| -> Result<Option<Made>, Trouble> {
            let Some((body, blobs, kind)) = says.next().flatten() else { return Ok(None) };
            let kind = kind.map_or_else(|| topic.kind.clone(), str::to_owned);
            let topic = &Topic { kind, id: topic.id.clone() };
            let header = Header {
                group,
                epoch,
                device: current.member.device,
                incarnation: numbers.incarnation,
                sequence: numbers.sequence,
                seen: numbers.seen,
                subject: standing.keyring.naming.subject(&topic.kind, &topic.id),
            };
            let nonce = random().map_err(|_| Trouble::NoRandomness)?;
            match seal(&header, &content::content(topic, &body), key, &signing, nonce) {
                Ok(record) => Ok(Some(Made { record, blobs })),
                Err(TooLarge) => {
                    too_large += 1;
                    Ok(None)
                }
            }
        })?;
        let outgoing: Vec<OutgoingRow> = next
            .pending()
            .iter()
            .map(|one| OutgoingRow {
                sequence: one.sequence,
                subject: (one.due.topic.kind.clone(), one.due.topic.id.clone()),
                version: one.due.version,
                body: one.made.record.0.clone(),
                blobs: one.made.blobs.clone(),
            })
            .collect();
        let nothing: Vec<_> =
            nothing.into_iter().map(|due| ((due.topic.kind, due.topic.id), due.version)).collect();
        if too_large > 0 {
            let why = format!("{too_large} clips are too large for a record, and stay on this device alone");
            tracing::warn!("{why}");
            self.app.exchange.refused(RefusedRecord { at: now(), number: 0, why });
        }
        current.store.send(&row_of(&next), &outgoing, &nothing).await?;
        *machine = next;
        Ok(true)
    }
}
