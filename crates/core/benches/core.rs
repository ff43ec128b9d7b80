//! The computations on the way of a copy: reading an offer, its id, its place in the history.

use criterion::{BatchSize, Criterion, criterion_group, criterion_main};
use yadori_core::batch::split::{Cut, Way, split};
use yadori_core::take::tidy::{STEPS, tidied};
use yadori_core::{
    Class, Clip, ClipId, ClipState, DeviceId, Facts, History, Offer, OfferRecord, Stamp, StoredClip, read,
};

const DEVICE: DeviceId = DeviceId([1; 16]);

fn clip(n: i64) -> Clip {
    let text = format!("clip {n}");
    let mut state = ClipState::default();
    let stamp = Stamp { wall_ms: n as u64, counter: 0, device: DEVICE };
    state.capture(OfferRecord { representations: vec![], ..OfferRecord::default() }, n, stamp);
    Clip {
        id: ClipId::of(Class::Text, &[text.as_bytes()]),
        state,
        facts: Facts::of_text(&text, 8, false),
        ordered_at: n,
        held: yadori_core::history::stored::Held::Recorded,
    }
}

fn benches(c: &mut Criterion) {
    let text = "Kestrel Hut: 14 bunks, drying room, no card payments before 1 June. ".repeat(30);
    c.bench_function("read an offer of 2 kB of text", |b| {
        b.iter_batched(|| Offer::text(text.clone(), 1), |offer| read(offer, DEVICE), BatchSize::SmallInput);
    });
    let large = vec![7u8; 10_000_000];
    let mut group = c.benchmark_group("10 MB");
    group.sample_size(20);
    group.bench_function("id", |b| b.iter(|| ClipId::of(Class::Image, &[&large])));
    group.bench_function("beside: copying the bytes", |b| b.iter(|| large.clone()));
    group.finish();

    ten_megabytes(c);

    let mut history = History::default();
    history.load((0..100_000).map(|n| StoredClip::from(&clip(n))));
    let mut at = 200_000;
    c.bench_function("copy an old clip again, 100,000 clips", |b| {
        b.iter(|| {
            at += 1;
            history.put(Clip { state: clip(at).state, ..clip(at % 100_000) })
        });
    });
    c.bench_function("the first 50 rows with their prefixes, 100,000 clips", |b| {
        b.iter(|| history.from(1).take(50).map(|clip| history.prefix_of(clip.id).len()).sum::<usize>());
    });
}

/// Ten megabytes of each sort, split every way and cleaned up by every step: each is to take less than a second.
fn ten_megabytes(c: &mut Criterion) {
    let of = |line: &str| line.repeat(10_000_000 / line.len());
    let prose = of(
        "1. Kestrel Hut: “14 bunks”, drying room, see https://example.org/a?utm_source=x&b=%C3%A9 before June.\n",
    );
    let texts = [
        (Way::Lines, prose.clone()),
        (Way::Paragraphs, of("Larch Hut is closed\nuntil June.\n\n")),
        (Way::Entries, prose.clone()),
        (Way::Cells, of("Hanna Quist\t14 May\t2\tKestrel Hut\n")),
        (Way::Csv, of("Hanna;\"14; May\";2;Kestrel Hut\n")),
        (Way::Pairs, of("Name: Hanna Quist\nNights: 2\n\n")),
        (Way::Pattern, of("Hanna <hanna@example.org>; ")),
    ];
    let mut group = c.benchmark_group("10 MB, to split");
    group.sample_size(10);
    for (way, text) in texts {
        let cut = Cut { way, pattern: Some("(\\w+) <([^>]+)>".into()), header: false };
        group.bench_function(way.word(), |b| b.iter(|| split(&text, None, &cut).map(|parts| parts.len())));
    }
    group.bench_function("beside: copying its lines", |b| {
        b.iter(|| prose.lines().map(str::to_owned).collect::<Vec<_>>().len());
    });
    group.finish();
    let mut group = c.benchmark_group("10 MB, to tidy");
    group.sample_size(10);
    let json = format!("[{}1]", of("{\"hut\":\"Kestrel\",\"bunks\":14},"));
    for (name, step) in STEPS {
        let text = if name == "json" { &json } else { &prose };
        group.bench_function(name, |b| b.iter(|| tidied(text, &[step]).len()));
    }
    group
        .bench_function("beside: copying the text", |b| b.iter(|| std::hint::black_box(prose.clone()).len()));
    group.finish();
}

criterion_group!(all, benches);
criterion_main!(all);
