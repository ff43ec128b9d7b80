//! Starting: on whatever umask, on damaged, full and read-only disks, and being asked at once.

use std::os::unix::fs::PermissionsExt;
use std::path::Path;
use std::process::{Command, Stdio};
use std::time::Duration;

use yadori_api::DatabaseState;
use yadori_e2e::{Service, programs, until_within};

#[test]
fn whoever_asks_right_after_a_start_gets_the_history_and_not_an_empty_answer() {
    let mut service = Service::configured("");
    let lines: String = (0..3_000).map(|n| format!("line {n}\n")).collect();
    let path = service.home().join("lines.txt");
    std::fs::write(&path, lines).unwrap();
    service.yadori(&["import", path.to_str().unwrap(), "--split", "lines"]);
    for round in 0..4 {
        service.kill();
        service.start_again();
        // As soon as anything answers.
        let (list, found) = until_within("an answer", Duration::from_secs(40), || {
            let list = service.client(&["list", "-n", "3"]);
            (list.status.code() != Some(3)).then(|| (list, service.client(&["list", "line 2999"])))
        });
        assert!(list.status.success(), "{}", String::from_utf8_lossy(&list.stderr));
        assert!(String::from_utf8_lossy(&list.stdout).lines().count() >= 3, "round {round}");
        assert!(String::from_utf8_lossy(&found.stdout).contains("line 2999"), "round {round}");
        service.yadori(&["add", &format!("right after start {round}")]);
        service.yadori(&["pin", "1"]);
    }
    let done = service.client(&["status", "--wait"]);
    assert_eq!(done.status.code(), Some(0));
}

#[test]
fn the_status_tells_scripts_how_things_stand() {
    let service = Service::configured("");
    assert_eq!(service.client(&["status"]).status.code(), Some(0));
    let pid = service.database_pid().to_string();
    let _ = Command::new("kill").args(["-STOP", &pid]).status();
    let _ = service.client_command(&["add", "x"]).stderr(Stdio::null()).stdout(Stdio::null()).spawn();
    until_within("a word of it", Duration::from_secs(40), || {
        (service.client(&["status"]).status.code() == Some(5)).then_some(())
    });
    let _ = Command::new("kill").args(["-CONT", &pid]).status();
    assert_eq!(service.client(&["status", "--wait", "40"]).status.code(), Some(0));
}

#[test]
fn without_a_home_of_its_own_the_client_finds_the_service_where_xdg_says() {
    let dir = tempfile::tempdir().unwrap();
    let with = |mut command: Command, runtime: bool| {
        command.env_clear().env("PATH", std::env::var_os("PATH").unwrap_or_default()).env("HOME", dir.path());
        if runtime {
            command.env("XDG_RUNTIME_DIR", dir.path().join("runtime"));
        }
        command.stdout(Stdio::piped()).stderr(Stdio::piped());
        command
    };
    std::fs::create_dir(dir.path().join("runtime")).unwrap();
    for runtime in [true, false] {
        let mut service = Command::new(programs().join("yadorid"));
        service.args(["--no-capture", "--listen", "127.0.0.1:0"]);
        let mut service = with(service, runtime).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        let ask = |arguments: &[&str]| {
            let mut client = Command::new(programs().join("yadori"));
            client.args(arguments);
            with(client, runtime).output().unwrap()
        };
        until_within("an answer", Duration::from_secs(40), || {
            ask(&["add", &format!("with {runtime}")]).status.success().then_some(())
        });
        let listed = ask(&["list"]);
        let text = String::from_utf8_lossy(&listed.stdout);
        assert!(text.contains(&format!("with {runtime}")), "{text}");
        assert!(ask(&["stop"]).status.success());
        assert!(service.wait().unwrap().success());
    }
}

#[test]
fn with_umask_000_files_are_for_this_user_alone_and_the_database_is_its_own() {
    let dir = tempfile::tempdir().unwrap();
    let home = dir.path().join("home");
    let mut command = Command::new("sh");
    let program = programs().join("yadorid");
    command.args(["-c", "umask 000; exec \"$0\" \"$@\""]).arg(program).arg("--home").arg(&home);
    command.args(["--no-capture", "--listen", "127.0.0.1:0"]).env_remove("DISPLAY").stderr(Stdio::null());
    let service = Service::attached(&home, command.spawn().unwrap());
    service.await_records();
    service.yadori(&["add", "x"]);
    let mut open = Vec::new();
    look(&home, &mut open);
    assert!(open.is_empty(), "others may look into {open:?}");
    // It opened its own data directory, and listens nowhere but on its socket.
    let pid = service.database_pid();
    let own = std::fs::read_link(format!("/proc/{pid}/cwd")).unwrap();
    assert_eq!(own.canonicalize().unwrap(), home.join("data/records").canonicalize().unwrap());
    let ports = Command::new("sh").args(["-c", &format!("ls -l /proc/{pid}/fd")]).output().unwrap();
    let sockets = String::from_utf8_lossy(&ports.stdout).into_owned();
    let table = std::fs::read_to_string("/proc/net/tcp").unwrap();
    let listens = table.lines().skip(1).any(|line| {
        let fields: Vec<&str> = line.split_whitespace().collect();
        fields[3] == "0A" && sockets.contains(&format!("socket:[{}]", fields[9]))
    });
    assert!(!listens, "it listens by TCP");
}

