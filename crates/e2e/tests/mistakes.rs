//! Mistakes at the client: each has words of its own with the next step and its exit code, and changes nothing.

use std::path::Path;
use std::process::{Command, Stdio};

use yadori_e2e::Service;

/// What is asked, the exit code, and what is said. Files are those that [`files`] makes.
const MISTAKES: [(i32, &[&str], &str); 135] = [
    (2, &["list", "-n", "0"], "at least 1"),
    (2, &["list", "-n", "x"], "whole number"),
    (2, &["list", "--number"], "not complete"),
    (2, &["list", "--nonsense"], "no option --nonsense"),
    (2, &["lsit"], "no verb `lsit`; did you mean"),
    (2, &["list", "kind:song"], "text, link, image or files"),
    (2, &["list", "kind:"], "text, link, image or files"),
    (2, &["list", "(a"], "not closed"),
    (2, &["list", "a", "OR"], "after OR"),
    (2, &["list", "/[/"], "pattern"),
    (2, &["list", "since:2026-13-45"], "2026-11-01T14:30Z"),
    (2, &["list", "over:huge"], "10kb"),
    (2, &["list", "-f", "-d", "Replies"], "does not go with"),
    (4, &["list", "-d", "Nowhere"], "there is: Replies"),
    (2, &["list", "-d", ""], "empty name"),
    (4, &["list", "zzzz"], "nothing matches"),
    (2, &["list", "--follow", "oats"], "does not go with"),
    (2, &["list", "-f", "--oldest-first"], "their own order"),
    (2, &["list", "--follow", "-n", "9000"], "at most 500"),
    (4, &["show", "99"], "no clip answers"),
    (2, &["show", "0"], "places count from 1"),
    (4, &["show", "f9"], "no clip answers"),
    (2, &["show", ""], "empty name"),
    (2, &["show", "zz!"], "not a clip"),
    (2, &["show", "1", "--type", "image/png"], "there is: text/plain"),
    (2, &["show", "1", "--type", "text/html", "--details"], "does not go with"),
    (2, &["show", "1", "--raw", "--details"], "does not go with"),
    (1, &["show", "1", "-o", "DIR"], "is a directory"),
    (1, &["show", "1", "-o", "missing/x"], "no such directory"),
    (1, &["show", "1", "--save", "missing"], "no such directory"),
    (2, &["show", "1", "--force"], "--output <FILE> is missing"),
    (4, &["take", "99"], "no clip answers"),
    (2, &["take", "1", "--as", "gif"], "paths, names, png"),
    (2, &["take", "1", "--most", "10"], "--as <SHAPE> is missing"),
    (2, &["take", "1", "--as", "png", "--most", "0"], "from 1 to 20000"),
    (2, &["take", "1", "--plain", "--as-copied"], "does not go with"),
    (2, &["take", "1", "-a", "Name"], "no `=`"),
    (2, &["take", "1", "-a", "Name=x"], "answers no question"),
    (2, &["take", "1", "--with", "x"], "several clips"),
    (2, &["take", "1", "--preview", "-t", "nonsense"], "did you mean `sentence`?"),
    (1, &["take", "1"], "--no-capture"),
    (6, &["add", ""], "nothing in it"),
    (1, &["add", "--file", "missing"], "no such file"),
    (1, &["add", "--file", "DIR"], "is a directory"),
    (2, &["add", "--file", "latin"], "iconv"),
    (6, &["add", "--file", "empty"], "nothing in it"),
    (2, &["add", "--file", "half16"], "UTF-16"),
    (1, &["add", "--file", "big"], "64 MiB"),
    (2, &["add", "--type", "nonsense", "x"], "text/html"),
    (2, &["add", "--also", "text/html", "x"], "no `=`"),
    (2, &["add", "--also", "nonsense=latin", "x"], "text/html"),
    (1, &["add", "--also", "text/html=missing", "x"], "no such file"),
    (2, &["add", "--at", "yesterday", "x"], "2026-11-02T09:41+09:00"),
    (2, &["add", "--at", "2026-11-02T09:41+99:00", "x"], "is none"),
    (2, &["add", "--at", "1960-01-01T00:00Z", "x"], "before 1970"),
    (2, &["add", "--at", "2999-01-01T00:00Z", "x"], "in the future"),
    (1, &["add", "--reference", "missing"], "no such file"),
    (2, &["add", "x", "--file", "latin"], "does not go with"),
    (2, &["title", "1"], "<TITLE> is missing"),
    (2, &["title", "1", ""], "--none"),
    (2, &["title", "1", "a", "--none"], "does not go with"),
    (4, &["title", "99", "a"], "no clip answers"),
    (2, &["color", "mauve", "1"], "blue, green, amber"),
    (2, &["color", "red"], "<CLIP>... is missing"),
    (4, &["pin", "99"], "no clip answers"),
    (4, &["pin", "1", "--before", "99"], "no clip answers"),
    (6, &["unpin", "3"], "not pinned"),
    (4, &["drawer", "list", "zzz"], "no drawer is called like zzz"),
    (2, &["drawer", "new", ""], "at least one character"),
    (2, &["drawer", "new", "Replies"], "already"),
    (4, &["drawer", "put", "Nowhere", "1"], "there is: Replies"),
    (4, &["drawer", "put", "Replies", "99"], "no clip answers"),
    (4, &["drawer", "put", "Replies", "1", "--before", "Nothing"], "no clip answers"),
    (2, &["drawer", "rename", "Replies", ""], "at least one character"),
    (4, &["drawer", "divider", "Replies", "Nothing", "--remove"], "no divider called Nothing"),
    (4, &["drawer", "divider", "Replies", "Nothing", "--rename", "x"], "no divider called Nothing"),
    (6, &["drawer", "out", "3"], "in no drawer: 3"),
    (4, &["drawer", "remove", "Nowhere"], "there is: Replies"),
    (4, &["drawer", "export", "Nowhere", "x.json"], "there is: Replies"),
    (2, &["drawer", "import", "some.json"], "no drawer's file"),
    (1, &["drawer", "import", "missing"], "no such file"),
    (4, &["remove", "99"], "no clip answers"),
    (2, &["remove"], "<CLIP>... is missing"),
    (2, &["remove", "-q", ""], "find everything"),
    (4, &["remove", "-q", "zzzz"], "nothing matches"),
    (2, &["remove", "-q", "kind:song"], "text, link, image or files"),
    (2, &["remove", "1", "-q", "a"], "does not go with"),
    (2, &["clear"], "add --yes"),
    (2, &["clear", "--since", "tomorrow"], "2026-11-27T14:30"),
    (2, &["clear", "--last", "soon"], "15m"),
    (2, &["undo", "0"], "from 1 to 65535"),
    (6, &["redo"], "nothing to make again"),
    (2, &["export"], "<FILE> is missing"),
    (1, &["export", "DIR"], "is a directory"),
    (2, &["export", "latin"], "--force"),
    (2, &["export", "texts.dat"], ".zip nor with .csv"),
    (4, &["export", "x.zip", "99"], "no clip answers"),
    (2, &["export", "x.zip", "-q", "kind:song"], "text, link, image or files"),
    (4, &["export", "x.zip", "-q", "zzzz"], "nothing was written"),
    (1, &["import", "missing"], "no such file"),
    (1, &["import", "DIR"], "is a directory"),
    (2, &["import", "junk.zip"], "no zip archive"),
    (2, &["import", "empty"], "nothing in it"),
    (2, &["import", "wrong.tar"], "yadori restore"),
    (2, &["import", "some.json"], "no drawer's file"),
    (2, &["import", "no-text.csv"], "column `text`"),
    (2, &["import", "latin"], "iconv"),
    (2, &["import", "half16"], "UTF-16"),
    (2, &["import", "--split", "words", "latin"], "whole, lines, blocks"),
    (1, &["restore", "latin"], "not empty"),
    (1, &["restore", "missing"], "no such file"),
    (1, &["restore", "DIR"], "is a directory"),
    (1, &["backup", "DIR"], "is a directory"),
    (2, &["backup", "latin"], "--force"),
    (1, &["backup", "missing/x.tar"], "no such directory"),
    (4, &["edit", "99"], "no clip answers"),
    (1, &["edit", "1", "--compare"], "no original"),
    (6, &["edit", "1", "--put-back"], "not made by an edit"),
    (8, &["edit", "1"], "set $EDITOR"),
    (4, &["join", "1", "99"], "no clip answers"),
    (2, &["join"], "<CLIP>... is missing"),
    (2, &["settings", "set", "nothing.here", "1"], "no setting `nothing.here`."),
    (2, &["settings", "set", "limits.clip", "1"], "did you mean `limits.clips`?"),
    (2, &["limits", "set", "nonsense"], "is no NAME=VALUE"),
    (4, &["rules", "remove", "9"], "numbers them"),
    (4, &["orders", "remove", "9"], "numbers them"),
    (4, &["batch", "next"], "yadori batch new"),
    (2, &["pause", "-5"], "no option -5"),
    (2, &["pause", "soon"], "15m"),
    (1, &["send", "1", "Nobody"], "yadori pair"),
    (2, &["sync", "nonsense"], "no verb `nonsense`"),
    (2, &["devices", "nonsense"], "one word too many"),
    (2, &["completions", "tcsh"], "bash, elvish, fish"),
    (4, &["manual", "nonsense"], "yadori --help"),
    (4, &["phone", "remove", "zzz"], "yadori phone list"),
];

