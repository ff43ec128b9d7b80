//! Clips as they are held in memory: packed into a few dozen bytes beside their words, since there may be a million of
//! them and hardly any is looked at. As CBOR (RFC 8949) without names: what nearly all clips have stands in its order,
//! the rest behind a number that says which of it is there. Times are told as differences to that of the clip, devices
//! and the usual names of forms by their numbers.

use std::convert::Infallible;

use minicbor::{Decoder, Encoder, decode, encode};
use zeroize::Zeroize;

use crate::clip::color::Color;
use crate::clip::content::Digest;
use crate::clip::device::DeviceId;
use crate::clip::facts::{Facts, Picture};
use crate::clip::id::{Class, ClipId};
use crate::clip::mime;
use crate::clip::offer::Source;
use crate::clip::secret::SecretKind;
use crate::clip::time::Micros;
use crate::history::stored::{Clip, Held};
use crate::merge::clip::{ClipState, Copies, Keeping, Kept, OfferRecord, RepresentationRecord};
use crate::merge::register::Written;
use crate::merge::stamp::Stamp;

/// What is read without unpacking: the time of the order, the letter of the outline, and whether it is pinned.
const HEAD: usize = size_of::<Micros>() + 2;
/// Devices that have a number at most; others stand as they are.
const NUMBERED: usize = 200;
/// Forms that have a number: the place in this list, which is never written anywhere.
const FORMS: [&str; 12] = [
    mime::PLAIN,
    mime::HTML,
    mime::URI_LIST,
    mime::FILE_MANAGER_LIST,
    mime::PAGE_ADDRESS,
    "image/png",
    "image/jpeg",
    "image/gif",
    "image/webp",
    "image/bmp",
    "text/rtf",
    "application/octet-stream",
];

/// A clip, packed. The memory that it leaves is overwritten by whoever gives memory out.
#[derive(Clone)]
pub(super) struct Packed(Box<[u8]>);

/// It holds what was copied, so debug output leaves that out.
impl std::fmt::Debug for Packed {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Packed({} bytes)", self.0.len())
    }
}

/// A clip as it stands in an outline.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Outlined {
    /// Its id.
    pub id: ClipId,
    /// The time by which it is ordered.
    pub ordered_at: Micros,
    /// What it is, by a letter ([`Facts::letter`]).
    pub letter: char,
    /// It is kept.
    pub pinned: bool,
}

/// What is known of a clip when its state is packed and unpacked, and need not be said once more.
#[derive(Clone, Copy)]
struct Near<'c> {
    /// The time of its order.
    at: Micros,
    /// Its text, as far as the facts have it.
    text: Option<&'c str>,
}

impl<'c> Near<'c> {
    fn of(facts: &'c Facts, at: Micros) -> Self {
        Self { at, text: (facts.class == Class::Text).then_some(facts.head.as_str()) }
    }

    /// The digest that plain text of this size has, if it can be the text that is known.
    fn is_of_text(&self, form: &str, size: u64) -> Option<Digest> {
        let text = self.text.filter(|text| form == mime::PLAIN && text.len() as u64 == size)?;
        Some(Digest::of(text.as_bytes()))
    }
}

/// Packs clips and unpacks them: knows the devices by their numbers.
#[derive(Clone, Debug, Default)]
pub(super) struct Packing {
    devices: Vec<DeviceId>,
    /// What the next one is written to; empty.
    scratch: Vec<u8>,
}

type To<'b> = Encoder<&'b mut Vec<u8>>;
type Written_<T = ()> = Result<T, encode::Error<Infallible>>;
type Read<T> = Result<T, decode::Error>;

