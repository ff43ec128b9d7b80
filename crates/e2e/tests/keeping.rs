//! A copy is kept: by real programs, through every interruption.

use std::collections::HashSet;
use std::path::PathBuf;
use std::process::Command;
use std::time::{Duration, Instant};

use yadori_api::{CaptureState, DatabaseState, Kind, LiveState};
use yadori_e2e::measure::Listener;
use yadori_e2e::traces::{in_files, in_memory};
use yadori_e2e::{Display, Owner, Service, until, until_within};

/// Bytes that do not compress, as a picture's do not. They begin like a PNG.
fn noise(bytes: usize) -> Vec<u8> {
    let mut state = 0x9e37_79b9_7f4a_7c15u64;
    let mut out = b"\x89PNG\r\n\x1a\n\0\0\0\rIHDR\0\0\x05\xc8\0\0\x02\x6c\x08\x02\0\0\0".to_vec();
    while out.len() < bytes {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
        out.extend_from_slice(&state.to_le_bytes());
    }
    out.truncate(bytes);
    out
}

#[test]
fn what_is_copied_is_kept_and_handed_back_in_every_kind() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    display.copy_text("Kestrel Hut: 14 bunks\nin the east room");
    let text = service.await_clip("Kestrel");
    assert_eq!((text.kind, text.place, text.copies), (Kind::Text, 1, 1));
    assert_eq!(text.source.program.as_deref(), Some("xclip"));
    display.copy_text("https://weather.example.org/ridge?hut=kestrel");
    assert_eq!(service.await_clip("https://weather").kind, Kind::Link);
    display.copy("text/uri-list", b"file:///office/permit-form.pdf\r\nfile:///office/route%20map.png\r\n");
    let files = until("the files", || service.list(1).into_iter().find(|row| row.kind == Kind::Files));
    assert_eq!(files.files, ["/office/permit-form.pdf", "/office/route map.png"]);
    let picture = noise(10_000_000);
    display.copy("image/png", &picture);
    let image =
        until("the picture", || service.list(1).into_iter().find(|row| row.kind == Kind::Image && row.saved));
    assert_eq!(
        (image.size, image.picture.map(|one| (one.width, one.height))),
        (10_000_000, Some((1_480, 620)))
    );

    // Taken, it is what an ordinary paste inserts, byte for byte; nothing is copied anew and no place shifts.
    service.yadori(&["take", "4"]);
    assert_eq!(display.paste_text().as_deref(), Some("Kestrel Hut: 14 bunks\nin the east room"));
    service.yadori(&["take", &files.prefix]);
    assert_eq!(
        display.paste("text/uri-list").unwrap(),
        b"file:///office/permit-form.pdf\r\nfile:///office/route%20map.png\r\n"
    );
    service.yadori(&["take", &files.prefix, "--plain"]);
    assert_eq!(display.paste_text().as_deref(), Some("/office/permit-form.pdf\n/office/route map.png"));
    service.yadori(&["take", "1"]);
    assert!(display.paste("image/png").unwrap() == picture);
    until("the live clipboard", || {
        let live = service.status()?.live;
        (live.state == LiveState::Clip && live.clip?.id == image.id).then_some(())
    });
    let rows = service.list(10);
    assert_eq!(rows.iter().map(|row| row.copies).collect::<Vec<_>>(), [1, 1, 1, 1]);

    // Copied again, it moves to the top and counts up.
    display.copy_text("Kestrel Hut: 14 bunks\nin the east room");
    until("the second copy", || service.list(1).into_iter().find(|row| row.id == text.id && row.copies == 2));
    assert_eq!(service.list(10).len(), 4);
}

/// Copies a text as password managers do: with the hint beside it, and for as long as `meanwhile` takes.
fn copy_secret(owner: &Owner, text: &str, meanwhile: impl FnOnce()) -> Vec<String> {
    owner.copy(&[(HINT, b"secret"), ("UTF8_STRING", text.as_bytes())]);
    let mut asked = Vec::new();
    until("a look at the hint", || {
        asked.extend(owner.asked());
        asked.iter().any(|name| name == HINT).then_some(())
    });
    meanwhile();
    asked.extend(owner.asked());
    asked
}

const HINT: &str = "x-kde-passwordManagerHint";