/// Files that are not what is wanted.
fn files(folder: &Path) {
    let put = |name: &str, bytes: &[u8]| std::fs::write(folder.join(name), bytes).unwrap();
    std::fs::create_dir(folder.join("DIR")).unwrap();
    put("latin", b"caf\xe9");
    put("empty", b"");
    put("half16", b"\xff\xfe\0");
    put("big", &vec![b'a'; (64 << 20) + 1]);
    put("junk.zip", b"PK\x03\x04junk");
    put("some.json", b"{\"secret words\": 1}");
    put("no-text.csv", b"a,b\n1,2\n");
    let tar = Command::new("tar").args(["cf", "wrong.tar", "latin"]).current_dir(folder).status();
    assert!(tar.unwrap().success());
}

fn asked(service: &Service, folder: &Path, arguments: &[&str]) -> (i32, String) {
    let mut client = service.client_command(arguments);
    client.current_dir(folder).env("EDITOR", "false").env_remove("VISUAL").stdin(Stdio::null());
    let done = client.output().unwrap();
    (done.status.code().unwrap_or(-1), String::from_utf8_lossy(&done.stderr).into_owned())
}

#[test]
fn mistakes_are_told_in_words_with_their_exit_codes_and_change_nothing() {
    let service = Service::without_desk();
    let folder = tempfile::tempdir().unwrap();
    files(folder.path());
    service.add(&["Half board, 12 nights", "https://example.org/huts", "oats"]);
    service.yadori(&["drawer", "new", "Replies"]);
    service.yadori(&["drawer", "put", "Replies", "2"]);
    service.yadori(&["pin", "1"]);
    let before = (service.listed(&[]), service.acts(), names(folder.path()));
    let wrong: Vec<String> = MISTAKES
        .iter()
        .filter_map(|(code, arguments, words)| {
            let (got, said) = asked(&service, folder.path(), arguments);
            let told = said.starts_with("yadori: ") && said.contains(words) && !has_foreign_voice(&said);
            (got != *code || !told).then(|| format!("{arguments:?}: {got} instead of {code}: {said}"))
        })
        .collect();
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert_eq!((service.listed(&[]), service.acts(), names(folder.path())), before, "something was changed");
}

