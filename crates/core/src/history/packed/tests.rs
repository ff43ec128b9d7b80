//! What was packed reads back as it was, whatever it is, and takes little room.

use super::*;
use proptest::collection::vec;
use proptest::option;
use proptest::prelude::*;

fn device() -> impl Strategy<Value = DeviceId> {
    prop_oneof![(0u8..4).prop_map(|n| DeviceId([n; 16])), any::<[u8; 16]>().prop_map(DeviceId)]
}

fn stamp() -> impl Strategy<Value = Stamp> {
    let wall_ms = prop_oneof![1_700_000_000_000u64..1_700_000_100_000, any::<u64>(), Just(0), Just(u64::MAX)];
    (wall_ms, any::<u32>(), device()).prop_map(|(wall_ms, counter, device)| Stamp {
        wall_ms,
        counter,
        device,
    })
}

fn time() -> impl Strategy<Value = Micros> {
    prop_oneof![1_700_000_000_000_000i64..1_700_000_100_000_000, any::<i64>(), Just(i64::MIN), Just(i64::MAX)]
}

fn name() -> impl Strategy<Value = String> {
    prop_oneof![proptest::sample::select(&FORMS[..]).prop_map(str::to_owned), "\\PC{0,12}"]
}

fn written<T: std::fmt::Debug>(value: impl Strategy<Value = T>) -> impl Strategy<Value = Written<T>> {
    (stamp(), value).prop_map(|(at, value)| Written { at, value })
}

fn offer() -> impl Strategy<Value = OfferRecord> {
    let representation = (name(), any::<u64>(), any::<[u8; 32]>())
        .prop_map(|(mime, size, digest)| RepresentationRecord { mime, size, digest: Digest(digest) });
    let part = || option::of("\\PC{0,9}");
    let source =
        (part(), part(), part()).prop_map(|(program, window, page)| Source { program, window, page });
    (vec(representation, 0..4), vec(name(), 0..3), source)
        .prop_map(|(representations, also, source)| OfferRecord { representations, also, source })
}

fn keeping() -> impl Strategy<Value = Keeping> {
    let value = prop_oneof![
        Just(Kept::No),
        "[a-z]{0,4}".prop_map(Kept::Favorite),
        ("[a-z]{0,4}", "\\PC{0,4}").prop_map(|(rank, drawer)| Kept::Drawer { drawer, rank }),
    ];
    (stamp(), value, option::of(stamp()), option::of(stamp())).prop_map(|(at, value, since, with)| Keeping {
        at,
        value,
        since,
        with,
    })
}

fn state() -> impl Strategy<Value = ClipState> {
    let copies = (any::<u64>(), any::<u64>(), any::<u64>()).prop_map(|(ever, removed, cleared)| Copies {
        ever,
        removed,
        cleared,
    });
    let registers = (
        option::of(written(time())),
        option::of(written(option::of("\\PC{0,9}"))),
        option::of(written(option::of(proptest::sample::select(&Color::ALL[..])))),
        option::of(keeping()),
        option::of(written(option::of(any::<[u8; 16]>().prop_map(ClipId)))),
    );
    let floors = (option::of(stamp()), option::of(stamp()));
    (vec(written(offer()), 0..4), registers, vec((device(), copies), 0..4), floors).prop_map(
        |(offers, (copied_at, title, color, kept, made_from), copies, (removed, cleared))| ClipState {
            offers,
            copied_at,
            title,
            color,
            kept,
            made_from,
            copies: copies.into_iter().collect(),
            removed,
            cleared,
        },
    )
}

fn facts() -> impl Strategy<Value = Facts> {
    let picture = (name(), any::<u32>(), any::<u32>()).prop_map(|(mime, width, height)| Picture {
        mime,
        width,
        height,
    });
    let counts = (any::<u64>(), any::<u64>(), any::<u64>(), any::<u64>());
    let flags = (any::<bool>(), any::<bool>(), option::of(proptest::sample::select(&SecretKind::ALL[..])));
    (
        proptest::sample::select(&Class::ALL[..]),
        "\\PC{0,60}",
        counts,
        flags,
        option::of(picture),
        vec("\\PC{0,9}", 0..3),
    )
        .prop_map(
            |(class, head, (chars, lines, size, file_count), (formatted, here, secret), picture, files)| {
                Facts { class, head, chars, lines, size, formatted, picture, files, file_count, secret, here }
            },
        )
}

