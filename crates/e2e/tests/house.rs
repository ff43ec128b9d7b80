//! The house: no file imports one that imports it, arrows between crates and folders point one way, files are small,
//! the core is pure, and the words of the wire stand in one place.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

/// Lines of a product file at most.
const LINES: usize = 500;

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().expect("the root of the repository")
}

fn files_below(dir: &Path, endings: &[&str], found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(dir).expect("a directory").flatten() {
        let path = entry.path();
        if path.is_dir() {
            files_below(&path, endings, found);
        } else if endings.iter().any(|ending| path.to_string_lossy().ends_with(ending)) {
            found.push(path);
        }
    }
}

fn rust_files(krate: &str) -> Vec<PathBuf> {
    let mut found = Vec::new();
    files_below(&root().join("crates").join(krate).join("src"), &[".rs"], &mut found);
    found.sort();
    found
}

/// A source without its comments, and without its test module.
fn code(path: &Path) -> String {
    let text = std::fs::read_to_string(path).expect("a source file");
    let text = text.split("#[cfg(test)]\nmod tests {").next().unwrap_or_default().to_owned();
    let plain = |line: &&str| !line.trim_start().starts_with("//");
    text.lines().filter(plain).map(|line| format!("{line}\n")).collect()
}

/// The modules of a crate: their paths in it (`a::b`), with their files.
fn modules(krate: &str) -> BTreeMap<String, PathBuf> {
    let src = root().join("crates").join(krate).join("src");
    rust_files(krate)
        .into_iter()
        .map(|path| {
            let inside = path.strip_prefix(&src).expect("below").with_extension("");
            let mut parts: Vec<String> =
                inside.components().map(|one| one.as_os_str().to_string_lossy().into_owned()).collect();
            if parts.last().is_some_and(|last| ["mod", "lib", "main"].contains(&last.as_str())) {
                parts.pop();
            }
            (parts.join("::"), path)
        })
        .collect()
}

/// Every path that stands behind `use`, braces spread out.
fn spread(prefix: &str, body: &str, out: &mut Vec<String>) {
    let body = body.trim();
    let Some(open) = body.find('{') else {
        let name = body.split(" as ").next().unwrap_or_default().trim();
        if !name.is_empty() {
            out.push(format!("{prefix}{name}"));
        }
        return;
    };
    let inner = &body[open + 1..body.rfind('}').unwrap_or(body.len())];
    let prefix = format!("{prefix}{}", &body[..open]);
    let (mut depth, mut from) = (0, 0);
    for (at, c) in inner.char_indices() {
        match c {
            '{' => depth += 1,
            '}' => depth -= 1,
            ',' if depth == 0 => {
                spread(&prefix, &inner[from..at], out);
                from = at + 1;
            }
            _ => {}
        }
    }
    spread(&prefix, &inner[from..], out);
}

/// Paths within the crate that a source mentions: by `use`, or written out.
fn mentioned(text: &str) -> Vec<String> {
    let mut found = Vec::new();
    for part in text.split("use ").skip(1) {
        let body = part.split(';').next().unwrap_or_default();
        if ["crate::", "super::", "self::"].iter().any(|start| body.trim_start().starts_with(start)) {
            spread("", body, &mut found);
        }
    }
    for start in ["crate::", "super::"] {
        for (at, _) in text.match_indices(start) {
            let rest: String =
                text[at..].chars().take_while(|c| c.is_alphanumeric() || "_:".contains(*c)).collect();
            found.push(rest.trim_end_matches(':').to_owned());
        }
    }
    found
}

/// What modules hand on under names of their own: `pub use a::b` in `m` makes `m::b` mean `m::a::b`.
fn handed_on(modules: &BTreeMap<String, PathBuf>) -> BTreeMap<String, String> {
    let mut out = BTreeMap::new();
    for (module, path) in modules {
        for part in code(path).split("pub use ").skip(1) {
            let mut paths = Vec::new();
            spread("", part.split(';').next().unwrap_or_default(), &mut paths);
            for path in paths {
                let last = path.rsplit("::").next().unwrap_or_default().to_owned();
                let full = path.strip_prefix("crate::").map(str::to_owned);
                let full = full.unwrap_or_else(|| joined(module, &path));
                out.insert(joined(module, &last), full);
            }
        }
    }
    out
}

