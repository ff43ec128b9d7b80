//! The real service in a home of its own, spoken to by the real client and by HTTP.

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Output, Stdio};
use std::time::{Duration, Instant};

use serde_json::Value;
use tempfile::TempDir;
use yadori_api::{CaptureState, DatabaseState, Row, Status};

use crate::{programs, until, until_within};

/// A session without a message bus.
const NO_BUS: &str = "unix:path=/nonexistent/bus";
/// How long a service may take to end on a busy machine.
const ENDING: Duration = Duration::from_secs(90);

/// A running service. Ends, with its database, when dropped.
#[derive(Debug)]
pub struct Service {
    home: PathBuf,
    _scratch: Option<TempDir>,
    arguments: Vec<String>,
    variables: Vec<(String, String)>,
    child: Option<Child>,
}

impl Service {
    /// Starts a service on a display, in a new home, and waits until it keeps copies.
    pub fn on(display: &str) -> Self {
        let service = Self::start(&["--display", display]);
        service.await_keeping();
        service
    }

    /// Starts a service without a clipboard and waits until its records are ready.
    pub fn without_desk() -> Self {
        let service = Self::start(&["--no-capture"]);
        service.await_records();
        service
    }

    /// What was done and stands, newest first: the kind of each act, and the words of its first clip or drawer.
    pub fn all_acts(&self) -> Vec<(String, String)> {
        let list: Value = serde_json::from_str(&self.yadori(&["undo", "--list", "--json"])).expect("JSON");
        let acts = list["acts"].as_array().cloned().unwrap_or_default();
        let standing = acts.iter().filter(|act| act["undone"] == Value::Bool(false));
        standing
            .map(|act| {
                let about = act["first"]["head"].as_str().or(act["drawer"].as_str()).unwrap_or_default();
                (act["act"].as_str().unwrap_or_default().to_owned(), about.to_owned())
            })
            .collect()
    }

    /// The same without what was brought in: tests add their clips by hand.
    pub fn acts(&self) -> Vec<(String, String)> {
        self.all_acts().into_iter().filter(|(act, _)| act != "import").collect()
    }

    /// Takes the newest act of a kind back, whatever was done since.
    #[track_caller]
    pub fn take_back(&self, kind: &str) {
        let listed: Value = serde_json::from_str(&self.yadori(&["undo", "--list", "--json"])).expect("JSON");
        let mut acts = listed["acts"].as_array().into_iter().flatten();
        let act =
            acts.find(|act| act["act"] == kind && act["undone"] == Value::Bool(false)).expect("such an act");
        let url = format!("{}/api/v1/undo?act={}", self.address(), act["id"].as_str().unwrap_or_default());
        let auth = format!("Authorization: Bearer {}", self.key());
        assert_eq!(Self::curl(&["-X", "POST", "-H", &auth, &url]).0, 200, "{kind}");
    }

    /// Adds texts, oldest first. Gives their ids.
    pub fn add(&self, texts: &[&str]) -> Vec<String> {
        let add = |text: &&str| {
            let added: Value =
                serde_json::from_str(&self.yadori(&["add", "--json", "--", text])).expect("JSON");
            added["row"]["id"].as_str().expect("an id").to_owned()
        };
        texts.iter().map(add).collect()
    }

    /// [`Service::without_desk`] at a port that it has again after a restart.
    pub fn at_a_port() -> Self {
        // Free a moment ago; nobody else on this machine hurries to take it.
        let port =
            std::net::TcpListener::bind("127.0.0.1:0").and_then(|one| one.local_addr()).expect("a port");
        let service = Self::start(&["--no-capture", "--listen", &port.to_string()]);
        service.await_records();
        service
    }

    /// Starts a service in a new home.
    pub fn start(arguments: &[&str]) -> Self {
        let scratch = tempfile::Builder::new().prefix("yadori-").tempdir().expect("a directory");
        let mut service = Self::start_in(&scratch.path().join("home"), arguments);
        service._scratch = Some(scratch);
        service
    }

    /// Starts a service in a given home.
    pub fn start_in(home: &Path, arguments: &[&str]) -> Self {
        let arguments = arguments.iter().map(|one| (*one).to_owned()).collect();
        let mut service =
            Self { home: home.to_owned(), _scratch: None, arguments, variables: Vec::new(), child: None };
        service.start_again();
        service
    }

    /// Starts a service without a clipboard in a new home with this configuration (TOML), and waits for its records.
    pub fn configured(configuration: &str) -> Self {
        let service = Self::start_configured(configuration, &["--no-capture"]);
        service.await_records();
        service
    }

    /// [`Service::configured`], with variables in its environment.
    pub fn configured_among(configuration: &str, variables: &[(&str, &str)]) -> Self {
        let service = Self::among(configuration, variables, &["--no-capture"]);
        service.await_records();
        service
    }

    /// [`Service::configured_on`], with variables in its environment.
    pub fn on_among(display: &str, configuration: &str, variables: &[(&str, &str)]) -> Self {
        let service = Self::among(configuration, variables, &["--display", display]);
        service.await_keeping();
        service
    }

