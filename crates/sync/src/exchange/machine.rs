//! What is to be sent, and what has come.

use yadori_core::DeviceId;

use crate::keys::NamingKey;
use crate::record::{Heads, OpenError, Opener, OrderError, Sealed, Topic, content};

/// What has changed since it was last sent.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Due {
    /// What.
    pub topic: Topic,
    /// How often it has changed. It is sent once, however often it changes before.
    pub version: u64,
}

/// A record that is on its way: kept until the hub has said that it has it.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Pending {
    /// What it is about, and how often that had changed when it was made: if it has changed since, it is sent again.
    pub due: Due,
    /// Its number among this device's.
    pub sequence: u64,
    /// It.
    pub made: Made,
}

/// A record, and the names of the blobs that it lists.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Made {
    /// The record.
    pub record: Sealed,
    /// The blobs.
    pub blobs: Vec<[u8; 16]>,
}

/// The numbers of a record that is to be made.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Numbers {
    /// The incarnation.
    pub incarnation: u64,
    /// Its sequence.
    pub sequence: u64,
    /// How far the hub was seen.
    pub seen: u64,
}

/// What the hub says to a push.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pushed {
    /// It has all of it, now or already.
    Taken,
    /// It has other records under these numbers, or later ones: this disk is an older copy.
    Older,
}

/// A record that counts.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Taken {
    /// What it is about.
    pub topic: Topic,
    /// Its state, to be merged.
    pub body: Vec<u8>,
    /// Who made it.
    pub device: DeviceId,
}

/// Why a record does not count.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Refused {
    /// It can't be opened.
    #[error(transparent)]
    Open(#[from] OpenError),
    /// It came again, or out of its order.
    #[error(transparent)]
    Order(#[from] OrderError),
    /// What is inside is not built as it must be.
    #[error("what is inside is not built as it must be")]
    Inside,
    /// It is about something else than what stands on it.
    #[error("it is about something else than what stands on it")]
    Misnamed,
    /// The hub's numbers went back.
    #[error("the hub gave its number {0} after a later one")]
    Back(u64),
}

/// What came of a page of records.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Pulled {
    /// Those that count, in their order.
    pub taken: Vec<Taken>,
    /// Those that do not, by the hub's numbers.
    pub refused: Vec<(u64, Refused)>,
    /// One of them was made by this device in this incarnation, and is not remembered: this disk is an older copy.
    pub older: bool,
}

/// The exchange of one device.
#[derive(Clone, Debug)]
pub struct Exchange {
    device: DeviceId,
    incarnation: u64,
    /// The last of this device's numbers that was given.
    sequence: u64,
    /// The last of the hub's numbers that was seen.
    seen: u64,
    heads: Heads,
    pending: Vec<Pending>,
}

impl Exchange {
    /// One that has seen and sent nothing. `incarnation`: a random number.
    pub fn new(device: DeviceId, incarnation: u64) -> Self {
        Self::resume(device, Numbers { incarnation, sequence: 0, seen: 0 }, Heads::default(), Vec::new())
    }

    /// One that goes on where it was: its numbers, what it had seen of each life of each device, and what is on its way.
    pub fn resume(device: DeviceId, last: Numbers, heads: Heads, pending: Vec<Pending>) -> Self {
        let Numbers { incarnation, sequence, seen } = last;
        Self { device, incarnation, sequence, seen, heads, pending }
    }

    /// Its numbers, to be kept.
    pub fn numbers(&self) -> Numbers {
        Numbers { incarnation: self.incarnation, sequence: self.sequence, seen: self.seen }
    }

    /// What it has seen of each life of each device, to be kept.
    pub fn heads(&self) -> &Heads {
        &self.heads
    }

    /// The last of the hub's numbers that was seen: what comes after it is asked for.
    pub fn seen(&self) -> u64 {
        self.seen
    }

    /// Which life of the device this is.
    pub fn incarnation(&self) -> u64 {
        self.incarnation
    }

    /// What is on its way. Empty: nothing, until [`Exchange::prepare`].
    pub fn pending(&self) -> &[Pending] {
        &self.pending
    }

    /// Makes records of what is due, unless some are on their way. `seal` makes one; `None` from it: there is nothing to be
    /// sent of that. Gives those. What is on its way then is to be kept before it is sent.
    ///
    /// # Errors
    /// What `seal` gives; nothing is on its way then.
    pub fn prepare<E>(
        &mut self,
        due: Vec<Due>,
        mut seal: impl FnMut(&Topic, Numbers) -> Result<Option<Made>, E>,
    ) -> Result<Vec<Due>, E> {
        if !self.pending.is_empty() {
            return Ok(Vec::new());
        }
        let (mut pending, mut nothing) = (Vec::with_capacity(due.len()), Vec::new());
        let mut numbers = self.numbers();
        for due in due {
            let next = Numbers { sequence: numbers.sequence + 1, ..numbers };
            match seal(&due.topic, next)? {
                Some(made) => {
                    numbers = next;
                    pending.push(Pending { due, sequence: numbers.sequence, made });
                }
                None => nothing.push(due),
            }
        }
        (self.pending, self.sequence) = (pending, numbers.sequence);
        Ok(nothing)
    }

    /// The hub has answered to what was on its way. Gives what has been sent; `None`: this device begins a new life, and
    /// `incarnation` (a random number) is which; what was on its way is made anew.
    pub fn pushed(&mut self, answer: Pushed, incarnation: u64) -> Option<Vec<Pending>> {
        match answer {
            Pushed::Taken => Some(std::mem::take(&mut self.pending)),
            Pushed::Older => {
                self.renew(incarnation);
                None
            }
        }
    }

    /// This disk is an older copy: its numbers are not to be used again.
    pub fn renew(&mut self, incarnation: u64) {
        self.incarnation = incarnation;
        self.sequence = 0;
        self.pending.clear();
    }

    /// Records of the hub with its numbers, ascending, have come. What counts is to be merged, in the same transaction in
    /// which this state is kept.
    pub fn pulled(&mut self, page: &[(u64, Sealed)], by: &impl Opener, naming: &NamingKey) -> Pulled {
        let mut pulled = Pulled::default();
        let mut last = None;
        for (number, sealed) in page {
            if last.is_some_and(|last| *number <= last) {
                pulled.refused.push((*number, Refused::Back(*number)));
                continue;
            }
            last = Some(*number);
            // A page that came twice.
            if *number <= self.seen {
                continue;
            }
            self.seen = *number;
            match self.read(sealed, by, naming, &mut pulled.older) {
                Ok(taken) => pulled.taken.extend(taken),
                Err(why) => pulled.refused.push((*number, why)),
            }
        }
        pulled
    }

    fn read(
        &mut self,
        sealed: &Sealed,
        by: &impl Opener,
        naming: &NamingKey,
        older: &mut bool,
    ) -> Result<Option<Taken>, Refused> {
        let (header, inside) = sealed.open(by)?;
        let (topic, body) = content::read(&inside).ok_or(Refused::Inside)?;
        if naming.subject(&topic.kind, &topic.id) != header.subject {
            return Err(Refused::Misnamed);
        }
        self.heads.take(&header)?;
        let own = header.device == self.device && header.incarnation == self.incarnation;
        // What is on its way under this number may be another record: then this disk is an older copy, which has just given
        // the number a second time.
        let sent = self.pending.iter().find(|one| one.sequence == header.sequence);
        if own && header.sequence <= self.sequence && sent.is_none_or(|one| one.made.record == *sealed) {
            return Ok(None);
        }
        *older |= own;
        Ok(Some(Taken { topic, body: body.to_vec(), device: header.device }))
    }
}
