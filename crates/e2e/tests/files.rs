//! Files that are written: whole or not at all, nothing destroyed, what can't be read named.

use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::{Command, Stdio};

use serde_json::Value;
use yadori_e2e::{Service, until};

fn add(service: &Service, text: &str) -> String {
    let added: Value = serde_json::from_str(&service.yadori(&["add", "--json", "--", text])).expect("JSON");
    added["row"]["id"].as_str().expect("an id").to_owned()
}

fn path(service: &Service, name: &str) -> String {
    service.home().join(name).to_str().expect("UTF-8").to_owned()
}

/// A home in which one clip of three was damaged, and the service started anew.
fn with_damage() -> (Service, String) {
    let mut service = Service::configured("");
    add(&service, "whole one");
    let id = add(&service, &format!("to be damaged {}", "x".repeat(3_000)));
    add(&service, "whole two");
    service.records("UPDATE chunks SET data = 'something else' WHERE data LIKE 'to be damaged%'");
    service.stop();
    service.start_again();
    service.await_records();
    (service, id)
}

#[test]
fn a_clip_that_can_not_be_read_is_named_and_the_rest_is_written() {
    let (service, id) = with_damage();
    for (verb, name) in [("backup", "all.tar"), ("export", "all.zip"), ("export", "all.csv")] {
        let done = service.client(&[verb, &path(&service, name)]);
        let said = String::from_utf8_lossy(&done.stderr);
        assert_eq!(done.status.code(), Some(1), "{verb} {name}: {said}");
        assert!(said.contains(&id) && said.contains("yadori check"), "{said}");
    }
    let other = Service::without_desk();
    assert!(other.yadori(&["restore", &path(&service, "all.tar")]).contains("Restored 2 clips"));
    let third = Service::without_desk();
    third.yadori(&["import", &path(&service, "all.zip")]);
    for there in [&other, &third] {
        let heads: Vec<String> = there.list(5).into_iter().map(|row| row.head).collect();
        assert_eq!(heads, ["whole two", "whole one"]);
    }
    assert_eq!(std::fs::read_to_string(path(&service, "all.csv")).unwrap().lines().count(), 3);
    // The check names it too, and says so in its exit code and in the status.
    let done = service.client(&["check"]);
    assert_eq!(done.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&done.stdout).contains("to be damaged"));
    assert!(service.status_words().contains("yadori check"));
}

#[test]
fn a_check_mends_a_short_text_from_what_the_history_tells_of_it() {
    let service = Service::configured("");
    add(&service, "short, and damaged");
    let gone = add(&service, "short, and missing");
    service.records("UPDATE chunks SET data = 'x' WHERE data LIKE '%damaged'");
    service.records(
        "DELETE FROM contents WHERE digest IN (SELECT digest FROM chunks WHERE data LIKE '%missing')",
    );
    assert!(service.yadori(&["check"]).contains("2 were damaged and are whole again"));
    assert_eq!(service.yadori(&["show", &gone]).trim(), "short, and missing");
    assert!(service.yadori(&["check"]).contains("all of them are whole"));
}

#[test]
fn a_backup_that_breaks_off_is_an_error_and_the_good_one_stays() {
    let service = Service::configured("");
    for n in 0..40 {
        let text = format!("{n} {}", "large ".repeat(300_000));
        let file = service.home().join("large.txt");
        std::fs::write(&file, text).unwrap();
        service.yadori(&["add", "--file", file.to_str().unwrap()]);
    }
    let good = path(&service, "all.tar");
    service.yadori(&["backup", &good]);
    let before = std::fs::read(&good).unwrap();
    assert!(before.len() > 60_000_000);
    let mut backup = service.client_command(&["backup", "--force", &good]);
    let backup = backup.stdout(Stdio::null()).stderr(Stdio::piped()).spawn().unwrap();
    // In the middle of it, the database is killed.
    until("half of a backup", || {
        let half = std::fs::read_dir(service.home()).ok()?.flatten().any(|entry| {
            entry.file_name().to_string_lossy().starts_with(".yadori-")
                && entry.metadata().is_ok_and(|about| about.len() > 2_000_000)
        });
        half.then_some(())
    });
    let _ = Command::new("kill").args(["-9", &service.database_pid().to_string()]).status();
    let done = backup.wait_with_output().unwrap();
    let said = String::from_utf8_lossy(&done.stderr);
    if done.status.success() {
        // It was quicker than the kill: then it is whole.
        assert_eq!(std::fs::read(&good).unwrap().len(), before.len());
    } else {
        assert!(said.contains("nothing was replaced"), "{said}");
        assert!(std::fs::read(&good).unwrap() == before, "the good one was touched");
    }
    let leftovers = std::fs::read_dir(service.home()).unwrap().flatten();
    assert!(leftovers.into_iter().all(|one| !one.file_name().to_string_lossy().starts_with(".yadori-")));
}