/// Words of a library or of the interface in between, which mean nothing to a person.
fn has_foreign_voice(said: &str) -> bool {
    ["os error", "error:", "No such call", "openapi", "invalid digit", "..=", "serde", "EOF while"]
        .iter()
        .any(|word| said.contains(word))
}

fn names(folder: &Path) -> Vec<String> {
    let mut names: Vec<String> = std::fs::read_dir(folder)
        .unwrap()
        .map(|entry| entry.unwrap().file_name().to_string_lossy().into_owned())
        .collect();
    names.sort();
    names
}

#[test]
fn what_is_no_backup_is_refused_without_any_of_its_lines() {
    let service = Service::without_desk();
    let folder = tempfile::tempdir().unwrap();
    files(folder.path());
    for name in ["latin", "empty", "half16", "junk.zip", "some.json", "wrong.tar", "no-text.csv"] {
        let (code, said) = asked(&service, folder.path(), &["restore", name]);
        assert!(matches!(code, 1 | 2) && said.contains("backup"), "{name}: {code}: {said}");
        assert!(!said.contains("caf") && !said.contains("secret words"), "{name}: {said}");
        assert_eq!(service.list(5), []);
    }
    let (code, said) = asked(&service, folder.path(), &["list"]);
    assert_eq!((code, said.as_str()), (0, ""), "an empty history is no mistake");
}