/// Some clips are what most are: a plain text that the facts have whole.
fn clip() -> impl Strategy<Value = Clip> {
    (any_clip(), any::<bool>()).prop_map(|(mut clip, plain)| {
        let text = clip.facts.head.as_bytes();
        let plain = plain.then(|| RepresentationRecord {
            mime: mime::PLAIN.into(),
            size: text.len() as u64,
            digest: Digest::of(text),
        });
        if let Some(offer) = clip.state.offers.first_mut() {
            offer.value.representations.extend(plain);
        }
        clip
    })
}

fn any_clip() -> impl Strategy<Value = Clip> {
    let held = prop_oneof![
        Just(Held::Recorded),
        Just(Held::Waiting),
        time().prop_map(|until| Held::Fleeting { until })
    ];
    (any::<[u8; 16]>(), state(), facts(), time(), held).prop_map(|(id, state, facts, ordered_at, held)| {
        Clip { id: ClipId(id), state, facts, ordered_at, held }
    })
}

proptest! {
    #[test]
    fn every_clip_reads_back_as_it_was(clips in vec(clip(), 1..6)) {
        let mut packing = Packing::default();
        let packed: Vec<Packed> = clips.iter().map(|clip| packing.pack(clip)).collect();
        for (clip, packed) in clips.iter().zip(&packed) {
            let Clip { id, ordered_at, .. } = *clip;
            let (letter, pinned) = (clip.facts.letter(), clip.state.is_pinned());
            prop_assert_eq!(packed.outlined(id), Outlined { id, ordered_at, letter, pinned });
            let back = packing.unpack(clip.id, packed);
            prop_assert_eq!(
                (&back.id, &back.state, &back.facts, back.ordered_at, back.held),
                (&clip.id, &clip.state, &clip.facts, clip.ordered_at, clip.held)
            );
        }
    }

    #[test]
    fn what_is_known_of_a_clip_that_is_gone_reads_back_as_it_was(states in vec(state(), 1..6)) {
        let mut packing = Packing::default();
        let packed: Vec<Packed> = states.iter().map(|state| packing.pack_state(state)).collect();
        for (state, packed) in states.iter().zip(&packed) {
            prop_assert_eq!(&packing.unpack_state(packed), state);
        }
    }
}

#[test]
fn more_devices_than_have_a_number_stand_as_they_are() {
    let mut packing = Packing::default();
    let mut state = ClipState::default();
    for n in 0..=u16::MAX / 64 {
        let mut device = [0; 16];
        device[..2].copy_from_slice(&n.to_be_bytes());
        state.copies.of(DeviceId(device)).ever = u64::from(n);
    }
    let packed = packing.pack_state(&state);
    assert_eq!(packing.devices.len(), NUMBERED);
    assert_eq!(packing.unpack_state(&packed), state);
}

#[test]
fn beside_its_words_an_ordinary_clip_takes_some_tens_of_bytes() {
    let at = 1_793_000_000_123_456;
    let mut state = ClipState::default();
    let text = "Bunks at Kestrel Hut are confirmed for Friday";
    let source = Source {
        program: Some("Chromium".into()),
        window: Some("Bookings - Chromium".into()),
        ..Source::default()
    };
    let words = text.len() + "Chromium".len() + "Bookings - Chromium".len();
    let representation = RepresentationRecord {
        mime: mime::PLAIN.into(),
        size: text.len() as u64,
        digest: Digest::of(text.as_bytes()),
    };
    state.capture(
        OfferRecord { representations: vec![representation], also: Vec::new(), source },
        at,
        Stamp { wall_ms: 1_793_000_000_125, counter: 0, device: DeviceId([1; 16]) },
    );
    let clip = Clip {
        id: ClipId([1; 16]),
        state,
        facts: Facts::of_text(text, text.len() as u64, false),
        ordered_at: at,
        held: Held::Recorded,
    };
    let packed = Packing::default().pack(&clip);
    assert!(packed.0.len() - words <= 50, "{} bytes beside its words", packed.0.len() - words);
    assert!(!format!("{packed:?}").contains("Kestrel"));
}
