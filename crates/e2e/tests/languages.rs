//! Other languages: whatever the client says stands in its catalogue and nowhere else, the service answers in the language of
//! whoever asks, and the console changes its language in every window at once.

use std::collections::{BTreeMap, BTreeSet};
use std::path::{Path, PathBuf};

use anyhow::Result;
use proc_macro2::{Delimiter, TokenStream, TokenTree};
use serde_json::json;
use yadori_e2e::{Browser, PAGES, Service};

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// Messages of a catalogue by their English words, with the words for many where numbers are said.
fn messages(part: &str) -> Vec<(String, Option<String>, String)> {
    let file = root().join("locales").join(part).join("ja.po");
    let read = polib::po_file::parse(&file).expect("a catalogue");
    let said = |one: &dyn polib::message::MessageView| {
        if one.is_plural() {
            one.msgstr_plural().unwrap()[0].clone()
        } else {
            one.msgstr().unwrap().to_owned()
        }
    };
    let many = |one: &dyn polib::message::MessageView| one.msgid_plural().ok().map(str::to_owned);
    read.messages()
        .map(|one| (one.msgid().to_owned(), many(one).filter(|_| one.is_plural()), said(one)))
        .collect()
}

/// Messages of a catalogue by their English words.
fn catalogue(part: &str) -> BTreeMap<String, String> {
    messages(part).into_iter().map(|(english, _, said)| (english, said)).collect()
}

/// The value of a token that is a string.
fn string(token: &TokenTree) -> Option<String> {
    let TokenTree::Literal(literal) = token else { return None };
    Some(syn::parse_str::<syn::LitStr>(&literal.to_string()).ok()?.value())
}

/// What a source says, and what it says outside of the catalogues.
#[derive(Default)]
struct Said {
    messages: BTreeSet<String>,
    outside: Vec<String>,
}

/// What is no language: names of commands and formats, parts of a protocol, what other libraries say.
const NOT_LANGUAGE: [&str; 27] = [
    "yadori: {",
    "yadori pick",
    "yadori batch",
    "yadori take",
    "error: ",
    "invalid digit",
    "parse integer",
    "number too",
    " is not in ",
    "text /",
    "text ",
    "link ",
    "is:drawer",
    "{:.1}",
    "# Written by `yadori",
    "riverctl spawn",
    "in ~/.config",
    "exec --no",
    "in its [autostart]",
    "{MARK}",
    "event: ",
    "data: ",
    "Tab",
    "one digit",
    "it says how",
    "yadori pause",
    "\u{1b}",
];
const MONTHS: [&str; 12] =
    ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"];

/// Whether a text is to be read by people: two words, or one with a capital letter.
fn is_words(text: &str) -> bool {
    let mut bare = String::new();
    let mut depth = 0;
    for c in text.chars() {
        depth += i32::from(c == '{') - i32::from(c == '}');
        if depth == 0 && c != '}' {
            bare.push(c);
        }
    }
    let words =
        bare.split_whitespace().filter(|word| word.chars().filter(char::is_ascii_alphabetic).count() > 1);
    let named = bare.chars().next().is_some_and(|c| c.is_ascii_uppercase())
        && bare.chars().skip(1).all(|c| c.is_ascii_lowercase())
        && bare.len() > 1;
    let excepted = NOT_LANGUAGE.iter().any(|one| text.starts_with(one)) || MONTHS.contains(&text);
    !excepted && (named || words.count() > 1)
}

