//! `make bench`: searching as one types, newest 50, beside SQLite FTS5 (trigram), SQLite LIKE and MariaDB FULLTEXT on
//! the same seeded corpus and queries, in the same run. Writes a table to standard output; ratios are what to compare.
//! Usage: search [alone] [CLIPS...]; alone: without the rivals.
#![expect(clippy::print_stdout, reason = "printing the table is what this is for")]

use std::time::{Duration, Instant};

use anyhow::{Result, ensure};
use jiff::tz::TimeZone;
use sqlx::Row;
use sqlx::mysql::{MySqlConnectOptions, MySqlPool};
use yadori_core::search::when::Here;
use yadori_core::search::{Corpus, Index, Query, Text};
use yadori_core::text::fold::fold;
use yadori_core::{Class, Clip, ClipId, ClipState, DeviceId, Drawers, Facts, OfferRecord, Stamp};
use yadori_e2e::until_within;
use yadori_store::server::{PrivateServer, ServerPaths, ServerState, current_user};

const QUERIES: usize = 207;
const NEWEST: usize = 50;
const REMOVALS: usize = 25;

fn main() -> Result<()> {
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    println!("| clips | method | p50 ms | p99 ms | p99 to ours | memory or index | build |");
    println!("| --- | --- | --- | --- | --- | --- | --- |");
    let given: Vec<String> = std::env::args().skip(1).collect();
    let alone = given.iter().any(|one| one == "alone");
    let counts: Vec<usize> = given.iter().filter_map(|one| one.parse().ok()).collect();
    for count in if counts.is_empty() { vec![100_000, 1_000_000] } else { counts } {
        let texts = corpus(count);
        let queries = queries(&texts);
        let (ours, removals, found) = ours(&texts, &queries)?;
        print(count, "ours: sealed texts, the rest by a scan", &ours, &ours);
        print(count, "ours: a removal, which overwrites the seal above it", &removals, &ours);
        if alone {
            let mut slowest: Vec<(f64, &String, usize)> = queries
                .iter()
                .zip(&found)
                .zip(&ours.times)
                .map(|((query, found), time)| (*time, query, found.len()))
                .collect();
            slowest.sort_by(|one, other| other.0.total_cmp(&one.0));
            for (time, query, found) in slowest.iter().take(12) {
                println!("slow: {time:.3} ms for {query:?}, {found} found");
            }
            continue;
        }
        let (fts, like) = sqlite(&texts, &queries, &found)?;
        print(count, "SQLite FTS5, trigram (LIKE below 3 characters)", &fts, &ours);
        print(count, "SQLite LIKE", &like, &ours);
        if count <= 100_000 {
            let full = runtime.block_on(mariadb(&texts, &queries))?;
            print(count, "MariaDB FULLTEXT, words by their beginning", &full, &ours);
        }
    }
    Ok(())
}

struct Measured {
    times: Vec<f64>,
    size: u64,
    build: Duration,
}

fn at(values: &[f64], part: f64) -> f64 {
    let mut values = values.to_vec();
    values.sort_by(f64::total_cmp);
    values[((values.len() - 1) as f64 * part).round() as usize]
}

fn print(count: usize, name: &str, one: &Measured, ours: &Measured) {
    println!(
        "| {count} | {name} | {:.3} | {:.2} | {:.1} × | {:.0} MB | {:.1} s |",
        at(&one.times, 0.5),
        at(&one.times, 0.99),
        at(&one.times, 0.99) / at(&ours.times, 0.99),
        one.size as f64 / 1e6,
        one.build.as_secs_f64()
    );
}

/// A seeded source of numbers (splitmix64), so that every run has the same corpus.
struct Dice(u64);

impl Dice {
    fn roll(&mut self) -> u64 {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        z ^ (z >> 31)
    }

    fn below(&mut self, end: usize) -> usize {
        (self.roll() % end as u64) as usize
    }

    fn share(&mut self) -> f64 {
        (self.roll() >> 11) as f64 / (1u64 << 53) as f64
    }
}