/// What may be there of a clip beside what every one has.
mod there {
    pub(super) const FORMATTED: u32 = 1;
    pub(super) const HERE: u32 = 1 << 1;
    pub(super) const PICTURE: u32 = 1 << 2;
    pub(super) const FILES: u32 = 1 << 3;
    pub(super) const SECRET: u32 = 1 << 4;
    pub(super) const COPIED: u32 = 1 << 5;
    pub(super) const TITLE: u32 = 1 << 6;
    pub(super) const COLOR: u32 = 1 << 7;
    pub(super) const KEPT: u32 = 1 << 8;
    pub(super) const MADE_FROM: u32 = 1 << 9;
    pub(super) const REMOVED: u32 = 1 << 10;
    pub(super) const CLEARED: u32 = 1 << 11;
    pub(super) const FLEETING: u32 = 1 << 12;
    pub(super) const WAITING: u32 = 1 << 13;
}

impl Packed {
    /// The time by which the clip is ordered.
    pub(super) fn ordered_at(&self) -> Micros {
        self.0.first_chunk().map_or(0, |bytes| Micros::from_be_bytes(*bytes))
    }

    /// How the clip stands in an outline.
    pub(super) fn outlined(&self, id: ClipId) -> Outlined {
        let (letter, pinned) = match self.0.get(size_of::<Micros>()..HEAD) {
            Some([letter, pinned]) => (char::from(*letter), *pinned != 0),
            _ => ('t', false),
        };
        Outlined { id, ordered_at: self.ordered_at(), letter, pinned }
    }
}

impl Packing {
    /// Packs a clip.
    pub(super) fn pack(&mut self, clip: &Clip) -> Packed {
        let mut bytes = std::mem::take(&mut self.scratch);
        bytes.extend_from_slice(&clip.ordered_at.to_be_bytes());
        bytes.extend(u8::try_from(clip.facts.letter()));
        bytes.push(u8::from(clip.state.is_pinned()));
        let Ok(()) = self.write(&mut Encoder::new(&mut bytes), clip).map_err(never);
        self.packed(bytes)
    }

    /// Exactly as much as is needed; what it was written to is overwritten, and written to again.
    fn packed(&mut self, mut bytes: Vec<u8>) -> Packed {
        let packed = Packed(bytes.as_slice().into());
        bytes.zeroize();
        self.scratch = bytes;
        packed
    }

    /// Packs what is known of a clip that is not there.
    pub(super) fn pack_state(&mut self, state: &ClipState) -> Packed {
        let mut bytes = std::mem::take(&mut self.scratch);
        bytes.resize(HEAD, 0);
        let to = &mut Encoder::new(&mut bytes);
        let Ok(()) = (|| {
            to.u32(parts_of(state))?;
            self.write_state(to, state, Near { at: 0, text: None })
        })()
        .map_err(never);
        self.packed(bytes)
    }

    /// The clip that was packed.
    pub(super) fn unpack(&self, id: ClipId, packed: &Packed) -> Clip {
        let ordered_at = packed.ordered_at();
        self.read(id, ordered_at, &mut Decoder::new(rest(packed))).unwrap_or_else(|why| broken(&why))
    }

    /// What is known of a clip that is not there.
    pub(super) fn unpack_state(&self, packed: &Packed) -> ClipState {
        let from = &mut Decoder::new(rest(packed));
        let state = from.u32().and_then(|there| self.read_state(from, there, Near { at: 0, text: None }));
        state.unwrap_or_else(|why| broken(&why))
    }