    fn among(configuration: &str, variables: &[(&str, &str)], arguments: &[&str]) -> Self {
        let scratch = tempfile::Builder::new().prefix("yadori-").tempdir().expect("a directory");
        let home = scratch.path().join("home");
        std::fs::create_dir(&home).expect("a home");
        std::fs::write(home.join("config.toml"), configuration).expect("a configuration");
        let owned = |(name, value): &(&str, &str)| ((*name).to_owned(), (*value).to_owned());
        let mut service = Self {
            home,
            _scratch: Some(scratch),
            arguments: arguments.iter().map(|one| (*one).to_owned()).collect(),
            variables: variables.iter().map(owned).collect(),
            child: None,
        };
        service.start_again();
        service
    }

    /// Starts a service on a display in a new home with this configuration (TOML), and waits until it keeps copies.
    pub fn configured_on(display: &str, configuration: &str) -> Self {
        let service = Self::start_configured(configuration, &["--display", display]);
        service.await_keeping();
        service
    }

    fn start_configured(configuration: &str, arguments: &[&str]) -> Self {
        let scratch = tempfile::Builder::new().prefix("yadori-").tempdir().expect("a directory");
        let home = scratch.path().join("home");
        std::fs::create_dir(&home).expect("a home");
        std::fs::write(home.join("config.toml"), configuration).expect("a configuration");
        let mut service = Self::start_in(&home, arguments);
        service._scratch = Some(scratch);
        service
    }

    /// A service that was started by other means in this home.
    pub fn attached(home: &Path, child: Child) -> Self {
        Self {
            home: home.to_owned(),
            _scratch: None,
            arguments: Vec::new(),
            variables: Vec::new(),
            child: Some(child),
        }
    }

    /// The same service once more, after it has ended.
    pub fn start_again(&mut self) {
        self.child = Some(self.command().spawn().expect("yadorid"));
    }

    /// The same once more, and from now on, on a machine whose clock is this far off (`+365d`, `-365d`, `+0`).
    pub fn start_again_with_clock(&mut self, off: &str) {
        let library = "/usr/lib/x86_64-linux-gnu/faketime/libfaketimeMT.so.1";
        let ["x86_64"] = [std::env::consts::ARCH] else { panic!("libfaketime is looked for on x86_64") };
        assert!(Path::new(library).exists(), "{library} (Debian package libfaketime)");
        let clock = [("LD_PRELOAD", library), ("FAKETIME", off), ("FAKETIME_DONT_FAKE_MONOTONIC", "1")];
        self.variables = clock.map(|(name, value)| (name.to_owned(), value.to_owned())).into();
        self.start_again();
        self.await_records();
    }

    /// The command that starts it.
    pub fn command(&self) -> Command {
        let mut command = Command::new(programs().join("yadorid"));
        command.arg("--home").arg(&self.home).args(&self.arguments);
        if !self.arguments.iter().any(|one| one == "--listen") {
            command.args(["--listen", "127.0.0.1:0"]);
        }
        // No lamp and no notification on the desktop of whoever runs the tests.
        command.env("DBUS_SESSION_BUS_ADDRESS", NO_BUS).env_remove("WAYLAND_DISPLAY");
        command.envs(self.variables.iter().map(|(name, value)| (name, value)));
        command.env_remove("DISPLAY").stdin(Stdio::null()).stdout(Stdio::null()).stderr(self.errors());
        command
    }

    /// Where its standard error goes: a file beside its home, added to by every start.
    pub fn errors_file(&self) -> PathBuf {
        self.home.with_extension("stderr")
    }

    fn errors(&self) -> Stdio {
        let file = std::fs::OpenOptions::new().create(true).append(true).open(self.errors_file());
        file.map_or_else(|_| Stdio::null(), Stdio::from)
    }

    /// Its home.
    pub fn home(&self) -> &Path {
        &self.home
    }

    /// Its process id.
    pub fn pid(&self) -> u32 {
        self.child.as_ref().expect("a running service").id()
    }

    /// The process id of its database server.
    pub fn database_pid(&self) -> u32 {
        until("the database's process id", || {
            std::fs::read_to_string(self.home.join("data/records/server.pid")).ok()?.trim().parse().ok()
        })
    }

    /// Runs the client.
    pub fn client(&self, arguments: &[&str]) -> Output {
        self.client_command(arguments).stdin(Stdio::null()).output().expect("yadori")
    }

    /// The client, ready to be run.
    pub fn client_command(&self, arguments: &[&str]) -> Command {
        let mut command = Command::new(programs().join("yadori"));
        command.arg("--home").arg(&self.home).args(arguments);
        command
    }

    /// Runs the client, which must succeed, and gives its output.
    #[track_caller]
    pub fn yadori(&self, arguments: &[&str]) -> String {
        let done = self.client(arguments);
        let said = String::from_utf8_lossy(&done.stderr);
        assert!(done.status.success(), "yadori {arguments:?}: {said}");
        String::from_utf8(done.stdout).expect("UTF-8")
    }

