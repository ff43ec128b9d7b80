//! A private Wayland compositor without a screen, and ordinary programs on it.

use std::io::Write;
use std::os::unix::process::CommandExt as _;
use std::path::PathBuf;
use std::process::{Child, Command, Stdio};

use crate::until;

/// What the compositor reads at its start. Keys are bound by the tests that need them.
const CONFIG: &str = "output HEADLESS-1 mode 1280x800
default_border none
focus_follows_mouse no
";

/// A compositor of its own, and the programs started on it. All end with it.
#[derive(Debug)]
pub struct Compositor {
    dir: tempfile::TempDir,
    program: &'static str,
    x: bool,
    server: Child,
    programs: Vec<Child>,
}

impl Compositor {
    /// sway, which lets programs follow the clipboard (wlr-data-control), without X programs.
    pub fn start() -> Self {
        Self::spawn("sway", "xwayland disable\n")
    }

    /// sway with X programs beside Wayland's.
    pub fn with_x() -> Self {
        Self::spawn("sway", "xwayland force\n")
    }

    /// weston, which lets no program follow the clipboard.
    pub fn without_control() -> Self {
        Self::spawn("weston", "")
    }

    fn spawn(program: &'static str, config: &str) -> Self {
        let dir = tempfile::tempdir().expect("a directory");
        std::fs::set_permissions(dir.path(), std::os::unix::fs::PermissionsExt::from_mode(0o700))
            .expect("a private directory");
        std::fs::write(dir.path().join("config"), format!("{CONFIG}{config}")).expect("a configuration");
        let server = Self::server(&dir, program);
        let compositor = Self { x: config.contains("force"), dir, program, server, programs: Vec::new() };
        compositor.await_socket();
        compositor
    }

    fn server(dir: &tempfile::TempDir, program: &str) -> Child {
        let arguments: &[&str] = match program {
            "sway" => &["-c", "config"],
            _ => &["--backend=headless-backend.so", "--socket=wayland-1", "--no-config"],
        };
        // sway does not run as root; a name space of its own is enough.
        let root = rustix::process::getuid().is_root();
        let mut command = Command::new(if root { "unshare" } else { program });
        if root {
            command.args(["--user", "--map-user=1000", "--map-group=1000", program]);
        }
        command
            .args(arguments)
            .current_dir(dir.path())
            .env("XDG_RUNTIME_DIR", dir.path())
            .env("WLR_BACKENDS", "headless")
            .env("WLR_LIBINPUT_NO_DEVICES", "1")
            .env("WLR_RENDERER", "pixman")
            .env_remove("SWAYSOCK")
            .env_remove("WAYLAND_DISPLAY")
            .env_remove("DISPLAY")
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(std::fs::File::create(dir.path().join("log")).expect("a log"))
            // Its X server ends with it.
            .process_group(0)
            .spawn()
            .unwrap_or_else(|why| panic!("{program} (Debian package {program}): {why}"))
    }

    fn await_socket(&self) {
        until("the compositor's socket", || std::os::unix::net::UnixStream::connect(self.socket()).ok());
        if self.program == "sway" {
            until("the compositor to answer", || self.message(&["-t", "get_version"]));
        }
    }

    /// Its socket.
    pub fn socket(&self) -> PathBuf {
        self.dir.path().join("wayland-1")
    }

    /// The X display of its X programs.
    pub fn x_display(&self) -> String {
        assert!(self.x, "it was started without X programs");
        // The compositor tells it to its own programs alone.
        until("the X display", || {
            let out = self.dir.path().join("display");
            let ask = format!("exec sh -c 'printf %s \"$DISPLAY\" > {}'", out.display());
            self.message(&[&ask])?;
            std::fs::read_to_string(out).ok().filter(|name| !name.is_empty())
        })
    }

    /// Has sway do or tell something (sway-ipc(7)).
    pub fn message(&self, words: &[&str]) -> Option<String> {
        let socket =
            std::fs::read_dir(self.dir.path()).ok()?.flatten().map(|one| one.path()).find(|path| {
                path.file_name().is_some_and(|name| name.to_string_lossy().starts_with("sway-ipc"))
            })?;
        let done = Command::new("swaymsg").arg("-s").arg(socket).arg("-r").args(words).output().ok()?;
        done.status.success().then(|| String::from_utf8_lossy(&done.stdout).into_owned())
    }

