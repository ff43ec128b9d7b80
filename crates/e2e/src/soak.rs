//! Kills and stops of service and database under copies and acts of every kind; afterwards everything that was answered
//! is there, and nothing that was refused is.

use std::process::{Command, Output};
use std::sync::Mutex;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::{Duration, Instant};

use serde_json::Value;

use crate::service::Service;
use crate::{until, until_within};

/// What is done to the running parts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Blow {
    /// kill -9 of the service.
    KillService,
    /// kill -9 of its database.
    KillDatabase,
    /// Both.
    KillBoth,
    /// The database stands still for so many seconds.
    StopDatabase(u64),
}

/// How something that was asked for was answered.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
enum Answer {
    Done,
    Refused,
    /// The connection broke, or the service said that it does not know.
    Unknown,
}

impl Answer {
    fn of(done: &Output) -> Self {
        if done.status.success() {
            return Self::Done;
        }
        let said = String::from_utf8_lossy(&done.stderr);
        let refused = said.contains("can't be used now") && !said.contains("has not said");
        if refused { Self::Refused } else { Self::Unknown }
    }
}

/// One thing that was asked for, on a clip or a name of its own, and how it was answered.
#[derive(Clone, Debug)]
struct Asked {
    act: &'static str,
    clip: String,
    word: String,
    answer: Answer,
}

/// A service under blows.
#[derive(Debug)]
pub struct Soak {
    service: Service,
    next: AtomicU64,
    added: Mutex<Vec<(String, String)>>,
    removed: Mutex<Vec<String>>,
}

/// What a round came to.
#[derive(Clone, Copy, Debug, Default)]
pub struct Tally {
    /// Copies and acts that were answered as done.
    pub done: u64,
    /// Those that were refused.
    pub refused: u64,
    /// Those whose answer was lost with the service.
    pub unknown: u64,
}

const ACTS: [&str; 6] = ["title", "pin", "color", "remove", "edit", "drawer"];

impl Soak {
    /// A service in a new home, whose removals end after a few seconds.
    pub fn start() -> Self {
        Self {
            service: Service::configured("[acts]\ngrace_minutes = 0.05\n"),
            next: AtomicU64::new(1),
            added: Mutex::default(),
            removed: Mutex::default(),
        }
    }

    fn number(&self) -> u64 {
        self.next.fetch_add(1, Ordering::SeqCst)
    }

    fn add(&self) -> Answer {
        let n = self.number();
        // Every eighth one is larger than a chunk, so that staging is hit as well.
        let text = if n.is_multiple_of(8) {
            format!("soaked {n} {}", "x".repeat(1_100_000 + usize::try_from(n).unwrap_or(0)))
        } else {
            format!("soaked {n}")
        };
        let path = self.service.home().join(format!("in-{n}"));
        std::fs::write(&path, &text).expect("a file");
        let done = self.service.client(&["add", "--json", "--file", path.to_str().unwrap_or_default()]);
        let _ = std::fs::remove_file(path);
        let answer = Answer::of(&done);
        if answer == Answer::Done {
            let added: Value = serde_json::from_slice(&done.stdout).expect("JSON");
            let id = added["row"]["id"].as_str().expect("an id").to_owned();
            self.added.lock().expect("a list").push((id, text));
        }
        answer
    }

    fn ask(&self, act: &'static str, clip: &str) -> Asked {
        let word = format!("word-{}", self.number());
        let arguments: Vec<&str> = match act {
            "title" => vec!["title", clip, &word],
            "pin" => vec!["pin", clip],
            "color" => vec!["color", "red", clip],
            "remove" => vec!["remove", clip],
            "edit" => vec!["edit", clip, "--text", &word],
            _ => vec!["drawer", "new", &word],
        };
        let answer = Answer::of(&self.service.client(&arguments));
        Asked { act, clip: clip.to_owned(), word, answer }
    }