fn read(tokens: TokenStream, said: &mut Said) {
    let all: Vec<TokenTree> = tokens.into_iter().collect();
    let mut at = 0;
    while at < all.len() {
        let punct = |n: usize, c: char| matches!(all.get(n), Some(TokenTree::Punct(p)) if p.as_char() == c);
        match &all[at] {
            // Attributes: the help has a test of its own. Tests are for nobody to read.
            TokenTree::Punct(p) if p.as_char() == '#' => {
                let group = if punct(at + 1, '!') { at + 2 } else { at + 1 };
                let Some(TokenTree::Group(attribute)) = all.get(group) else {
                    at += 1;
                    continue;
                };
                let words = attribute.to_string().replace(' ', "");
                if words.starts_with("[error(") {
                    read_error(attribute.stream(), said);
                }
                at = group + 1;
                if words == "[cfg(test)]" {
                    while at < all.len()
                        && !matches!(&all[at], TokenTree::Group(g) if g.delimiter() == Delimiter::Brace)
                    {
                        at += 1;
                    }
                    at += 1;
                }
            }
            TokenTree::Ident(name) => {
                let name = name.to_string();
                let is_macro = punct(at + 1, '!');
                let group = if is_macro { at + 2 } else { at + 1 };
                at += 1;
                let Some(TokenTree::Group(given)) = all.get(group) else { continue };
                let says = if is_macro { ["said", "word"] } else { ["count_of", "counted"] };
                if !says.contains(&name.as_str()) {
                    continue;
                }
                let strings: Vec<String> =
                    given.stream().into_iter().filter_map(|one| string(&one)).collect();
                match (name.as_str(), strings.as_slice()) {
                    ("count_of", [one]) => drop(said.messages.insert(format!("{{n}} {one}"))),
                    ("said" | "word" | "counted", [one, ..]) => drop(said.messages.insert(one.clone())),
                    _ => {}
                }
                // What is put into the holes may say something as well.
                let rest = given.stream().into_iter().filter(|one| string(one).is_none()).collect();
                read(rest, said);
                at = group + 1;
            }
            TokenTree::Group(group) => {
                read(group.stream(), said);
                at += 1;
            }
            token => {
                said.outside.extend(string(token).filter(|text| is_words(text)));
                at += 1;
            }
        }
    }
}

/// `#[error("{}", said!("…"))]` says what stands in it; `#[error("…")]` would say it in English alone.
fn read_error(attribute: TokenStream, said: &mut Said) {
    let inside = attribute.into_iter().find_map(|one| match one {
        TokenTree::Group(group) => Some(group.stream()),
        _ => None,
    });
    read(inside.unwrap_or_default(), said);
}

fn sources(folder: &Path, found: &mut Vec<PathBuf>) {
    for entry in std::fs::read_dir(folder).unwrap().flatten() {
        let path = entry.path();
        if path.is_dir() {
            sources(&path, found);
        } else if path.extension().is_some_and(|one| one == "rs") {
            found.push(path);
        }
    }
}

#[test]
fn whatever_the_client_says_stands_in_its_catalogue_and_nothing_stands_outside() {
    let mut files = Vec::new();
    sources(&root().join("crates/client/src"), &mut files);
    let (mut messages, mut outside) = (BTreeSet::new(), Vec::new());
    for file in &files {
        let mut said = Said::default();
        read(std::fs::read_to_string(file).unwrap().parse().expect("Rust"), &mut said);
        messages.extend(said.messages);
        let name = file.file_name().unwrap().to_string_lossy().into_owned();
        outside.extend(said.outside.into_iter().map(|text| format!("{name}: {text}")));
    }
    assert!(files.len() > 50 && messages.len() > 500, "{} files, {} messages", files.len(), messages.len());
    assert_eq!(outside, Vec::<String>::new());
    let known = catalogue("client");
    let lacks: Vec<_> = messages.iter().filter(|one| known.get(*one).is_none_or(String::is_empty)).collect();
    assert_eq!(lacks, Vec::<&String>::new(), "not in the catalogue");
    // What the service says by itself, on the desktop, is marked as the client's words are.
    let mut files = Vec::new();
    sources(&root().join("crates/service/src"), &mut files);
    let of_service = catalogue("service");
    for file in &files {
        let mut said = Said::default();
        read(std::fs::read_to_string(file).unwrap().parse().expect("Rust"), &mut said);
        let lacks: Vec<_> =
            said.messages.iter().filter(|one| of_service.get(*one).is_none_or(String::is_empty)).collect();
        assert_eq!(lacks, Vec::<&String>::new(), "not in the catalogue, of {}", file.display());
    }
    let unsaid: Vec<_> = known.keys().filter(|one| !messages.contains(*one)).collect();
    assert_eq!(unsaid, Vec::<&String>::new(), "said by nobody");
}

/// The strings of a source, and those of them that are the words of an error (`#[error("…")]`).
fn strings(tokens: TokenStream, all: &mut BTreeSet<String>, errors: &mut BTreeSet<String>) {
    let mut before = None;
    for token in tokens {
        if let TokenTree::Group(group) = &token {
            let of_error = matches!(&before, Some(TokenTree::Ident(name)) if *name == "error");
            let first = group.stream().into_iter().next().filter(|_| of_error);
            errors.extend(first.as_ref().and_then(string));
            strings(group.stream(), all, errors);
        }
        all.extend(string(&token));
        before = Some(token);
    }
}