    fn write(&mut self, to: &mut To<'_>, clip: &Clip) -> Written_ {
        let Clip { id: _, state, facts, ordered_at, held } = clip;
        let mut there = parts_of(state);
        let mut set = |flag, on| there |= if on { flag } else { 0 };
        set(there::FORMATTED, facts.formatted);
        set(there::HERE, facts.here);
        set(there::PICTURE, facts.picture.is_some());
        set(there::FILES, !facts.files.is_empty() || facts.file_count > 0);
        set(there::SECRET, facts.secret.is_some());
        set(there::FLEETING, matches!(held, Held::Fleeting { .. }));
        set(there::WAITING, *held == Held::Waiting);
        to.u32(there)?.u8(facts.class as u8)?.str(&facts.head)?;
        to.u64(facts.chars)?.u64(facts.lines)?.u64(facts.size)?;
        if let Some(picture) = &facts.picture {
            to.str(&picture.mime)?.u32(picture.width)?.u32(picture.height)?;
        }
        if there & there::FILES != 0 {
            to.u64(facts.file_count)?.array(facts.files.len() as u64)?;
            for file in &facts.files {
                to.str(file)?;
            }
        }
        if let Some(secret) = facts.secret {
            to.u8(secret as u8)?;
        }
        if let Held::Fleeting { until } = held {
            to.i64(*until)?;
        }
        self.write_state(to, state, Near::of(facts, *ordered_at))
    }

    fn read(&self, id: ClipId, ordered_at: Micros, from: &mut Decoder<'_>) -> Read<Clip> {
        let there = from.u32()?;
        let has = |flag: u32| there & flag != 0;
        let class = one_of(&Class::ALL, from.u8()?)?;
        let mut facts = Facts {
            class,
            head: from.str()?.to_owned(),
            chars: from.u64()?,
            lines: from.u64()?,
            size: from.u64()?,
            formatted: has(there::FORMATTED),
            picture: None,
            files: Vec::new(),
            file_count: 0,
            secret: None,
            here: has(there::HERE),
        };
        if has(there::PICTURE) {
            let (mime, width, height) = (from.str()?.to_owned(), from.u32()?, from.u32()?);
            facts.picture = Some(Picture { mime, width, height });
        }
        if has(there::FILES) {
            facts.file_count = from.u64()?;
            facts.files = list(from, |from| Ok(from.str()?.to_owned()))?;
        }
        if has(there::SECRET) {
            facts.secret = Some(one_of(&SecretKind::ALL, from.u8()?)?);
        }
        let held = match there & (there::FLEETING | there::WAITING) {
            there::FLEETING => Held::Fleeting { until: from.i64()? },
            there::WAITING => Held::Waiting,
            _ => Held::Recorded,
        };
        let state = self.read_state(from, there, Near::of(&facts, ordered_at))?;
        Ok(Clip { id, state, facts, ordered_at, held })
    }

    fn write_state(&mut self, to: &mut To<'_>, state: &ClipState, near: Near<'_>) -> Written_ {
        let ClipState { offers, copied_at, title, color, kept, made_from, copies, removed, cleared } = state;
        to.array(offers.len() as u64)?;
        for Written { at, value: OfferRecord { representations, also, source } } in offers {
            self.write_stamp(to, *at, near)?;
            to.array(representations.len() as u64)?;
            for RepresentationRecord { mime, size, digest } in representations {
                match FORMS.iter().position(|form| form == mime) {
                    Some(number) => to.u64(number as u64)?,
                    None => to.str(mime)?,
                };
                to.u64(*size)?;
                match near.is_of_text(mime, *size) == Some(*digest) {
                    true => to.null()?,
                    false => to.bytes(&digest.0)?,
                };
            }
            to.array(also.len() as u64)?;
            for name in also {
                to.str(name)?;
            }
            for part in [&source.program, &source.window, &source.page] {
                match part {
                    Some(part) => to.str(part)?,
                    None => to.null()?,
                };
            }
        }
        if let Some(Written { at, value }) = copied_at {
            self.write_stamp(to, *at, near)?;
            to.i64(value.wrapping_sub(near.at))?;
        }
        if let Some(Written { at, value }) = title {
            self.write_stamp(to, *at, near)?;
            match value {
                Some(title) => to.str(title)?,
                None => to.null()?,
            };
        }
        if let Some(Written { at, value }) = color {
            self.write_stamp(to, *at, near)?;
            match value {
                Some(color) => to.u8(*color as u8)?,
                None => to.null()?,
            };
        }
        if let Some(Keeping { at, value, since, with }) = kept {
            self.write_stamp(to, *at, near)?;
            match value {
                Kept::No => to.u8(0)?,
                Kept::Favorite(rank) => to.u8(1)?.str(rank)?,
                Kept::Drawer { drawer, rank } => to.u8(2)?.str(drawer)?.str(rank)?,
            };
            for stamp in [since, with] {
                match stamp {
                    Some(stamp) => self.write_stamp(to, *stamp, near)?,
                    None => to.null().map(drop)?,
                }
            }
        }
        if let Some(Written { at, value }) = made_from {
            self.write_stamp(to, *at, near)?;
            match value {
                Some(id) => to.bytes(&id.0)?,
                None => to.null()?,
            };
        }
        for stamp in [removed, cleared].into_iter().flatten() {
            self.write_stamp(to, *stamp, near)?;
        }
        let own: Vec<(DeviceId, &Copies)> = copies.iter().collect();
        to.array(own.len() as u64)?;
        for (device, Copies { ever, removed, cleared }) in own {
            self.write_device(to, device)?;
            to.u64(*ever)?.u64(*removed)?.u64(*cleared)?;
        }
        Ok(())
    }