#[test]
fn a_copy_that_a_program_marks_as_secret_leaves_no_trace() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let mut events = Listener::on(&service).unwrap();
    // Words that are nowhere else, also not in the service's own files.
    let secret = |n: u32| format!("quartz{}heron", n * 7_919 + 104_729);
    let owner = Owner::on(&display);
    for n in 0..6 {
        let after = format!("after the secret {n}");
        let asked = copy_secret(&owner, &secret(n), || {
            display.copy_text(&after);
            service.await_clip(&after);
        });
        assert!(!asked.iter().any(|name| name == "UTF8_STRING"), "its content was asked for: {asked:?}");
        events.await_text(&after).unwrap();
    }
    assert_eq!(service.list(20).len(), 6);
    let status = service.status().unwrap();
    assert!(status.refusals.is_empty(), "not even that it happened: {:?}", status.refusals);
    let logged = std::fs::read_to_string(service.errors_file()).unwrap_or_default();
    for n in 0..6 {
        let word = secret(n);
        assert!(!events.heard().contains(&word) && !logged.contains(&word));
        assert_eq!(in_files(service.home(), &word), Vec::<PathBuf>::new());
        assert_eq!(in_memory(service.pid(), &word), Vec::<String>::new());
        assert_eq!(in_memory(service.database_pid(), &word), Vec::<String>::new());
    }
    // The look finds what is there: an ordinary copy is in memory and in the records.
    assert!(!in_memory(service.pid(), "after the secret 5").is_empty());
    assert!(!in_files(service.home(), "after the secret 5").is_empty());
}

#[test]
fn two_copies_of_sixty_mebibytes_come_back_and_a_larger_one_is_recorded_as_refused() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let large = noise(60 << 20);
    display.copy("image/png", &large);
    until_within("the large picture", Duration::from_secs(60), || {
        service.list(1).into_iter().find(|row| row.size == 60 << 20 && row.saved)
    });
    display.copy_text("something else");
    service.await_clip("something else");
    service.yadori(&["take", "2"]);
    assert!(display.paste("image/png").unwrap() == large);
    display.copy("image/png", &noise(65 << 20));
    let refusal = until("the refusal", || service.status()?.refusals.into_iter().next());
    assert_eq!(
        (refusal.reason.word(), refusal.size, refusal.program.as_deref()),
        ("too-large", Some(65 << 20), Some("xclip"))
    );
    display.copy_text("the clipboard goes on working");
    service.await_clip("the clipboard goes on");
    assert!(service.status_words().contains("copies over 64 MiB are not kept"));
}

#[test]
fn nothing_that_was_announced_is_lost_when_the_service_is_killed() {
    let mut display = Display::start();
    let mut service = Service::on(&display.name());
    let mut announced = HashSet::new();
    for round in 0..3 {
        for n in 0..12 {
            let text = format!("round {round} copy {n}");
            display.copy_text(&text);
            announced.insert(service.await_clip(&text).id);
        }
        display.copy_text(&format!("round {round}, unannounced"));
        service.kill();
        service.start_again();
        service.await_keeping();
        let there: HashSet<String> = service.list(400).into_iter().map(|row| row.id).collect();
        assert!(
            announced.is_subset(&there),
            "round {round}: {} of {} are there",
            there.len(),
            announced.len()
        );
    }
}

#[test]
fn nothing_is_lost_when_the_database_is_killed_and_keeping_resumes_by_itself() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let mut announced = HashSet::new();
    for round in 0..3 {
        for n in 0..8 {
            let text = format!("round {round} copy {n}");
            display.copy_text(&text);
            announced.insert(service.await_clip(&text).id);
        }
        let pid = service.database_pid();
        display.signal(pid, "KILL");
        // Copied while the database is away: kept in memory at once, and saved when it is back.
        let text = format!("round {round}, without a database");
        display.copy_text(&text);
        let back = until_within("the database's return", Duration::from_secs(30), || {
            let now = std::fs::read_to_string(service.home().join("data/records/server.pid")).ok()?;
            let now: u32 = now.trim().parse().ok()?;
            let answers =
                std::os::unix::net::UnixStream::connect(service.home().join("run/records.sock")).is_ok();
            (now != pid && answers).then(Instant::now)
        });
        announced.insert(service.await_clip(&text).id);
        assert!(
            back.elapsed() < Duration::from_secs(3),
            "saved {:?} after the database's return",
            back.elapsed()
        );
        let there: HashSet<String> =
            service.list(400).into_iter().filter(|row| row.saved).map(|row| row.id).collect();
        assert!(announced.is_subset(&there), "round {round}");
    }
}