const STEMS: [&str; 72] = [
    "hut",
    "bunk",
    "ridge",
    "weather",
    "booking",
    "arrival",
    "supply",
    "candle",
    "lentil",
    "permit",
    "closure",
    "snow",
    "path",
    "river",
    "valley",
    "order",
    "invoice",
    "deposit",
    "guest",
    "group",
    "réservation",
    "arrivée",
    "été",
    "forêt",
    "neige",
    "chemin",
    "clé",
    "fenêtre",
    "Hütte",
    "Straße",
    "Übernachtung",
    "Gäste",
    "Schlüssel",
    "Wäsche",
    "Bestellung",
    "mañana",
    "niño",
    "refugio",
    "camino",
    "llave",
    "nieve",
    "reserva",
    "pequeño",
    "山小屋",
    "予約",
    "宿泊",
    "天気",
    "登山道",
    "夕食",
    "毛布",
    "ストーブ",
    "ガイド",
    "fn main",
    "let mut",
    "return",
    "struct",
    "import",
    "function",
    "const",
    "SELECT",
    "WHERE",
    "https://",
    "example.org",
    "/var/log",
    "/etc/",
    "index.html",
    "2031-06-14",
    "+00 555",
    "0142",
    "kg",
    "€",
    "№",
];

/// Texts with the sizes that copies have: mostly a line, sometimes a page.
fn corpus(count: usize) -> Vec<String> {
    let mut dice = Dice(0x9e37);
    let words: Vec<String> = (0..20_000)
        .map(|n| {
            let stem = STEMS[n % STEMS.len()];
            if n < STEMS.len() { stem.to_owned() } else { format!("{stem}{}", suffix(&mut dice)) }
        })
        .collect();
    (0..count)
        .map(|_| {
            let spread = dice.share();
            let length = match spread {
                s if s < 0.75 => 2 + dice.below(10),
                s if s < 0.97 => 10 + dice.below(30),
                _ => 60 + dice.below(400),
            };
            let mut text = String::new();
            for _ in 0..length {
                // Zipf: the n-th word about as often as 1/n.
                let n = (words.len() as f64).powf(dice.share()) as usize;
                text.push_str(&words[n.min(words.len() - 1)]);
                text.push(if dice.below(12) == 0 { '\n' } else { ' ' });
            }
            text
        })
        .collect()
}

fn suffix(dice: &mut Dice) -> String {
    let syllables = ["er", "en", "ing", "lo", "ka", "mi", "to", "ren", "sa", "ul", "ost", "ié"];
    (0..1 + dice.below(3)).map(|_| syllables[dice.below(syllables.len())]).collect()
}

/// What people type: the beginnings of things that are there, and some that are not.
fn queries(texts: &[String]) -> Vec<String> {
    let mut dice = Dice(0x51ed);
    (0..QUERIES)
        .map(|n| {
            let length = 1 + n % 12;
            if n % 9 == 8 {
                return format!("zq{}", suffix(&mut dice)).chars().take(length.max(3)).collect();
            }
            let chars: Vec<char> = fold(&texts[dice.below(texts.len())]).chars().collect();
            let from = dice.below(chars.len().saturating_sub(length).max(1));
            let part: String = chars[from..(from + length).min(chars.len())].iter().collect();
            let part = part.trim().replace('\n', " ");
            if part.is_empty() || part.contains('"') { "hut".into() } else { part }
        })
        .collect()
}

fn clip(n: usize, text: &str) -> Clip {
    let device = DeviceId([1; 16]);
    let mut state = ClipState::default();
    let offer = OfferRecord { representations: Vec::new(), ..OfferRecord::default() };
    state.capture(offer, n as i64 + 1, Stamp { wall_ms: n as u64 + 1, counter: 0, device });
    let id = ClipId::of(Class::Text, &[&(n as u64).to_le_bytes()]);
    Clip {
        id,
        state,
        facts: Facts::of_text(text, text.len() as u64, false),
        ordered_at: n as i64 + 1,
        held: yadori_core::history::stored::Held::Recorded,
    }
}