    fn read_state(&self, from: &mut Decoder<'_>, there: u32, near: Near<'_>) -> Read<ClipState> {
        let has = |flag: u32| there & flag != 0;
        let offers = list(from, |from| {
            let at = self.read_stamp(from, near)?;
            let representations = list(from, |from| {
                let mime = match from.datatype()? {
                    minicbor::data::Type::String => from.str()?,
                    _ => one_of(&FORMS, from.u8()?)?,
                };
                let size = from.u64()?;
                let digest = match maybe(from, bytes)? {
                    Some(digest) => Digest(digest),
                    None => near.is_of_text(mime, size).ok_or_else(|| decode::Error::message("no digest"))?,
                };
                Ok(RepresentationRecord { mime: mime.to_owned(), size, digest })
            })?;
            let also = list(from, |from| Ok(from.str()?.to_owned()))?;
            let mut part = || maybe(from, |from| Ok(from.str()?.to_owned()));
            let source = Source { program: part()?, window: part()?, page: part()? };
            Ok(Written { at, value: OfferRecord { representations, also, source } })
        })?;
        let mut state = ClipState { offers, ..ClipState::default() };
        if has(there::COPIED) {
            let at = self.read_stamp(from, near)?;
            state.copied_at = Some(Written { at, value: from.i64()?.wrapping_add(near.at) });
        }
        if has(there::TITLE) {
            let at = self.read_stamp(from, near)?;
            state.title = Some(Written { at, value: maybe(from, |from| Ok(from.str()?.to_owned()))? });
        }
        if has(there::COLOR) {
            let at = self.read_stamp(from, near)?;
            let value = maybe(from, |from| one_of(&Color::ALL, from.u8()?))?;
            state.color = Some(Written { at, value });
        }
        if has(there::KEPT) {
            let at = self.read_stamp(from, near)?;
            let value = match from.u8()? {
                0 => Kept::No,
                1 => Kept::Favorite(from.str()?.to_owned()),
                _ => Kept::Drawer { drawer: from.str()?.to_owned(), rank: from.str()?.to_owned() },
            };
            let mut stamp = || maybe(from, |from| self.read_stamp(from, near));
            state.kept = Some(Keeping { at, value, since: stamp()?, with: stamp()? });
        }
        if has(there::MADE_FROM) {
            let at = self.read_stamp(from, near)?;
            state.made_from = Some(Written { at, value: maybe(from, |from| Ok(ClipId(bytes(from)?)))? });
        }
        if has(there::REMOVED) {
            state.removed = Some(self.read_stamp(from, near)?);
        }
        if has(there::CLEARED) {
            state.cleared = Some(self.read_stamp(from, near)?);
        }
        for (device, copies) in list(from, |from| {
            let device = self.read_device(from)?;
            Ok((device, Copies { ever: from.u64()?, removed: from.u64()?, cleared: from.u64()? }))
        })? {
            *state.copies.of(device) = copies;
        }
        Ok(state)
    }