fn joined(module: &str, name: &str) -> String {
    if module.is_empty() { name.to_owned() } else { format!("{module}::{name}") }
}

/// The module in which a mentioned thing is defined.
fn home_of(
    path: &str,
    own: &str,
    modules: &BTreeMap<String, PathBuf>,
    handed_on: &BTreeMap<String, String>,
) -> Option<String> {
    let mut full = match path.split_once("::")? {
        ("crate", rest) => rest.to_owned(),
        ("self", rest) => joined(own, rest),
        ("super", _) => {
            let (mut module, mut rest) = (own.to_owned(), path);
            while let Some(inner) = rest.strip_prefix("super::") {
                module = module.rsplit_once("::").map_or(String::new(), |(parent, _)| parent.to_owned());
                rest = inner;
            }
            joined(&module, rest)
        }
        _ => return None,
    };
    for _ in 0..8 {
        // The longest beginning that is handed on from elsewhere is followed.
        let parts: Vec<&str> = full.split("::").collect();
        let step = (1..=parts.len()).rev().find_map(|n| {
            let (head, tail) = (parts[..n].join("::"), parts[n..].join("::"));
            // A module's own name goes before what is handed on under the same one.
            let to = handed_on.get(&head).filter(|_| !modules.contains_key(&head));
            to.map(|to| if tail.is_empty() { to.clone() } else { format!("{to}::{tail}") })
        });
        match step {
            Some(next) if next != full => full = next,
            _ => break,
        }
    }
    let parts: Vec<&str> = full.split("::").collect();
    (0..=parts.len()).rev().map(|n| parts[..n].join("::")).find(|module| modules.contains_key(module))
}

fn find_circle(arrows: &BTreeMap<String, BTreeSet<String>>) -> Option<Vec<String>> {
    fn visit<'a>(
        at: &'a str,
        arrows: &'a BTreeMap<String, BTreeSet<String>>,
        way: &mut Vec<&'a str>,
        done: &mut BTreeSet<&'a str>,
    ) -> Option<Vec<String>> {
        if let Some(from) = way.iter().position(|one| *one == at) {
            return Some(way[from..].iter().chain([&at]).map(|one| (*one).to_owned()).collect());
        }
        if !done.insert(at) {
            return None;
        }
        way.push(at);
        for next in arrows.get(at).into_iter().flatten() {
            if let Some(circle) = visit(next, arrows, way, done) {
                return Some(circle);
            }
        }
        way.pop();
        None
    }
    let mut done = BTreeSet::new();
    arrows.keys().find_map(|start| visit(start, arrows, &mut Vec::new(), &mut done))
}

const CRATES: [&str; 11] =
    ["core", "words", "api", "store", "desk", "sync", "tls", "service", "hub", "client", "e2e"];

#[test]
fn no_file_imports_one_that_imports_it() {
    for krate in CRATES {
        let modules = modules(krate);
        let handed_on = handed_on(&modules);
        let mut arrows: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (module, path) in modules.iter().filter(|(module, _)| !module.ends_with("tests")) {
            // Handing on is no use of one's own.
            let text: String =
                code(path).replace("pub use ", "pub handed_on ").replace("pub(crate) use ", "");
            for path in mentioned(&text) {
                let home = home_of(&path, module, &modules, &handed_on);
                if let Some(home) = home.filter(|home| home != module) {
                    arrows.entry(module.clone()).or_default().insert(home);
                }
            }
        }
        assert!(arrows.len() > 2 || ["e2e", "api", "words"].contains(&krate), "{krate}: {arrows:?}");
        assert_eq!(find_circle(&arrows), None, "in {krate}");
    }
}

