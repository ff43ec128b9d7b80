//! Queries against an independent reading of an export: what a query finds is what a plain reader finds among the clips that
//! were written out, whoever asks from whichever zone.

use std::collections::{BTreeMap, BTreeSet};
use std::io::{Read, Write};
use std::path::Path;

use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde_json::{Value, json};
use yadori_e2e::Service;

/// Queries that are asked.
const QUERIES: usize = 300;
/// Where the person sits; the service has another zone.
const HERE: &str = "Asia/Tokyo";

/// A small dice: the same seed throws the same.
struct Dice(u64);

impl Dice {
    fn below(&mut self, n: usize) -> usize {
        // xorshift64* (Marsaglia, 2003).
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_f491_4f6c_dd1d) >> 33) as usize % n
    }

    fn one<'a>(&mut self, of: &[&'a str]) -> &'a str {
        of[self.below(of.len())]
    }
}

const WORDS: [&str; 14] = [
    "bunk",
    "Bunks",
    "Mäkinen",
    "Łódź",
    "Ørsted",
    "œuvre",
    "GAS",
    "oats",
    "half",
    "board",
    "Straße",
    "no–show",
    "Guðrún",
    "10:30",
];
const PROGRAMS: [&str; 3] = ["Writer", "Browser", "Æditor"];
const DRAWERS: [&str; 3] = ["Season opening", "Réplies", "Łists"];

/// Case, accents, strokes and dashes do not matter: as plainly as it can be said.
fn plain(text: &str) -> String {
    let spelled = |c: char| match c {
        'ä' => "a".to_owned(),
        'é' => "e".to_owned(),
        'ó' => "o".to_owned(),
        'ú' => "u".to_owned(),
        'ź' => "z".to_owned(),
        'ł' => "l".to_owned(),
        'ø' => "o".to_owned(),
        'ð' => "d".to_owned(),
        'œ' => "oe".to_owned(),
        'æ' => "ae".to_owned(),
        'ß' => "ss".to_owned(),
        '–' => "-".to_owned(),
        c => c.to_string(),
    };
    text.to_lowercase().chars().map(spelled).collect()
}

/// A clip as the export tells of it.
#[derive(Debug)]
struct Clip {
    id: String,
    texts: Vec<String>,
    kind: String,
    program: String,
    kept: bool,
    drawer: Option<String>,
    titled: bool,
    copied_at: Timestamp,
}