    fn write_stamp(&mut self, to: &mut To<'_>, stamp: Stamp, near: Near<'_>) -> Written_ {
        // Any two numbers differ by one that reads back, however far apart they are.
        to.i64(stamp.wall_ms.cast_signed().wrapping_sub(near.at / 1_000))?.u32(stamp.counter)?;
        self.write_device(to, stamp.device)
    }

    fn read_stamp(&self, from: &mut Decoder<'_>, near: Near<'_>) -> Read<Stamp> {
        let wall_ms = from.i64()?.wrapping_add(near.at / 1_000).cast_unsigned();
        Ok(Stamp { wall_ms, counter: from.u32()?, device: self.read_device(from)? })
    }

    fn write_device(&mut self, to: &mut To<'_>, device: DeviceId) -> Written_ {
        let known = self.devices.iter().position(|known| *known == device).or_else(|| {
            (self.devices.len() < NUMBERED).then(|| {
                self.devices.push(device);
                self.devices.len() - 1
            })
        });
        match known {
            Some(number) => to.u64(number as u64)?,
            None => to.bytes(&device.0)?,
        };
        Ok(())
    }

    fn read_device(&self, from: &mut Decoder<'_>) -> Read<DeviceId> {
        match from.datatype()? {
            minicbor::data::Type::Bytes => Ok(DeviceId(bytes(from)?)),
            _ => one_of(&self.devices, from.u8()?),
        }
    }
}

/// Which parts of a state are there.
fn parts_of(state: &ClipState) -> u32 {
    [
        (there::COPIED, state.copied_at.is_some()),
        (there::TITLE, state.title.is_some()),
        (there::COLOR, state.color.is_some()),
        (there::KEPT, state.kept.is_some()),
        (there::MADE_FROM, state.made_from.is_some()),
        (there::REMOVED, state.removed.is_some()),
        (there::CLEARED, state.cleared.is_some()),
    ]
    .into_iter()
    .filter(|(_, on)| *on)
    .fold(0, |all, (flag, _)| all | flag)
}

fn rest(packed: &Packed) -> &[u8] {
    packed.0.get(HEAD..).unwrap_or_default()
}

fn one_of<T: Copy>(all: &[T], number: u8) -> Read<T> {
    all.get(usize::from(number)).copied().ok_or_else(|| decode::Error::message("a number beyond the list"))
}

fn bytes<const N: usize>(from: &mut Decoder<'_>) -> Read<[u8; N]> {
    from.bytes()?.try_into().map_err(|_| decode::Error::message("another length"))
}

fn maybe<T>(from: &mut Decoder<'_>, read: impl FnOnce(&mut Decoder<'_>) -> Read<T>) -> Read<Option<T>> {
    if from.datatype()? == minicbor::data::Type::Null {
        from.null().map(|()| None)
    } else {
        read(from).map(Some)
    }
}

fn list<T>(from: &mut Decoder<'_>, mut read: impl FnMut(&mut Decoder<'_>) -> Read<T>) -> Read<Vec<T>> {
    let count = from.array()?.unwrap_or(0);
    let mut all = Vec::with_capacity(usize::try_from(count).unwrap_or(0));
    for _ in 0..count {
        all.push(read(from)?);
    }
    Ok(all)
}

#[expect(clippy::needless_pass_by_value, reason = "as a failure is mapped")]
fn never(why: encode::Error<Infallible>) -> Infallible {
    unreachable!("memory takes whatever is written to it: {why}")
}

#[cold]
fn broken<T>(why: &decode::Error) -> T {
    // The text of a clip is not in it.
    panic!("a clip does not read back from its packed form: {why}")
}

#[cfg(test)]
mod tests;