#[test]
fn a_circle_would_be_found() {
    let arrows = |pairs: &[(&str, &str)]| {
        let mut out: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
        for (from, to) in pairs {
            out.entry((*from).to_owned()).or_default().insert((*to).to_owned());
        }
        out
    };
    assert_eq!(find_circle(&arrows(&[("a", "b"), ("b", "c"), ("a", "c")])), None);
    assert!(find_circle(&arrows(&[("a", "b"), ("b", "c"), ("c", "a")])).is_some());
    assert_eq!(mentioned("use crate::a::{B, c::{D, E}};\nlet x = crate::f::g(1);").len(), 5);
}

#[test]
fn arrows_between_crates_point_one_way() {
    for (krate, knows) in [
        ("core", &[][..]),
        ("words", &[]),
        ("api", &["core"]),
        ("store", &["core"]),
        ("desk", &["core"]),
        ("sync", &["core"]),
        ("tls", &[]),
        ("service", &["core", "api", "store", "desk", "sync", "hub", "tls", "words"]),
        ("hub", &["core", "store", "sync", "tls"]),
        ("client", &["api", "words"]),
    ] {
        let manifest = std::fs::read_to_string(root().join("crates").join(krate).join("Cargo.toml")).unwrap();
        let manifest = manifest.split("[dev-dependencies]").next().unwrap_or_default();
        let found: BTreeSet<&str> = manifest
            .lines()
            .filter_map(|line| line.strip_prefix("yadori-")?.split(['.', ' ', '=']).next())
            .collect();
        assert_eq!(found, knows.iter().copied().collect(), "{krate}");
    }
}

#[test]
fn inside_the_service_arrows_point_from_http_to_state() {
    let forbidden: &[(&str, &[&str])] = &[
        (
            "home",
            &[
                "state", "writer", "records", "intake", "take", "batches", "chords", "search", "transfer",
                "http", "run",
            ],
        ),
        (
            "state",
            &[
                "writer", "records", "intake", "take", "batches", "chords", "search", "transfer", "http",
                "run",
            ],
        ),
        ("writer", &["intake", "take", "batches", "chords", "search", "transfer", "http", "run"]),
        ("records", &["intake", "take", "transfer", "http", "run"]),
        ("intake", &["take", "batches", "chords", "search", "transfer", "http", "run"]),
        ("take", &["intake", "batches", "chords", "transfer", "writer", "http", "run"]),
        ("batches", &["chords", "transfer", "http", "run"]),
        ("chords", &["transfer", "http", "run"]),
        ("search", &["intake", "take", "transfer", "writer", "http", "run"]),
        ("transfer", &["take", "http", "run"]),
        ("http", &["run"]),
    ];
    for (folder, others) in forbidden {
        let mut files = Vec::new();
        files_below(&root().join("crates/service/src").join(folder), &[".rs"], &mut files);
        for file in files {
            for other in *others {
                let text = code(&file);
                assert!(!text.contains(&format!("crate::{other}::")), "{} knows {other}", file.display());
            }
        }
    }
}

#[test]
fn no_product_file_is_longer_than_a_room_should_be() {
    let mut files = Vec::new();
    for krate in CRATES {
        files.extend(rust_files(krate));
    }
    files_below(&root().join("console/src"), &[".ts", ".svelte"], &mut files);
    for file in files.iter().filter(|path| !path.ends_with("tests.rs") && !path.ends_with("schema.d.ts")) {
        let lines = std::fs::read_to_string(file).unwrap().lines().count();
        assert!(lines <= LINES, "{} has {lines} lines", file.display());
    }
}

#[test]
fn core_and_sync_have_no_io_no_async_no_clock_and_no_randomness() {
    for file in ["core", "sync"].into_iter().flat_map(rust_files) {
        let text = code(&file);
        for word in [
            "std::fs",
            "std::net",
            "std::env",
            "std::process",
            "tokio",
            "async ",
            ".await",
            "SystemTime",
            "Instant::now",
            "Timestamp::now",
            "getrandom",
            "rand::",
            "println!",
        ] {
            assert!(!text.contains(word), "{}: {word}", file.display());
        }
    }
}