    /// How things stand; `None` while nothing answers.
    pub fn status(&self) -> Option<Status> {
        let done = self.client(&["status", "--json"]);
        // 5 says that copies are not being saved now.
        let answered = matches!(done.status.code(), Some(0 | 5));
        answered.then(|| serde_json::from_slice(&done.stdout).expect("a status"))
    }

    /// How things stand, in words.
    pub fn status_words(&self) -> String {
        String::from_utf8_lossy(&self.client(&["status"]).stdout).into_owned()
    }

    /// The newest clips.
    #[track_caller]
    pub fn list(&self, count: u32) -> Vec<Row> {
        let listed = self.listed(&["-n", &count.to_string()]);
        serde_json::from_value(Value::Array(listed)).expect("rows")
    }

    /// What `list` gives a program; nothing when nothing matches.
    #[track_caller]
    pub fn listed(&self, arguments: &[&str]) -> Vec<Value> {
        let done = self.client(&[&["list", "--json"], arguments].concat());
        let said = String::from_utf8_lossy(&done.stderr);
        assert!(matches!(done.status.code(), Some(0 | 4)), "yadori list {arguments:?}: {said}");
        let mut answer: Value = serde_json::from_slice(&done.stdout).expect("JSON");
        assert_eq!(answer["format"], 1);
        serde_json::from_value(answer["clips"].take()).expect("a list")
    }

    /// Waits until copies are kept.
    #[track_caller]
    pub fn await_keeping(&self) {
        until_within("keeping copies", Duration::from_secs(60), || {
            self.status().filter(|status| status.capture.state == CaptureState::Keeping && status.loaded)
        });
    }

    /// Waits until the records can be read and written.
    #[track_caller]
    pub fn await_records(&self) {
        until_within("the records", Duration::from_secs(60), || {
            self.status().filter(|status| status.database.state == DatabaseState::Ready && status.loaded)
        });
    }

    /// Waits for a saved clip whose text begins so.
    #[track_caller]
    pub fn await_clip(&self, head: &str) -> Row {
        until(&format!("the clip {head:?}"), || {
            self.list(300).into_iter().find(|row| row.saved && row.head.starts_with(head))
        })
    }

    /// The address of its console.
    pub fn address(&self) -> String {
        until("the console's address", || self.status()?.console)
    }

    /// A sign-in link.
    pub fn sign_in_link(&self) -> String {
        self.yadori(&["console"]).trim().to_owned()
    }

    /// A key for calls over TCP.
    pub fn key(&self) -> String {
        let link = self.sign_in_link();
        let entry = link.split("#entry=").nth(1).expect("a secret");
        let body = serde_json::json!({ "entry": entry }).to_string();
        let answer = Self::curl(&[
            "-d",
            &body,
            "-H",
            "content-type: application/json",
            &format!("{}/api/v1/sign-in", self.address()),
        ]);
        answer.1["key"].as_str().expect("a key").to_owned()
    }

    /// A call with curl: the status, and the body as JSON (or as a string).
    pub fn curl(arguments: &[&str]) -> (u16, Value) {
        let done = Command::new("curl")
            .args(["-s", "-m", "20", "-w", "\n%{http_code}"])
            .args(arguments)
            .output()
            .expect("curl");
        let text = String::from_utf8_lossy(&done.stdout).into_owned();
        let (body, status) = text.rsplit_once('\n').unwrap_or(("", "0"));
        let body = serde_json::from_str(body).unwrap_or_else(|_| Value::String(body.to_owned()));
        (status.parse().unwrap_or(0), body)
    }

    /// What its records answer, or do, when they are asked so.
    pub fn records(&self, sql: &str) -> String {
        let socket = self.home().join("run/records.sock");
        let done = Command::new("mariadb").args(["yadori", "-BNe", sql, "-S"]).arg(socket).output();
        let done = done.expect("mariadb (Debian package mariadb-client-core)");
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        String::from_utf8_lossy(&done.stdout).trim().to_owned()
    }

    /// kill -9, and the end of it.
    pub fn kill(&mut self) {
        if let Some(mut child) = self.child.take() {
            let _ = child.kill();
            let _ = child.wait();
        }
    }

    /// Ends it as a person would, and waits.
    pub fn stop(&mut self) {
        if let Some(mut child) = self.child.take() {
            let _ = Command::new("kill").arg("-TERM").arg(child.id().to_string()).status();
            let end = Instant::now() + ENDING;
            while Instant::now() < end {
                if !matches!(child.try_wait(), Ok(None)) {
                    return;
                }
                std::thread::sleep(Duration::from_millis(5));
            }
            let _ = child.kill();
            let _ = child.wait();
            assert!(std::thread::panicking(), "the service did not end within {ENDING:?} of being asked to");
        }
    }
}

impl Drop for Service {
    fn drop(&mut self) {
        self.stop();
    }
}