#[test]
fn nothing_is_replaced_without_force_and_standard_output_and_devices_are_written_to() {
    let service = Service::configured("");
    let id = add(&service, "words");
    service.yadori(&["drawer", "new", "Huts"]);
    service.yadori(&["drawer", "put", "Huts", &id]);
    let file = path(&service, "there");
    for arguments in [
        &["export", "--format", "zip", &file][..],
        &["backup", &file],
        &["drawer", "export", "Huts", &file],
        &["show", &id, "-o", &file],
    ] {
        std::fs::write(&file, "precious").unwrap();
        std::fs::set_permissions(&file, std::fs::Permissions::from_mode(0o640)).unwrap();
        let done = service.client(arguments);
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert_eq!((done.status.code(), said.contains("--force")), (Some(2), true), "{arguments:?}: {said}");
        assert_eq!(std::fs::read_to_string(&file).unwrap(), "precious");
        service.yadori(&[arguments, &["--force"]].concat());
        assert_ne!(std::fs::read(&file).unwrap(), b"precious");
        assert_eq!(Path::new(&file).metadata().unwrap().permissions().mode() & 0o777, 0o640);
    }
    assert_eq!(service.yadori(&["show", &id, "-o", "-"]), "words");
    let zip = service.client(&["export", "-"]);
    assert!(zip.status.success() && zip.stdout.starts_with(b"PK"));
    service.yadori(&["backup", "/dev/null"]);
    assert!(!Path::new("/dev/null").metadata().unwrap().is_file());
}

#[test]
fn what_was_typed_in_an_editor_is_never_lost() {
    let service = Service::configured("");
    let id = add(&service, "before");
    for (editor, word) in [
        ("printf 'typed and failed' > \"$1\"; exit 3", "typed and failed"),
        ("printf 'typed \\377 bytes' > \"$1\"", "typed"),
    ] {
        let script = service.home().join("editor.sh");
        std::fs::write(&script, format!("#!/bin/sh\n{editor}\n")).unwrap();
        std::fs::set_permissions(&script, std::fs::Permissions::from_mode(0o755)).unwrap();
        let mut client = service.client_command(&["edit", &id]);
        let done = client.env("EDITOR", &script).env_remove("VISUAL").output().unwrap();
        let said = String::from_utf8_lossy(&done.stderr).into_owned();
        assert!(!done.status.success());
        let kept = said.split("What you typed is in ").nth(1).expect("the name of a file").trim();
        let bytes = std::fs::read(kept).unwrap();
        assert!(bytes.starts_with(word.as_bytes()), "{said}");
        std::fs::remove_file(kept).unwrap();
    }
    assert_eq!(service.yadori(&["show", &id]).trim(), "before");
}

#[test]
fn an_endless_file_is_read_no_further_than_a_clip_may_be() {
    let service = Service::configured("");
    let done = service.client(&["add", "--file", "/dev/zero"]);
    assert_eq!(done.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&done.stderr).contains("64 MiB"));
}

#[test]
fn everything_a_copy_offered_comes_back_byte_for_byte() {
    let mut display = yadori_e2e::Display::start();
    let service = Service::on(&display.name());
    let dir = tempfile::tempdir().unwrap();
    let forms = [
        ("text/html", b"<p>Bunks <b>8</b> \xc3\xa9</p>".to_vec()),
        ("application/x-hut", (0..=255).cycle().take(70_000).collect()),
        ("image/png", {
            let mut bytes = std::io::Cursor::new(Vec::new());
            image::RgbImage::new(30, 20).write_to(&mut bytes, image::ImageFormat::Png).unwrap();
            bytes.into_inner()
        }),
    ];
    let mut arguments = vec!["add".to_owned(), "Bunks 8 é".to_owned()];
    for (n, (mime, bytes)) in forms.iter().enumerate() {
        let file = dir.path().join(n.to_string());
        std::fs::write(&file, bytes).unwrap();
        arguments.push(format!("--also={mime}={}", file.display()));
    }
    service.yadori(&arguments.iter().map(String::as_str).collect::<Vec<_>>());
    // Taken, another program pastes each form; captured again from there, stored and read, it is the same.
    service.yadori(&["take", "1", "--as-copied"]);
    for (mime, bytes) in &forms {
        assert!(display.paste(mime).unwrap() == *bytes, "{mime} was pasted otherwise");
        let shown = service.client(&["show", "1", "--raw", "--type", mime]);
        assert!(shown.stdout == *bytes, "{mime} was kept otherwise");
    }
    display.copy("application/x-hut", &forms[1].1);
    until("the capture", || {
        let row = service.list(1).into_iter().next()?;
        (row.saved && row.size == 70_000).then_some(())
    });
    service.yadori(&["take", "1", "--as-copied"]);
    assert!(display.paste("application/x-hut").unwrap() == forms[1].1);
}