/// What goes wrong is told by the parts that answer, wherever it was found.
#[test]
fn whatever_goes_wrong_can_be_told_in_the_other_language_and_nothing_is_translated_that_nobody_says() {
    let (mut all, mut errors) = (BTreeSet::new(), BTreeSet::new());
    let mut files = Vec::new();
    for part in ["core", "desk", "service", "store", "sync"] {
        sources(&root().join(format!("crates/{part}/src")), &mut files);
    }
    for file in files.iter().filter(|file| !file.ends_with("tests.rs")) {
        strings(std::fs::read_to_string(file).unwrap().parse().expect("Rust"), &mut all, &mut errors);
    }
    let words = |text: &String| {
        let bare = text.split('{').map(|part| part.split_once('}').map_or(part, |(_, after)| after));
        bare.flat_map(str::split_whitespace)
            .any(|word| word.chars().filter(char::is_ascii_alphabetic).count() > 1)
    };
    let details = catalogue("details");
    let others = ["service", "client"].map(catalogue);
    let known =
        |text: &&String| details.contains_key(*text) || others.iter().any(|other| other.contains_key(*text));
    let lacks: Vec<_> = errors.iter().filter(|text| words(text) && !known(text)).collect();
    assert!(errors.len() > 250, "{}", errors.len());
    assert_eq!(lacks, Vec::<&String>::new(), "not in the catalogue");
    let unsaid: Vec<_> = details.keys().filter(|text| !all.contains(*text)).collect();
    assert_eq!(unsaid, Vec::<&String>::new(), "said by nobody");
    let silent: Vec<_> =
        details.iter().filter(|(english, said)| !is_japanese(said) && words(english)).collect();
    assert!(silent.len() < 4, "{silent:?}");
}