    /// The windows, with what has the keyboard: class, title, whether it has it.
    pub fn windows(&self) -> Vec<(String, String, bool)> {
        fn look(node: &serde_json::Value, into: &mut Vec<(String, String, bool)>) {
            let class = node["app_id"].as_str().or(node["window_properties"]["class"].as_str());
            if let Some(class) = class {
                let title = node["name"].as_str().unwrap_or_default().to_owned();
                into.push((class.to_owned(), title, node["focused"] == true));
            }
            for inner in ["nodes", "floating_nodes"] {
                node[inner].as_array().into_iter().flatten().for_each(|one| look(one, into));
            }
        }
        let mut found = Vec::new();
        let tree = self.message(&["-t", "get_tree"]).and_then(|tree| serde_json::from_str(&tree).ok());
        look(&tree.unwrap_or_default(), &mut found);
        found
    }

    /// Waits until a window of this class and title has the keyboard.
    pub fn await_front(&self, class: &str, title: &str) {
        until(&format!("{class} {title} in front"), || {
            self.windows().iter().any(|one| one.0 == class && one.1.contains(title) && one.2).then_some(())
        });
    }

    /// A program on it.
    pub fn command(&self, program: &str) -> Command {
        let mut command = Command::new(program);
        command.env("WAYLAND_DISPLAY", self.socket()).env_remove("DISPLAY");
        command.env("XDG_RUNTIME_DIR", self.dir.path());
        command
    }

    /// Starts a program that runs until the compositor ends. Returns its process id.
    pub fn run(&mut self, program: &str, arguments: &[&str]) -> u32 {
        let mut command = self.command(program);
        command.args(arguments).stdin(Stdio::null()).stdout(Stdio::null()).stderr(Stdio::null());
        self.keep(command.spawn().unwrap_or_else(|why| panic!("{program}: {why}")))
    }

    fn keep(&mut self, child: Child) -> u32 {
        let pid = child.id();
        self.programs.push(child);
        pid
    }

    /// wl-copy copies `bytes` as `mime` and stays, serving them, until it is killed or another program copies.
    pub fn copy(&mut self, mime: &str, bytes: &[u8]) -> u32 {
        let mut child = self
            .command("wl-copy")
            .args(["--foreground", "--type", mime])
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("wl-copy (Debian package wl-clipboard)");
        child.stdin.take().expect("its input").write_all(bytes).expect("its input");
        self.keep(child)
    }

    /// wl-copy copies a text.
    pub fn copy_text(&mut self, text: &str) -> u32 {
        self.copy("text/plain;charset=utf-8", text.as_bytes())
    }

    /// What a program gets that pastes `mime`; `None` when there is nothing of it.
    pub fn paste(&self, mime: &str) -> Option<Vec<u8>> {
        let done = self
            .command("timeout")
            .args(["6", "wl-paste", "--no-newline", "--type", mime])
            .stderr(Stdio::null())
            .output()
            .expect("wl-paste");
        done.status.success().then_some(done.stdout)
    }

    /// What a program gets that pastes text.
    pub fn paste_text(&self) -> Option<String> {
        self.paste("text/plain;charset=utf-8").map(|bytes| String::from_utf8_lossy(&bytes).into_owned())
    }

    /// Kills a program started here.
    pub fn kill(&mut self, pid: u32) {
        let child = self.programs.iter_mut().find(|child| child.id() == pid).expect("a program of it");
        let _ = child.kill();
        let _ = child.wait();
    }

    /// It goes away, and its programs with it.
    pub fn end_server(&mut self) {
        let group = rustix::process::Pid::from_child(&self.server);
        let _ = rustix::process::kill_process_group(group, rustix::process::Signal::KILL);
        let _ = self.server.wait();
        for name in std::fs::read_dir(self.dir.path()).into_iter().flatten().flatten() {
            let is_socket = name.file_name().to_string_lossy().contains("sway-ipc");
            if is_socket || name.file_name().to_string_lossy().starts_with("wayland-") {
                let _ = std::fs::remove_file(name.path());
            }
        }
    }

    /// It is there again, where it was.
    pub fn start_again(&mut self) {
        self.server = Self::server(&self.dir, self.program);
        self.await_socket();
    }

    /// A picture of its screen.
    pub fn picture(&self, into: &std::path::Path) {
        let done = self.command("grim").arg(into).status().expect("grim (Debian package grim)");
        assert!(done.success(), "no picture");
    }
}

impl Drop for Compositor {
    fn drop(&mut self) {
        for child in &mut self.programs {
            let _ = child.kill();
            let _ = child.wait();
        }
        self.end_server();
    }
}