fn ours(texts: &[String], queries: &[String]) -> Result<(Measured, Measured, Vec<Vec<usize>>)> {
    let mut corpus = Corpus::default();
    let drawers = Drawers::default();
    let started = Instant::now();
    let mut numbers = std::collections::HashMap::new();
    for (n, text) in texts.iter().enumerate() {
        let clip = clip(n, text);
        numbers.insert(clip.id, n);
        corpus.put(&clip, &drawers, Text::Whole(text));
    }
    while let Some(sealing) = corpus.unsealed(&|_| false) {
        ensure!(corpus.put_seal(sealing.seal()).is_some(), "what is below a seal has changed");
    }
    let build = started.elapsed();
    let here = Here { now: 0, zone: TimeZone::UTC };
    let mut times = Vec::new();
    let mut found = Vec::new();
    for round in 0..3 {
        for query in queries {
            let started = Instant::now();
            let query = Query::parse(&format!("\"{query}\""), &here)?;
            let hits = corpus.find(&query, &drawers, NEWEST, &|| true).unwrap_or_default();
            let time = started.elapsed().as_secs_f64() * 1e3;
            if round > 0 {
                times.push(time);
            } else {
                found.push(hits.ids.iter().filter_map(|id| numbers.get(id).copied()).collect());
            }
        }
    }
    let size = (corpus.texts().bytes() + corpus.texts().seal_bytes()) as u64;
    // A removal overwrites the seal above it, and nothing else is done meanwhile.
    let mut removals = Measured { times: Vec::new(), size, build: Duration::ZERO };
    for n in 0..REMOVALS {
        let id = clip(n * texts.len() / REMOVALS, "").id;
        let started = Instant::now();
        corpus.remove(id);
        removals.times.push(started.elapsed().as_secs_f64() * 1e3);
    }
    Ok((Measured { times, size, build }, removals, found))
}