#[test]
fn a_text_outside_the_catalogue_would_be_found() {
    let of = |source: &str| {
        let mut said = Said::default();
        read(source.parse().expect("Rust"), &mut said);
        (said.messages.into_iter().collect::<Vec<_>>(), said.outside)
    };
    let (messages, outside) =
        of(r#"fn f() { g(said!("no {name} here", name = if x { "an old one" } else { word!("Name") })) }"#);
    assert_eq!(
        (messages, outside),
        (vec!["Name".into(), "no {name} here".into()], vec!["an old one".to_owned()])
    );
    assert_eq!(
        of(r#"#[error("it went wrong")] A, #[error("{}", said!("so it is"))] B"#).1,
        ["it went wrong"]
    );
    assert_eq!(
        of(r#"const A: &str = "kind:link"; #[cfg(test)] mod tests { const B: &str = "two words"; }"#).1,
        Vec::<String>::new()
    );
    assert_eq!(of(r#"table::count_of(n, "clip")"#).0, ["{n} clip"]);
}

/// In each catalogue a message has the same holes as its English words.
#[test]
fn no_message_loses_what_is_put_into_it() {
    let holes = |text: &str| -> BTreeSet<String> {
        let parts = text.split('{').skip(1).filter_map(|part| part.split_once('}'));
        parts
            .map(|(hole, _)| hole.to_owned())
            .filter(|hole| hole.bytes().all(|b| b.is_ascii_alphanumeric() || b"_:".contains(&b)))
            .collect()
    };
    for part in ["client", "service", "help", "details"] {
        for (english, many, said) in messages(part) {
            assert_eq!(holes(many.as_ref().unwrap_or(&english)), holes(&said), "{english}");
            assert_eq!(english.matches('\n').count(), said.matches('\n').count(), "{english}");
        }
    }
}

fn is_japanese(text: &str) -> bool {
    text.chars().any(|c| matches!(c, '\u{3040}'..='\u{30ff}' | '\u{4e00}'..='\u{9fff}'))
}

#[test]
fn the_client_and_the_service_speak_the_language_of_the_desktop() {
    let service = Service::without_desk();
    service.add(&["oats", "rope"]);
    let say = |language: &[(&str, &str)], arguments: &[&str]| -> (Option<i32>, String) {
        let mut command = service.client_command(arguments);
        command.env_remove("LC_ALL").env_remove("LANGUAGE").envs(language.iter().copied());
        let done = command.output().expect("the client");
        let words = [done.stdout, done.stderr].map(|bytes| String::from_utf8_lossy(&bytes).into_owned());
        (done.status.code(), words.concat())
    };
    let japanese = [("LANG", "ja_JP.UTF-8")];
    assert!(say(&japanese, &["status"]).1.starts_with("記録"), "{}", say(&japanese, &["status"]).1);
    assert!(say(&[("LANG", "en_GB.UTF-8")], &["status"]).1.starts_with("Capture"));
    assert!(say(&japanese, &["--lang", "en", "status"]).1.starts_with("Capture"));
    assert!(say(&[("LANG", "de_DE.UTF-8"), ("LANGUAGE", "de:ja")], &["status"]).1.starts_with("記録"));
    // Exit codes, what is for programs, and what was copied are the same in any language.
    for arguments in
        [&["show", "9"][..], &["list", "--json"], &["show", "1"], &["take", "1"], &["frobnicate"], &["redo"]]
    {
        let (here, there) = (say(&[("LANG", "C.UTF-8")], arguments), say(&japanese, arguments));
        assert_eq!(here.0, there.0, "{arguments:?}");
        if here.0 == Some(0) {
            assert_eq!(here.1, there.1, "{arguments:?}");
        }
    }
    let reason = |words: &str| {
        let status: serde_json::Value = serde_json::from_str(words).expect("JSON");
        status["capture"]["reason"].as_str().unwrap_or_default().to_owned()
    };
    let (_, status) = say(&japanese, &["status", "--json"]);
    assert!(reason(&status).starts_with("capture is switched off"), "{status}");
    // The answer of the service with its next step, a mistake in the arguments, and the help.
    let (code, words) = say(&japanese, &["redo"]);
    assert_eq!(
        (code, words.trim()),
        (
            Some(6),
            "yadori: することがありません: やり直せる操作はありません。新しい操作をすると、やり直せるものはなくなります"
        )
    );
    assert!(say(&japanese, &["show", "99"]).1.contains("場所と ID は `yadori list` で分かります"));
    assert!(say(&japanese, &["lisst"]).1.contains("というコマンドはありません"));
    let help = say(&japanese, &["take", "--help"]).1;
    assert!(
        help.starts_with("次の貼り付けのために") && help.contains("使い方:") && help.contains("引数:"),
        "{help}"
    );
    let all = say(&japanese, &["--help"]).1;
    let verb = |line: &&str| {
        line.strip_prefix("  ").is_some_and(|rest| rest.starts_with(|c: char| c.is_ascii_lowercase()))
    };
    let verbs = all.lines().filter(verb);
    assert!(verbs.clone().count() > 40 && verbs.clone().all(is_japanese), "{all}");
    assert!(say(&[], &["--lang", "tlh", "status"]).1.contains("--lang takes en or ja"));
    // Details with something in them, what is wrong in a query and a setting, reasons and outlooks.
    for (arguments, wanted) in [
        (&["settings", "set", "limits.clips", "0"][..], "1 から"),
        (&["list", "(oats"], "この組が閉じていません"),
        (&["list", "since:never"], "のような時 が必要です"),
        (&["status"], "--no-capture なしで"),
        (&["rules", "try", "anything"], "残ります。"),
        (&["limits", "why", "1"], "なくなります ("),
        (&["settings", "set", "look.density", "huge"], "`look.density` が `huge` です"),
    ] {
        let (_, words) = say(&japanese, arguments);
        assert!(words.contains(wanted), "{arguments:?}: {words}");
    }
    // The setting counts before the desktop, the option before both.
    service.yadori(&["settings", "set", "look.language", "ja"]);
    assert!(say(&[("LANG", "en_GB.UTF-8")], &["status"]).1.starts_with("記録"));
    assert!(say(&[("LANG", "en_GB.UTF-8")], &["status", "--lang=en"]).1.starts_with("Capture"));
    // Every setting and every problem is said in the language that is asked for.
    let auth = format!("Authorization: Bearer {}", service.key());
    let ask = |language: &str, path: &str| {
        let accept = format!("Accept-Language: {language}");
        Service::curl(&["-H", &auth, "-H", &accept, &format!("{}/api/v1/{path}", service.address())]).1
    };
    let settings = ask("ja-JP, en;q=0.5", "settings");
    let abouts: Vec<&str> =
        settings["settings"].as_array().unwrap().iter().filter_map(|one| one["about"].as_str()).collect();
    assert!(abouts.len() > 40 && abouts.iter().all(|about| is_japanese(about)), "{abouts:?}");
    let english = ask("en", "settings");
    assert!(!is_japanese(&english["settings"][0]["about"].to_string()));
    assert_eq!(ask("ja", "clips/u!")["title"], json!("それはクリップを指していません"));
    assert_eq!(ask("ja", "insight")["kinds"][0]["name"], json!("文字"));
    assert_eq!(ask("de", "insight")["kinds"][0]["name"], json!("text"));
}

/// What a page says: its texts, and what is said of its parts.
const SAYS: &str = "const texts = []; const walk = document.createTreeWalker(document.body, NodeFilter.SHOW_TEXT); \
     for (let node = walk.nextNode(); node; node = walk.nextNode()) \
       if (!node.parentElement.closest('code, kbd, pre, script, style, [data-row], [data-live], input, textarea')) texts.push(node.data.trim()); \
     for (const one of document.querySelectorAll('[aria-label], [title], [placeholder]')) \
       if (!one.closest('[data-row], [data-live]')) for (const name of ['aria-label', 'title', 'placeholder']) texts.push(one.getAttribute(name) ?? ''); \
     return texts.filter(Boolean)";

#[tokio::test]
async fn the_console_changes_its_language_in_every_window_and_says_everything_in_it() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats", "https://example.org/hut", "rope"]);
    service.yadori(&["pin", "1"]);
    service.yadori(&["drawer", "new", "山小屋"]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.documentElement.lang === 'en' && document.querySelectorAll('[data-summary]').length > 2").await?;
    // What is being typed stays where it is.
    browser.press("/").await?;
    browser.until("return document.activeElement?.id === 'search'").await?;
    browser.press("oa").await?;
    service.yadori(&["settings", "set", "look.language", "ja"]);
    browser
        .until("return document.documentElement.lang === 'ja' && document.title.startsWith('履歴')")
        .await?;
    browser.press("ts").await?;
    browser
        .until("return document.activeElement?.id === 'search' && document.activeElement.value === 'oats'")
        .await?;
    let english: BTreeSet<String> =
        catalogue("console").into_iter().filter(|(a, b)| a != b).map(|(a, _)| a).collect();
    for page in PAGES {
        browser.script(&format!("window.location.hash = '#/{page}'")).await?;
        browser.until(&format!("return window.location.hash.startsWith('#/{page}') && document.querySelector('main')?.textContent.length > 3")).await?;
        let says: Vec<String> = serde_json::from_value(browser.script(SAYS).await?)?;
        let left: Vec<&String> =
            says.iter().filter(|text| english.contains(text.trim_matches([' ', '·', ':']))).collect();
        assert_eq!(left, Vec::<&String>::new(), "on the page {page}");
        assert!(says.iter().filter(|text| is_japanese(text)).count() > 5, "{page}: {says:?}");
        assert_eq!(browser.faults().await?, Vec::<String>::new(), "{page}");
    }
    // It is the same when it is opened anew, and English again at once.
    browser.script("window.location.hash = '#/history'").await?;
    browser.driver.refresh().await?;
    browser.until("return document.title.startsWith('履歴')").await?;
    service.yadori(&["settings", "set", "look.language", "system"]);
    browser
        .until("return document.documentElement.lang === 'en' && document.title.startsWith('History')")
        .await?;
    Ok(())
}

/// What the help says of itself is in the language that it speaks, for every verb.
#[test]
fn nothing_of_the_parsers_own_words_is_in_the_help() {
    fn look(verbs: &[&str], seen: &mut usize) {
        for form in ["--help", "-h"] {
            let done = std::process::Command::new(yadori_e2e::programs().join("yadori"))
                .args(["--lang", "ja"])
                .args(verbs)
                .arg(form)
                .output()
                .expect("the client");
            let help = String::from_utf8_lossy(&done.stdout).into_owned();
            assert!(done.status.success() && help.contains("使い方:"), "{verbs:?}: {help}");
            for words in ["[OPTIONS]", "COMMAND>", "ossible values", "default:", "Usage", "Options:"] {
                assert!(!help.contains(words), "{words} in {help}");
            }
            if form == "-h" {
                *seen += 1;
                let list = help.split_once("コマンド:\n").map_or("", |(_, list)| list);
                let inner = list.lines().take_while(|line| line.starts_with("  "));
                let inner: Vec<&str> = inner.filter_map(|line| line.split_whitespace().next()).collect();
                for verb in inner.into_iter().filter(|verb| *verb != "help") {
                    look(&[verbs, &[verb]].concat(), seen);
                }
            }
        }
    }
    let mut seen = 0;
    look(&[], &mut seen);
    assert!(seen > 60, "{seen}");
}