#[test]
fn while_the_database_is_away_copies_wait_in_memory_and_acts_are_refused_with_the_reason() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    display.copy_text("on disk");
    service.await_clip("on disk");
    // Stopped rather than killed, so that it does not come back by itself.
    let pid = service.database_pid();
    display.signal(pid, "STOP");
    display.copy_text("in memory");
    let waiting = until_within("the waiting copy", Duration::from_secs(40), || {
        service.list(5).into_iter().find(|row| row.head == "in memory" && !row.saved)
    });
    assert_eq!(waiting.place, 1);
    let status = service.status().unwrap();
    assert_eq!(
        (status.capture.state, status.database.state, status.unsaved),
        (CaptureState::Waiting, DatabaseState::Away, 1)
    );
    assert!(service.status_words().contains("copies wait in memory"));
    assert!(service.yadori(&["list"]).contains("(not saved yet)"));
    service.yadori(&["take", "1", "--plain"]);
    assert_eq!(display.paste_text().as_deref(), Some("in memory"));
    let refused = service.client(&["remove", "2"]);
    assert_eq!(refused.status.code(), Some(1));
    display.signal(pid, "CONT");
    let saved = service.await_clip("in memory");
    assert_eq!(saved.copies, 1);
    until("keeping again", || {
        service.status().filter(|status| status.capture.state == CaptureState::Keeping && status.unsaved == 0)
    });
}

#[test]
fn a_full_disk_pauses_saving_harms_nothing_and_goes_on_by_itself() {
    if !rustix::process::geteuid().is_root() {
        #[expect(clippy::print_stderr, reason = "a test that could not be tried says so")]
        {
            eprintln!("mounting a small disk needs root: not tried");
        }
        return;
    }
    let dir = tempfile::tempdir().unwrap();
    let mount = dir.path().to_str().unwrap().to_owned();
    assert!(
        Command::new("mount")
            .args(["-t", "tmpfs", "-o", "size=260m", "tmpfs", &mount])
            .status()
            .unwrap()
            .success()
    );
    let unmount = Unmount(mount.clone());
    {
        let mut display = Display::start();
        let service = Service::start_in(&dir.path().join("home"), &["--display", &display.name()]);
        service.await_keeping();
        display.copy_text("before the disk was full");
        service.await_clip("before");
        // Fill it: all but a little.
        let ballast = dir.path().join("ballast");
        let fill = Command::new("dd")
            .args(["if=/dev/zero", "bs=1M", "status=none", &format!("of={}", ballast.display())])
            .status();
        assert!(!fill.unwrap().success(), "the disk did not fill up");
        display.copy_text("while the disk was full");
        until_within("word of the full disk", Duration::from_secs(30), || {
            service
                .status()
                .filter(|status| status.database.state == DatabaseState::Full && status.unsaved == 1)
        });
        let said = service.status_words();
        assert!(said.contains("the disk is full") && said.contains("free some space"), "{said}");
        assert_eq!(service.list(5).len(), 2);
        service.yadori(&["take", "2"]);
        assert_eq!(display.paste_text().as_deref(), Some("before the disk was full"));
        std::fs::remove_file(ballast).unwrap();
        service.await_clip("while the disk was full");
        until("keeping again", || {
            service.status().filter(|status| status.capture.state == CaptureState::Keeping)
        });
    }
    drop(unmount);
}

struct Unmount(String);

impl Drop for Unmount {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.0).status();
    }
}

#[test]
fn the_service_goes_on_without_a_display_and_when_it_goes_away() {
    let service = Service::start(&[]);
    until("word of the missing display", || {
        service.status().filter(|status| status.capture.state == CaptureState::Broken && status.loaded)
    });
    let said = service.status_words();
    assert!(said.contains("copies are not being kept") && said.contains("--display"), "{said}");
    service.yadori(&["add", "by hand"]);
    let refused = service.client(&["take", "1"]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("no display is known"));

    let mut display = Display::start_apart();
    let service = Service::on(&display.name());
    display.end_server();
    let status = until("word of the lost display", || {
        service.status().filter(|status| status.capture.state == CaptureState::Broken)
    });
    assert!(status.capture.reason.unwrap().contains("went away"));
}

#[test]
fn what_stands_on_the_clipboard_at_a_start_is_no_new_copy() {
    let mut display = Display::start();
    let mut service = Service::on(&display.name());
    display.copy_text("standing there");
    service.await_clip("standing");
    service.stop();
    service.start_again();
    service.await_keeping();
    until("the live clipboard", || service.status().filter(|status| status.live.state == LiveState::Clip));
    assert_eq!(service.list(5).iter().map(|row| row.copies).collect::<Vec<_>>(), [1]);
}