fn look(path: &Path, open: &mut Vec<String>) {
    for entry in std::fs::read_dir(path).unwrap().flatten() {
        let about = entry.path().symlink_metadata().unwrap();
        // The server makes its socket for everybody; its directory keeps them out.
        let shut_in = entry.file_name() == "records.sock";
        if about.permissions().mode() & 0o007 != 0 && !about.is_symlink() && !shut_in {
            open.push(entry.path().display().to_string());
        }
        if about.is_dir() {
            look(&entry.path(), open);
        }
    }
}

/// Starts on a home in which something is wrong, and waits for the word about it.
fn word_of(service: &mut Service, state: DatabaseState) -> String {
    service.start_again();
    until_within("word of what is wrong", Duration::from_secs(60), || {
        let status = service.status()?;
        (status.database.state == state).then_some(status.database.reason?)
    })
}

#[test]
fn damaged_records_are_named_as_such_with_the_way_to_the_backup() {
    let mut service = Service::configured("");
    service.yadori(&["add", "x"]);
    service.stop();
    let table = service.home().join("data/records/yadori/clips.ibd");
    let whole = std::fs::read(&table).unwrap();
    // A hole in the middle of the table, page headers and all.
    let mut broken = whole.clone();
    broken[16_384..].fill(0xa5);
    std::fs::write(&table, &broken).unwrap();
    let reason = word_of(&mut service, DatabaseState::Damaged);
    assert!(
        reason.contains("clips") && reason.contains("restore") && !reason.contains("tried again"),
        "{reason}"
    );
    let list = service.client(&["list"]);
    assert!(!list.status.success() && String::from_utf8_lossy(&list.stderr).contains("damaged"));
    service.stop();
    std::fs::write(&table, &whole).unwrap();
    // The server's own files.
    let system = service.home().join("data/records/ibdata1");
    let whole = std::fs::read(&system).unwrap();
    std::fs::write(&system, vec![0x5a; whole.len()]).unwrap();
    let reason = word_of(&mut service, DatabaseState::Damaged);
    assert!(reason.contains("restore") && reason.contains("records.log"), "{reason}");
    service.stop();
    std::fs::write(&system, whole).unwrap();
    service.start_again();
    service.await_records();
    assert_eq!(service.list(5).len(), 1);
}

struct Mounted(String);

impl Mounted {
    fn new(at: &Path, size: &str) -> Option<Self> {
        if !rustix::process::geteuid().is_root() {
            return None;
        }
        let at = at.to_str().unwrap().to_owned();
        let done = Command::new("mount").args(["-t", "tmpfs", "-o", size, "tmpfs", &at]).status().unwrap();
        assert!(done.success());
        Some(Self(at))
    }

    fn again(&self, how: &str) {
        let done = Command::new("mount").args(["-o", how, &self.0]).status().unwrap();
        assert!(done.success(), "mount -o {how}");
    }
}

impl Drop for Mounted {
    fn drop(&mut self) {
        let _ = Command::new("umount").arg("-l").arg(&self.0).status();
    }
}

#[test]
fn a_full_disk_at_the_start_is_named_as_such_and_passes() {
    let dir = tempfile::tempdir().unwrap();
    let Some(_mounted) = Mounted::new(dir.path(), "size=260m") else { return };
    let mut service = Service::start_in(&dir.path().join("home"), &["--no-capture"]);
    service.await_records();
    service.yadori(&["add", "before"]);
    service.stop();
    let ballast = dir.path().join("ballast");
    let _ = Command::new("dd")
        .args(["if=/dev/zero", "bs=64k", "status=none", &format!("of={}", ballast.display())])
        .stderr(Stdio::null())
        .status();
    let reason = word_of(&mut service, DatabaseState::Full);
    assert!(reason.contains("free some space"), "{reason}");
    std::fs::remove_file(ballast).unwrap();
    service.await_records();
    assert_eq!(service.list(5).len(), 1);
    drop(service);
}

#[test]
fn records_that_can_not_be_written_at_the_start_are_named_as_such() {
    let dir = tempfile::tempdir().unwrap();
    let Some(mounted) = Mounted::new(dir.path(), "size=400m") else { return };
    let outside = tempfile::tempdir().unwrap();
    let home = outside.path().join("home");
    std::fs::create_dir_all(home.join("data")).unwrap();
    let mut service = Service::start_in(&home, &["--no-capture"]);
    service.await_records();
    service.yadori(&["add", "before"]);
    service.stop();
    // The records alone lie on that disk.
    let (here, there) = (home.join("data/records"), dir.path().join("records"));
    let moved = Command::new("cp").arg("-a").arg(&here).arg(&there).status().unwrap();
    assert!(moved.success());
    std::fs::remove_dir_all(&here).unwrap();
    std::os::unix::fs::symlink(&there, &here).unwrap();
    mounted.again("remount,ro");
    let reason = word_of(&mut service, DatabaseState::Refused);
    assert!(reason.contains("writable"), "{reason}");
    mounted.again("remount,rw");
    service.await_records();
    assert_eq!(service.list(5).len(), 1);
    drop(service);
}