/// A query, and what it means.
#[derive(Debug)]
enum Asks {
    Words(String),
    Kind(&'static str),
    From(&'static str),
    In(&'static str),
    Is(&'static str),
    /// Since or before, as it is written, and the moment.
    Time(bool, String, Timestamp),
    Not(Box<Asks>),
    All(Vec<Asks>),
    Either(Vec<Asks>),
}

impl Asks {
    fn holds(&self, clip: &Clip) -> bool {
        match self {
            Self::Words(words) => clip.texts.iter().any(|text| plain(text).contains(&plain(words))),
            Self::Kind(kind) => clip.kind == *kind,
            Self::From(name) => plain(&clip.program).contains(&plain(name)),
            Self::In(name) => clip.drawer.as_deref() == Some(*name),
            Self::Is("pinned") => clip.kept,
            Self::Is("favorite") => clip.kept && clip.drawer.is_none(),
            Self::Is("drawer") => clip.drawer.is_some(),
            Self::Is(_) => clip.titled,
            Self::Time(since, _, at) => (clip.copied_at >= *at) == *since,
            Self::Not(asks) => !asks.holds(clip),
            Self::All(all) => all.iter().all(|asks| asks.holds(clip)),
            Self::Either(any) => any.iter().any(|asks| asks.holds(clip)),
        }
    }

    fn written(&self) -> String {
        let several = |all: &[Self], between: &str| {
            format!("({})", all.iter().map(Self::written).collect::<Vec<_>>().join(between))
        };
        match self {
            Self::Words(words) if words.contains(' ') => format!("\"{words}\""),
            Self::Words(words) => words.clone(),
            Self::Kind(kind) => format!("kind:{kind}"),
            Self::From(name) => format!("from:{name}"),
            Self::In(name) => format!("in:\"{name}\""),
            Self::Is(what) => format!("is:{what}"),
            Self::Time(since, text, _) => format!("{}:{text}", if *since { "since" } else { "before" }),
            Self::Not(asks) => format!("-{}", asks.written()),
            Self::All(all) => several(all, " "),
            Self::Either(any) => several(any, " OR "),
        }
    }

    fn made(dice: &mut Dice, clips: &[Clip], depth: usize) -> Self {
        match dice.below(if depth > 2 { 10 } else { 14 }) {
            0..=3 => {
                let word = dice.one(&WORDS);
                // A part of a word, as it is typed: without its marks.
                let typed = if dice.below(2) == 0 { plain(word) } else { word.to_owned() };
                let whole = dice.below(3) > 0;
                Self::Words(if whole { typed } else { typed.chars().skip(1).take(2).collect() })
            }
            4 => Self::Words(format!("{} {}", dice.one(&WORDS), plain(dice.one(&WORDS)))),
            5 => Self::Kind(["text", "link"][dice.below(2)]),
            6 => Self::From(dice.one(&["writ", "aeditor", "BROWSER"])),
            7 => Self::In(dice.one(&DRAWERS)),
            8 => Self::Is(["pinned", "favorite", "drawer", "titled"][dice.below(4)]),
            9 => {
                // To the minute, at the clip or a little beside it.
                let at = clips[dice.below(clips.len())].copied_at.as_second() / 60 * 60;
                let at = Timestamp::from_second(at + [0, 60, -3_600][dice.below(3)]).unwrap();
                let civil = |zone: TimeZone| at.to_zoned(zone).strftime("%Y-%m-%dT%H:%M").to_string();
                let text = match dice.below(4) {
                    0 => format!("{}Z", civil(TimeZone::UTC)),
                    1 => format!("{}-08:00", civil(TimeZone::fixed(jiff::tz::offset(-8)))),
                    // As the person reads it on the wall.
                    _ => civil(TimeZone::get(HERE).unwrap()),
                };
                Self::Time(dice.below(2) == 0, text, at)
            }
            10 | 11 => Self::Not(Box::new(Self::made(dice, clips, depth + 1))).once(),
            12 => Self::All((0..2 + dice.below(2)).map(|_| Self::made(dice, clips, depth + 1)).collect()),
            _ => Self::Either((0..2 + dice.below(2)).map(|_| Self::made(dice, clips, depth + 1)).collect()),
        }
    }

    /// Twice turned round is not written.
    fn once(self) -> Self {
        match self {
            Self::Not(inside) if matches!(*inside, Self::Not(_)) => *inside,
            other => other,
        }
    }
}

/// An export written by hand, as docs/formats.md describes it.
fn by_hand(file: &Path, dice: &mut Dice) {
    let mut lines = Vec::new();
    let mut places: BTreeMap<Option<&str>, u64> = BTreeMap::new();
    for n in 0..150_i64 {
        let words: Vec<&str> = (0..1 + dice.below(5)).map(|_| dice.one(&WORDS)).collect();
        let text = match dice.below(5) {
            0 => format!("https://hut.example/{n}/{}", plain(words[0])),
            _ => format!("{} {n}", words.join(" ")),
        };
        let at = Timestamp::from_second(1_793_000_000 + n * 4_111).unwrap();
        let mut clip = json!({
            "representations": [{ "mime": "text/plain", "text": text }],
            "copied_at": at.to_string(),
            "source": { "program": dice.one(&PROGRAMS), "window": format!("window of {}", dice.one(&WORDS)) },
        });
        if dice.below(4) == 0 {
            clip["title"] = json!(format!("Title {}", dice.one(&WORDS)));
        }
        if dice.below(3) == 0 {
            let drawer = (dice.below(3) > 0).then(|| dice.one(&DRAWERS));
            let place = places.entry(drawer).or_default();
            *place += 1;
            clip["kept"] = json!({ "place": *place });
            if let Some(drawer) = drawer {
                clip["kept"]["drawer"] = json!(drawer);
            }
        }
        lines.push(clip.to_string());
    }
    let mut zip = zip::ZipWriter::new(std::fs::File::create(file).unwrap());
    let mut entry = |name: &str, text: String| {
        zip.start_file(name, zip::write::SimpleFileOptions::default()).unwrap();
        zip.write_all(text.as_bytes()).unwrap();
    };
    let head = json!({ "yadori_export": 2, "made_by": "a person", "made_at": "2026-11-20T09:00:00Z", "clips": lines.len() });
    entry("yadori-export.json", head.to_string());
    let drawers: Vec<Value> = DRAWERS.iter().map(|name| json!({ "name": name, "dividers": [] })).collect();
    entry("drawers.json", json!(drawers).to_string());
    entry("clips/000000.jsonl", lines.join("\n") + "\n");
    entry("end.json", json!({ "clips": lines.len(), "left_out": [] }).to_string());
    zip.finish().unwrap();
}

/// The clips of an export, by its own description alone.
fn read(file: &Path) -> Vec<Clip> {
    let mut zip = zip::ZipArchive::new(std::fs::File::open(file).unwrap()).unwrap();
    let mut clips = Vec::new();
    for n in 0..zip.len() {
        let mut entry = zip.by_index(n).unwrap();
        if !entry.name().starts_with("clips/") {
            continue;
        }
        let mut text = String::new();
        entry.read_to_string(&mut text).unwrap();
        for line in text.lines() {
            let clip: Value = serde_json::from_str(line).unwrap();
            let word = |value: &Value| value.as_str().map(str::to_owned);
            let source = &clip["source"];
            let drawer = word(&clip["kept"]["drawer"]);
            let texts = [
                &clip["representations"][0]["text"],
                &clip["title"],
                &source["program"],
                &source["window"],
                &clip["kept"]["drawer"],
            ];
            clips.push(Clip {
                id: word(&clip["id"]).unwrap(),
                texts: texts.into_iter().filter_map(word).collect(),
                kind: word(&clip["kind"]).unwrap(),
                program: word(&source["program"]).unwrap_or_default(),
                kept: clip["kept"].is_object(),
                drawer,
                titled: clip["title"].is_string(),
                copied_at: word(&clip["copied_at"]).unwrap().parse().unwrap(),
            });
        }
    }
    clips
}

/// What the client finds.
fn found(service: &Service, query: &[String]) -> Result<BTreeSet<String>, String> {
    let mut arguments = vec!["list", "--json", "-n", "500", "--"];
    arguments.extend(query.iter().map(String::as_str));
    let done = service.client_command(&arguments).env("TZ", HERE).output().unwrap();
    // 4: nothing matches.
    if !matches!(done.status.code(), Some(0 | 4)) {
        return Err(String::from_utf8_lossy(&done.stderr).into_owned());
    }
    let found: Value = serde_json::from_slice(&done.stdout).unwrap();
    let id = |hit: &Value| hit["id"].as_str().map(str::to_owned);
    let hits = found["clips"].as_array().unwrap();
    assert_eq!(done.status.code() == Some(4), hits.is_empty());
    Ok(hits.iter().filter_map(id).collect())
}

/// What the interface finds: ids one after the other.
fn found_by(service: &Service, key: &str, query: &[String]) -> Result<BTreeSet<String>, String> {
    let escaped = |text: &str| text.bytes().map(|byte| format!("%{byte:02x}")).collect::<String>();
    let (q, zone) = (escaped(&query.join(" ")), escaped(HERE));
    let address = format!("{}/api/v1/search/outline?q={q}&zone={zone}", service.address());
    let answer = ureq::get(address).header("authorization", format!("Bearer {key}")).call();
    let text =
        answer.map_err(|why| why.to_string())?.into_body().read_to_string().map_err(|why| why.to_string())?;
    let outline: Value = serde_json::from_str(&text).map_err(|why| why.to_string())?;
    let ids = outline["ids"].as_str().unwrap_or_default().as_bytes();
    Ok(ids.chunks(26).map(|id| String::from_utf8_lossy(id).into_owned()).collect())
}

#[test]
fn a_query_finds_what_a_plain_reader_finds_in_an_export() {
    let seed = 0x9e37_79b9_7f4a_7c15;
    let mut dice = Dice(seed);
    let service = Service::configured_among("", &[("TZ", "Europe/Berlin")]);
    let scratch = tempfile::tempdir().unwrap();
    let [hand, out] = ["hand.zip", "all.zip"].map(|name| scratch.path().join(name));
    by_hand(&hand, &mut dice);
    service.yadori(&["import", hand.to_str().unwrap()]);
    service.yadori(&["export", out.to_str().unwrap()]);
    let clips = read(&out);
    assert!(clips.len() > 100, "{}", clips.len());
    let (mut some, mut all) = (0, 0);
    let key = service.key();
    for n in 0..QUERIES {
        let asked: Vec<Asks> = (0..1 + dice.below(3)).map(|_| Asks::made(&mut dice, &clips, 0)).collect();
        let wanted: BTreeSet<String> = clips
            .iter()
            .filter(|clip| asked.iter().all(|asks| asks.holds(clip)))
            .map(|clip| clip.id.clone())
            .collect();
        let query: Vec<String> = asked.iter().map(Asks::written).collect();
        // The client is a process for each.
        let told = if n % 10 == 0 { found(&service, &query) } else { found_by(&service, &key, &query) };
        let told = told.unwrap_or_else(|why| panic!("query {n}, {query:?}: {why}"));
        assert_eq!(told, wanted, "query {n} of seed {seed:#x}: {query:?}");
        some += usize::from(!wanted.is_empty());
        all += usize::from(wanted.len() == clips.len());
    }
    // They tell clips apart.
    assert!(some > QUERIES / 3 && all < QUERIES / 10, "{some} found something, {all} everything");
}

#[test]
fn a_person_at_the_command_line_finds_phrases_places_and_the_oldest() {
    let service = Service::without_desk();
    service.add(&[
        "half board, 12 nights",
        "board of the half hut",
        "draft of a letter",
        "gas 11 kg",
        "oil 5 l",
    ]);
    let shown = |arguments: &[&str]| -> Vec<String> {
        let head = |row: &Value| Some(row["head"].as_str()?.chars().take(9).collect::<String>());
        service.listed(arguments).iter().filter_map(head).collect()
    };
    assert_eq!(shown(&["half board"]), ["half boar"]);
    assert_eq!(shown(&["half", "board"]), ["board of ", "half boar"]);
    assert_eq!(shown(&["board", "-draft", "-nights"]), ["board of "]);
    assert_eq!(shown(&["-draft", "-board"]), ["oil 5 l", "gas 11 kg"]);
    assert_eq!(shown(&["gas OR oil"]), ["oil 5 l", "gas 11 kg"]);
    assert_eq!(shown(&["(gas", "OR", "oil)", "-kg"]), ["oil 5 l"]);
    assert_eq!(shown(&["--oldest-first", "-n", "2"]), ["half boar", "board of "]);
    assert_eq!(shown(&["board", "--oldest-first", "-n", "1"]), ["half boar"]);
    assert_eq!(shown(&["-n2"]), ["oil 5 l", "gas 11 kg"]);
    service.yadori(&["pin", "2"]);
    service.yadori(&["drawer", "new", "Replies"]);
    service.yadori(&["drawer", "put", "Replies", "3"]);
    service.yadori(&["pin", "5"]);
    assert_eq!(shown(&["-f", "-n", "1"]).len(), 1, "what is asked for is obeyed");
    assert_eq!(shown(&["-f", "gas"]), ["gas 11 kg"]);
    assert_eq!(shown(&["-f", "letter"]), Vec::<String>::new());
    assert_eq!(shown(&["-d", "Replies", "letter"]), ["draft of "]);
    assert_eq!(shown(&["-d", "Replies", "gas"]), Vec::<String>::new());
    let refused = |arguments: &[&str], words: &str| {
        let done = service.client(arguments);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success() && said.contains(words), "{arguments:?}: {said}");
    };
    refused(&["list", "-f", "--oldest-first"], "in their own order");
    refused(&["list", "-d", "Nothing", "gas"], "There is no such drawer");
    refused(&["list", "gas OR"], "after OR");
    refused(&["list", "(gas"], "not closed");
    refused(&["list", "since:2026-11-10T09:30+99:00"], "a time such as");
}
