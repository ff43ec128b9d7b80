//! A real hub on loopback, in a home of its own.

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use tempfile::TempDir;

use yadori_store::server::{PrivateServer, ServerPaths, ServerState, current_user};

use crate::service::Service;
use crate::{programs, until_within};

/// A running hub. Ends, with its database, when dropped.
#[derive(Debug)]
pub struct Hub {
    home: PathBuf,
    _scratch: TempDir,
    child: Child,
    /// Where it answers, such as `http://127.0.0.1:8930`.
    pub address: String,
}

impl Hub {
    /// Starts a hub at which anyone may have a group.
    pub fn open() -> Self {
        Self::configured("open = true\n")
    }

    /// Starts a hub with this configuration (TOML).
    pub fn configured(configuration: &str) -> Self {
        let scratch = tempfile::Builder::new().prefix("yadori-hub-").tempdir().expect("a directory");
        let home = scratch.path().join("hub");
        std::fs::create_dir(&home).expect("a home");
        std::fs::write(home.join("config.toml"), configuration).expect("a configuration");
        let (child, address) = begin(&home, "127.0.0.1:0");
        Self { home, _scratch: scratch, child, address }
    }

    /// Its home.
    pub fn home(&self) -> &Path {
        &self.home
    }

    /// Its process id.
    pub fn pid(&self) -> u32 {
        self.child.id()
    }

    /// Ends it, as the session would.
    pub fn stop(&mut self) {
        end(&mut self.child);
    }

    /// The same once more, at the same address.
    pub fn start_again(&mut self) {
        let (base, _) = self.address.split_once('#').unwrap_or((&self.address, ""));
        let listen = base.rsplit('/').next().unwrap_or_default().to_owned();
        (self.child, _) = begin(&self.home, &listen);
    }

    /// Its own program, asked for something.
    pub fn ask(&self, arguments: &[&str]) -> String {
        let done = Command::new(programs().join("yadori-hub"))
            .arg("--home")
            .arg(&self.home)
            .args(arguments)
            .stdin(Stdio::null())
            .output()
            .expect("yadori-hub");
        assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
        String::from_utf8(done.stdout).expect("UTF-8").trim().to_owned()
    }
}

fn begin(home: &Path, listen: &str) -> (Child, String) {
    let mut child = Command::new(programs().join("yadori-hub"))
        .arg("--home")
        .arg(home)
        .args(["--listen", listen])
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .spawn()
        .expect("yadori-hub");
    let mut said = String::new();
    let stdout = child.stdout.take().expect("its output");
    BufReader::new(stdout).read_line(&mut said).expect("its address");
    let address = said.trim().rsplit(' ').next().unwrap_or_default().to_owned();
    assert!(address.starts_with("http"), "the hub said `{said}`");
    (child, address)
}

fn end(child: &mut Child) {
    if let Ok(pid) = i32::try_from(child.id())
        && let Some(pid) = rustix::process::Pid::from_raw(pid)
    {
        let _ = rustix::process::kill_process(pid, rustix::process::Signal::TERM);
    }
    let _ = child.wait();
}

impl Drop for Hub {
    fn drop(&mut self) {
        end(&mut self.child);
    }
}

/// A database server for several hubs.
#[derive(Debug)]
pub struct SharedDatabase {
    /// Its address, as `database.url` takes it.
    pub url: String,
    _server: PrivateServer,
    _scratch: TempDir,
}

impl SharedDatabase {
    /// Starts one, with an empty schema.
    pub fn start() -> Self {
        let scratch = tempfile::Builder::new().prefix("yadori-shared-").tempdir().expect("a directory");
        let [data, socket, log] = ["data", "s.sock", "log"].map(|name| scratch.path().join(name));
        let server =
            PrivateServer::start(ServerPaths { data, socket: socket.clone(), log }).expect("a server");
        until_within("the database", Duration::from_secs(90), || {
            (*server.state().borrow() == ServerState::Ready).then_some(())
        });
        let made = Command::new("mariadb")
            .arg(format!("--socket={}", socket.display()))
            .args(["-e", "CREATE DATABASE yadori_hub CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin; SET GLOBAL max_connections = 200"])
            .status();
        assert!(made.is_ok_and(|status| status.success()), "a schema");
        let user = current_user().expect("a name");
        let socket = socket.display().to_string().replace('/', "%2F");
        let url = format!("mysql://{user}@localhost/yadori_hub?socket={socket}");
        Self { url, _server: server, _scratch: scratch }
    }

    /// One more hub on it.
    pub fn hub(&self) -> Hub {
        Hub::configured(&format!("open = true\npace = 100000\n[database]\nurl = \"{}\"\n", self.url))
    }
}

/// Lets `guest` into the group of `host`, which comes to be at this hub if there is none.
pub fn pair(hub: &Hub, both: (&Service, &Service), names: (&str, &str)) {
    pair_at((Some(&hub.address), &hub.address), both, names);
}

/// The same, each with what is typed there as the hub's address; on the host nothing where it serves one itself.
pub fn pair_at(hub: (Option<&str>, &str), (host, guest): (&Service, &Service), names: (&str, &str)) {
    let mut arguments = vec!["pair", "--name", names.0, "--yes"];
    arguments.extend(hub.0.into_iter().flat_map(|hub| ["--hub", hub]));
    let mut showing = host
        .client_command(&arguments)
        .stdin(Stdio::null())
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .expect("yadori");
    let mut said = BufReader::new(showing.stdout.take().expect("its output")).lines();
    let code = said.find_map(|line| {
        let line = line.ok()?;
        Some(line.trim().strip_prefix("yadori pair ")?.split(' ').next()?.to_owned())
    });
    let Some(code) = code else {
        let said = showing.wait_with_output().expect("its end");
        panic!("no code was shown: {}", String::from_utf8_lossy(&said.stderr));
    };
    let mut typing = guest
        .client_command(&["pair", &code, "--hub", hub.1, "--name", names.1])
        .stdin(Stdio::null())
        .stdout(Stdio::null())
        .stderr(Stdio::piped())
        .spawn()
        .expect("yadori");
    let ended = until_within("the two to be paired", Duration::from_secs(60), || {
        let (host, guest) = (showing.try_wait().expect("its end"), typing.try_wait().expect("its end"));
        let failed = [host, guest].into_iter().flatten().any(|status| !status.success());
        (failed || (host.is_some() && guest.is_some())).then_some(!failed)
    });
    if !ended {
        let _ = typing.kill();
        let [host, guest] = [showing, typing].map(|one| one.wait_with_output().expect("its end"));
        let said = [host, guest].map(|one| String::from_utf8_lossy(&one.stderr).into_owned());
        panic!("not paired: {said:?}");
    }
}

/// Waits until nothing waits to be sent or received on any of these.
#[track_caller]
pub fn until_exchanged(all: &[&Service]) {
    let stands = |one: &Service| {
        let stands: yadori_api::AllDevices =
            serde_json::from_str(&one.yadori(&["sync", "status", "--json"])).expect("how it stands");
        (stands.waits, stands.behind, stands.trouble, stands.sent, stands.received)
    };
    let mut before = Vec::new();
    until_within("everything to be exchanged", Duration::from_secs(90), || {
        let now: Vec<_> = all.iter().map(|one| stands(one)).collect();
        let quiet = now.iter().all(|one| (one.0, one.1, &one.2) == (0, 0, &None));
        let same = now == before;
        before = now;
        (quiet && same).then_some(())
    });
}