#[test]
fn the_words_of_the_wire_stand_in_one_place() {
    for word in ["new-drawer", "remove-drawer", "put-back", "no-room", "unreadable", "dropped", "violet"] {
        let quoted = format!("\"{word}\"");
        let mut places = Vec::new();
        for krate in CRATES {
            places.extend(rust_files(krate).into_iter().filter(|path| code(path).contains(&quoted)));
        }
        assert!(places.len() <= 1, "{word}: {places:?}");
    }
}

/// The last of the types that stand between angle brackets, when there are several.
fn last_of(text: &str) -> Option<&str> {
    let (mut depth, mut last) = (0, None);
    for (at, c) in text.char_indices() {
        match c {
            '<' | '(' => depth += 1,
            '>' if depth == 0 => return last.map(|from| &text[from..at]),
            '>' | ')' => depth -= 1,
            ',' if depth == 0 => last = Some(at + 1),
            _ => {}
        }
    }
    None
}

#[test]
fn no_error_is_a_sentence() {
    for krate in ["core", "store", "desk", "sync", "service", "hub", "client"] {
        for file in rust_files(krate) {
            let text = code(&file);
            let sentence = text.match_indices("Result<").any(|(at, start)| {
                last_of(&text[at + start.len()..]).is_some_and(|last| last.trim() == "String")
            });
            // Where the console is served, or why not, is told in words; so are a field's own.
            let allowed = file.ends_with("state/health.rs");
            assert!(!sentence || allowed, "{}", file.display());
        }
    }
}

#[test]
fn no_file_of_the_console_imports_one_that_imports_it() {
    let src = root().join("console/src");
    let mut files = Vec::new();
    files_below(&src, &[".ts", ".svelte"], &mut files);
    let mut arrows: BTreeMap<String, BTreeSet<String>> = BTreeMap::new();
    for file in &files {
        let text = std::fs::read_to_string(file).unwrap();
        for part in text.split("from '").skip(1) {
            let target = part.split('\'').next().unwrap_or_default();
            if !target.starts_with('.') {
                continue;
            }
            let base = file.parent().unwrap().join(target);
            let candidates = ["", ".ts", ".svelte.ts", "/index.ts"].map(|ending| {
                let mut name = base.clone().into_os_string();
                name.push(ending);
                PathBuf::from(name)
            });
            if let Some(found) = candidates.iter().find(|one| one.is_file()) {
                let name = |path: &Path| path.canonicalize().unwrap().display().to_string();
                arrows.entry(name(file)).or_default().insert(name(found));
            }
        }
    }
    assert!(arrows.len() > 20);
    assert_eq!(find_circle(&arrows), None);
}

fn console_files(folder: &str, endings: &[&str]) -> Vec<(PathBuf, String)> {
    let mut files = Vec::new();
    files_below(&root().join("console/src").join(folder), endings, &mut files);
    let read = |path: PathBuf| {
        let text = std::fs::read_to_string(&path).unwrap();
        (path, text)
    };
    files.into_iter().map(read).collect()
}

#[test]
fn the_state_of_the_console_has_no_effects_of_its_own() {
    let files = console_files("state", &[".ts"]);
    assert!(files.len() > 15);
    for (path, text) in files {
        for word in [
            "window.",
            "document.",
            "localStorage",
            "setTimeout",
            "requestAnimationFrame",
            "fetch(",
            "EventSource(",
        ] {
            assert!(!text.contains(word), "{} has {word}", path.display());
        }
    }
}

#[test]
fn the_keys_of_the_console_stand_in_one_table() {
    for (path, text) in console_files("views", &[".svelte"]) {
        assert!(!text.contains("event.key"), "{} looks at keys by itself", path.display());
        let draws = path.ends_with("parts/KeyHint.svelte") || path.ends_with("help/KeysList.svelte");
        assert!(draws || !text.contains("<kbd"), "{} draws a key by itself", path.display());
    }
}