    /// One blow under copies and acts; then everything is compared.
    ///
    /// # Panics
    /// When something that was answered is not so.
    pub fn round(&mut self, blow: Blow) -> Tally {
        let subjects: Vec<String> = (0..24)
            .map(|_| {
                let text = format!("subject {}", self.number());
                let added = self.service.yadori(&["add", "--json", "--", &text]);
                let added: Value = serde_json::from_str(&added).expect("JSON");
                added["row"]["id"].as_str().expect("an id").to_owned()
            })
            .collect();
        let (over, counts) = (AtomicBool::new(false), Mutex::new(Tally::default()));
        let count = |answer: Answer| {
            let mut counts = counts.lock().expect("counts");
            match answer {
                Answer::Done => counts.done += 1,
                Answer::Refused => counts.refused += 1,
                Answer::Unknown => counts.unknown += 1,
            }
        };
        let pid = self.service.pid();
        let database = self.service.database_pid();
        let asked = Mutex::new(Vec::new());
        std::thread::scope(|scope| {
            for _ in 0..2 {
                scope.spawn(|| {
                    while !over.load(Ordering::SeqCst) {
                        count(self.add());
                    }
                });
            }
            scope.spawn(|| {
                for (n, clip) in subjects.iter().enumerate() {
                    let one = self.ask(ACTS[n % ACTS.len()], clip);
                    count(one.answer);
                    asked.lock().expect("a list").push(one);
                }
                over.store(true, Ordering::SeqCst);
            });
            // In the middle of it.
            until_within("a few acts", Duration::from_secs(30), || {
                (asked.lock().expect("a list").len() >= 3).then_some(())
            });
            match blow {
                Blow::KillService => signal("KILL", pid),
                Blow::KillDatabase => signal("KILL", database),
                Blow::KillBoth => {
                    signal("KILL", database);
                    signal("KILL", pid);
                }
                Blow::StopDatabase(seconds) => {
                    signal("STOP", database);
                    let end = Instant::now() + Duration::from_secs(seconds);
                    until_within("the end of the stop", Duration::from_secs(seconds + 5), || {
                        (Instant::now() >= end).then_some(())
                    });
                    signal("CONT", database);
                }
            }
            if matches!(blow, Blow::KillService | Blow::KillBoth) {
                over.store(true, Ordering::SeqCst);
            }
        });
        if matches!(blow, Blow::KillService | Blow::KillBoth) {
            self.service.kill();
            self.service.start_again();
        }
        self.service.await_records();
        for one in asked.into_inner().expect("a list") {
            self.compare(&one);
        }
        self.compare_copies();
        counts.into_inner().expect("counts")
    }

    fn compare(&self, one: &Asked) {
        let found = self.service.client(&["show", "--json", &one.clip]);
        let row: Value = serde_json::from_slice(&found.stdout).unwrap_or_default();
        let row = &row["row"];
        let is_so = match one.act {
            "title" => row["title"] == one.word.as_str(),
            "pin" => !row["kept"].is_null(),
            "color" => row["color"] == "red",
            "remove" => found.status.code() == Some(4),
            "edit" => self.finds(&one.word),
            _ => self.service.client(&["drawer", "list", &one.word]).status.success(),
        };
        match one.answer {
            Answer::Done => assert!(is_so, "answered as done and is not: {one:?}"),
            Answer::Refused => assert!(!is_so, "refused and is done: {one:?}"),
            Answer::Unknown => {}
        }
        if one.act == "remove" && is_so {
            self.removed.lock().expect("a list").push(one.clip.clone());
        }
    }

    fn finds(&self, word: &str) -> bool {
        !self.service.listed(&[word]).is_empty()
    }

    /// Every copy that was answered is there, byte for byte.
    fn compare_copies(&self) {
        for (id, text) in self.added.lock().expect("a list").drain(..) {
            let shown = self.service.client(&["show", "--raw", &id]);
            assert!(shown.status.success() && shown.stdout == text.as_bytes(), "a copy is gone: {id}");
        }
        let checked: Value = serde_json::from_str(&self.service.yadori(&["check", "--json"])).expect("JSON");
        assert_eq!((&checked["damaged"], &checked["mended"]), (&Value::from(0), &Value::from(0)));
    }

    /// Every removal that ended is in no table.
    ///
    /// # Panics
    /// When one is.
    pub fn compare_removals(&self) {
        until_within("the end of the removals", Duration::from_secs(60), || {
            let acts: Value =
                serde_json::from_str(&self.service.yadori(&["undo", "--list", "--json"])).ok()?;
            acts["acts"].as_array()?.iter().all(|act| act["act"] != "remove").then_some(())
        });
        let removed = self.removed.lock().expect("a list");
        assert!(!removed.is_empty(), "nothing was removed");
        for id in removed.iter() {
            let found = self.service.client(&["show", id]);
            assert_eq!(found.status.code(), Some(4), "{id} is there");
        }
        // What the acts and the uses still name is whole.
        let sql =
            "SELECT COUNT(*) FROM uses u LEFT JOIN contents c ON c.digest = u.digest WHERE c.digest IS NULL";
        let count = until("the records", || {
            let done = Command::new("mariadb")
                .args(["--batch", "--skip-column-names", "yadori", "-e", sql, "-S"])
                .arg(self.service.home().join("run/records.sock"))
                .output()
                .ok()?;
            String::from_utf8_lossy(&done.stdout).trim().parse::<u64>().ok()
        });
        assert_eq!(count, 0, "contents are missing");
    }
}

fn signal(name: &str, pid: u32) {
    let done = Command::new("kill").arg(format!("-{name}")).arg(pid.to_string()).status();
    assert!(done.is_ok_and(|status| status.success()), "kill -{name} {pid}");
}