fn sqlite(texts: &[String], queries: &[String], found: &[Vec<usize>]) -> Result<(Measured, Measured)> {
    let scratch = tempfile::tempdir()?;
    let path = scratch.path().join("rival.db");
    let db = rusqlite::Connection::open(&path)?;
    db.execute_batch(
        "PRAGMA journal_mode=WAL; PRAGMA cache_size=-400000; PRAGMA mmap_size=2000000000;
         CREATE TABLE plain (id INTEGER PRIMARY KEY, body TEXT);
         CREATE VIRTUAL TABLE grams USING fts5 (body, tokenize = 'trigram', detail = full);",
    )?;
    let folded: Vec<String> = texts.iter().map(|text| fold(text)).collect();
    let fill = |sql: &str| -> Result<Duration> {
        let started = Instant::now();
        db.execute_batch("BEGIN")?;
        let mut insert = db.prepare(sql)?;
        for (n, text) in folded.iter().enumerate() {
            insert.execute((n as i64, text))?;
        }
        db.execute_batch("COMMIT")?;
        Ok(started.elapsed())
    };
    let like_build = fill("INSERT INTO plain (id, body) VALUES (?1, ?2)")?;
    let plain_size = std::fs::metadata(&path)?.len() + wal(&path);
    let mut gram_build = fill("INSERT INTO grams (rowid, body) VALUES (?1, ?2)")?;
    let started = Instant::now();
    db.execute_batch("INSERT INTO grams (grams) VALUES ('optimize'); PRAGMA wal_checkpoint(TRUNCATE);")?;
    gram_build += started.elapsed();
    let gram_size = std::fs::metadata(&path)?.len().saturating_sub(plain_size);
    let mut like =
        db.prepare("SELECT id FROM plain WHERE body LIKE ?1 ESCAPE '\\' ORDER BY id DESC LIMIT 50")?;
    let mut grams = db.prepare("SELECT rowid FROM grams WHERE body MATCH ?1 ORDER BY rowid DESC LIMIT 50")?;
    let mut measured = [
        Measured { times: Vec::new(), size: gram_size, build: gram_build },
        Measured { times: Vec::new(), size: plain_size, build: like_build },
    ];
    for round in 0..2 {
        for (query, ours) in queries.iter().zip(found) {
            let pattern =
                format!("%{}%", query.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_"));
            let started = Instant::now();
            let by_like: Vec<usize> = rows(&mut like, &pattern)?;
            let like_time = started.elapsed().as_secs_f64() * 1e3;
            let started = Instant::now();
            let by_grams = if query.chars().count() >= 3 {
                rows(&mut grams, &format!("\"{query}\""))?
            } else {
                rows(&mut like, &pattern)?
            };
            let gram_time = started.elapsed().as_secs_f64() * 1e3;
            if round == 0 {
                // The rivals find the same: what is measured is the same work.
                ensure!(by_like == *ours, "LIKE and ours differ for {query:?}");
                ensure!(
                    by_grams == *ours || by_grams.len() == ours.len(),
                    "FTS5 and ours differ for {query:?}"
                );
                continue;
            }
            measured[0].times.push(gram_time);
            measured[1].times.push(like_time);
        }
    }
    let [grams, like] = measured;
    Ok((grams, like))
}

fn wal(path: &std::path::Path) -> u64 {
    std::fs::metadata(path.with_extension("db-wal")).map_or(0, |one| one.len())
}

fn rows(statement: &mut rusqlite::Statement<'_>, value: &str) -> Result<Vec<usize>> {
    let found = statement.query_map([value], |row| row.get::<_, i64>(0))?;
    Ok(found.collect::<Result<Vec<i64>, _>>()?.into_iter().map(|n| n as usize).collect())
}

async fn mariadb(texts: &[String], queries: &[String]) -> Result<Measured> {
    let scratch = tempfile::Builder::new().prefix("yadori-rival-").tempdir()?;
    let socket = scratch.path().join("s");
    let paths = ServerPaths {
        data: scratch.path().join("records"),
        socket: socket.clone(),
        log: scratch.path().join("log"),
    };
    let mut server = PrivateServer::start(paths)?;
    until_within("the rival's server", Duration::from_secs(60), || {
        matches!(*server.state().borrow(), ServerState::Ready).then_some(())
    });
    let options = MySqlConnectOptions::new().socket(&socket).username(&current_user()?);
    let pool = MySqlPool::connect_with(options).await?;
    sqlx::query("CREATE DATABASE rival CHARACTER SET utf8mb4").execute(&pool).await?;
    sqlx::query(
        "CREATE TABLE rival.plain (id INT PRIMARY KEY, body LONGTEXT, FULLTEXT (body)) ENGINE = InnoDB",
    )
    .execute(&pool)
    .await?;
    let started = Instant::now();
    for (part, some) in texts.chunks(500).enumerate() {
        let mut sql = sqlx::QueryBuilder::<sqlx::MySql>::new("INSERT INTO rival.plain (id, body) ");
        sql.push_values(some.iter().enumerate(), |mut row, (n, text)| {
            row.push_bind((part * 500 + n) as i32).push_bind(fold(text));
        });
        sql.build().execute(&pool).await?;
    }
    let build = started.elapsed();
    let mut times = Vec::new();
    for query in queries {
        let words: String = query
            .split(|c: char| !c.is_alphanumeric())
            .filter(|word| !word.is_empty())
            .map(|word| format!("+{word}* "))
            .collect();
        let started = Instant::now();
        let found = sqlx::query("SELECT id FROM rival.plain WHERE MATCH (body) AGAINST (? IN BOOLEAN MODE) ORDER BY id DESC LIMIT 50")
            .bind(words)
            .fetch_all(&pool)
            .await;
        if let Ok(rows) = found {
            let _: Vec<i32> = rows.iter().map(|row| row.get(0)).collect();
        }
        times.push(started.elapsed().as_secs_f64() * 1e3);
    }
    let files = std::fs::read_dir(scratch.path().join("records/rival"))?;
    let size = files.flatten().filter_map(|file| file.metadata().ok()).map(|one| one.len()).sum();
    pool.close().await;
    server.stop();
    Ok(Measured { times, size, build })
}