#[test]
fn a_backup_restored_into_an_empty_home_is_the_same_history() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    display.copy_text("first");
    service.await_clip("first");
    let picture = noise(3_000_000);
    display.copy("image/png", &picture);
    until("the picture", || service.list(1).into_iter().find(|row| row.kind == Kind::Image && row.saved));
    display.copy_text("first");
    until("the second copy", || service.list(1).into_iter().find(|row| row.copies == 2));
    service.yadori(&["add", "removed later"]);
    service.yadori(&["remove", "1"]);
    let dir = tempfile::tempdir().unwrap();
    let file = dir.path().join("backup.tar");
    let path = file.to_str().unwrap();
    service.yadori(&["backup", path]);

    let whole = std::fs::read(&file).unwrap();
    let fresh = Service::without_desk();
    for (name, bytes, word) in [
        ("cut", whole[..whole.len() / 2].to_vec(), "too early"),
        ("no-end", whole[..whole.len() - 1_536 - 512].to_vec(), "too early"),
        (
            "changed",
            {
                let mut bytes = whole.clone();
                let at = bytes.len() - 8_000;
                bytes[at] ^= 1;
                bytes
            },
            "",
        ),
        ("other", b"not a backup at all".to_vec(), ""),
    ] {
        let broken = dir.path().join(name);
        std::fs::write(&broken, bytes).unwrap();
        let refused = fresh.client(&["restore", broken.to_str().unwrap()]);
        let said = String::from_utf8_lossy(&refused.stderr).into_owned();
        assert!(
            !refused.status.success() && said.contains("nothing was restored") && said.contains(word),
            "{name}: {said}"
        );
        assert!(fresh.list(5).is_empty(), "{name}: half a history");
    }
    fresh.yadori(&["restore", path]);
    let strip = |service: &Service| {
        service
            .list(50)
            .into_iter()
            .map(|row| (row.id, row.copies, row.copied_at, row.size, row.source))
            .collect::<Vec<_>>()
    };
    assert_eq!(strip(&fresh), strip(&service));
    let shown = fresh.client(&["show", "2", "--raw"]);
    assert!(shown.stdout == picture);
    let again = fresh.client(&["restore", path]);
    assert!(String::from_utf8_lossy(&again.stderr).contains("not empty"));
}

#[test]
fn what_was_removed_can_be_taken_back_across_a_restart() {
    let mut service = Service::without_desk();
    for text in ["one", "two", "three"] {
        service.yadori(&["add", text]);
    }
    service.yadori(&["remove", "1", "3"]);
    assert_eq!(service.list(5).iter().map(|row| row.head.as_str()).collect::<Vec<_>>(), ["two"]);
    service.kill();
    service.start_again();
    service.await_records();
    assert_eq!(service.list(5).len(), 1);
    service.yadori(&["undo"]);
    assert_eq!(
        service.list(5).iter().map(|row| row.head.as_str()).collect::<Vec<_>>(),
        ["three", "two", "one"]
    );
    assert_eq!(service.yadori(&["show", "1"]).trim(), "three");
    // What was added is an act each; then there is nothing more.
    service.yadori(&["undo", "3"]);
    assert_eq!(service.list(5).len(), 0);
    let nothing = service.client(&["undo"]);
    assert!(String::from_utf8_lossy(&nothing.stderr).contains("nothing to take back"));
}

#[test]
fn a_database_that_was_given_is_used_and_by_one_service_alone() {
    let host = Service::without_desk();
    let user = String::from_utf8(Command::new("id").arg("-un").output().unwrap().stdout).unwrap();
    let socket = host.home().join("run/records.sock");
    let sql = "CREATE DATABASE given CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin";
    let made =
        Command::new("mariadb").arg(format!("--socket={}", socket.display())).args(["-e", sql]).status();
    assert!(made.unwrap().success());
    let dir = tempfile::tempdir().unwrap();
    let config = dir.path().join("config.toml");
    let url = format!("mysql://{}@localhost/given?socket={}", user.trim(), socket.display());
    std::fs::write(&config, format!("[database]\nurl = \"{url}\"\n")).unwrap();
    let arguments = ["--no-capture", "--config", config.to_str().unwrap()];
    let mut first = Service::start(&arguments);
    first.await_records();
    first.yadori(&["add", "kept elsewhere"]);
    assert!(!first.home().join("data/records").exists(), "a private server was started all the same");
    // A second service waits until the first has given the records up, and says why.
    let second = Service::start(&arguments);
    let reason = until("word of the other service", || {
        second.status()?.database.reason.filter(|why| why.contains("another Yadori"))
    });
    assert!(reason.contains("a schema of its own"), "{reason}");
    first.stop();
    second.await_records();
    assert_eq!(second.list(5).iter().map(|row| row.head.as_str()).collect::<Vec<_>>(), ["kept elsewhere"]);
}
