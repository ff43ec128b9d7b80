//! A private X display, and ordinary programs on it.

use std::io::{Read, Write};
use std::process::{Child, Command, Stdio};
use std::sync::atomic::{AtomicU32, Ordering};

/// An Xvfb of its own, and the programs started on it. All end with it.
#[derive(Debug)]
pub struct Display {
    name: String,
    server: Option<Child>,
    programs: Vec<Child>,
}

impl Display {
    /// Starts a server on a free number, chosen by the server itself.
    pub fn start() -> Self {
        Self::spawn(None)
    }

    /// Starts a server on a given number.
    pub fn start_as(number: u32) -> Self {
        Self::spawn(Some(number))
    }

    /// Starts a server that is to end and to start again: on a number far above those that servers choose for themselves, so
    /// that nobody takes it meanwhile.
    pub fn start_apart() -> Self {
        static TAKEN: AtomicU32 = AtomicU32::new(0);
        Self::start_as(500 + std::process::id() % 4_000 * 8 + TAKEN.fetch_add(1, Ordering::Relaxed))
    }

    /// Programs on a display that somebody else has started.
    pub fn at(name: &str) -> Self {
        Self { name: name.to_owned(), server: None, programs: Vec::new() }
    }

    fn spawn(number: Option<u32>) -> Self {
        let mut command = Command::new("Xvfb");
        if let Some(number) = number {
            command.arg(format!(":{number}"));
        }
        let mut server = command
            .args(["-displayfd", "1", "-screen", "0", "1280x800x24", "-nolisten", "tcp", "-noreset"])
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("Xvfb (Debian package xvfb)");
        let mut said = String::new();
        let mut byte = [0];
        let mut out = server.stdout.take().expect("its output");
        while !said.ends_with('\n') && out.read(&mut byte).expect("its output") == 1 {
            said.push(char::from(byte[0]));
        }
        Self { name: format!(":{}", said.trim()), server: Some(server), programs: Vec::new() }
    }

    /// Its name, e.g. `:5`.
    pub fn name(&self) -> String {
        self.name.clone()
    }

    /// A program on this display.
    pub fn command(&self, program: &str) -> Command {
        let mut command = Command::new(program);
        command.env("DISPLAY", self.name());
        command
    }

    /// Starts a program that runs until the display ends. Returns its process id.
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

    /// xclip copies `bytes` as `target` and stays, serving them, until it is killed or another program copies.
    pub fn copy(&mut self, target: &str, bytes: &[u8]) -> u32 {
        let mut child = self
            .command("xclip")
            .args(["-quiet", "-selection", "clipboard", "-t", target])
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("xclip (Debian package xclip)");
        child.stdin.take().expect("its input").write_all(bytes).expect("its input");
        self.keep(child)
    }

    /// xclip copies a text.
    pub fn copy_text(&mut self, text: &str) -> u32 {
        self.copy("UTF8_STRING", text.as_bytes())
    }

    /// What a program gets that pastes `target`; `None` when there is nothing, or when the program that was asked has
    /// ended meanwhile (xclip would wait for its answer for ever).
    pub fn paste(&self, target: &str) -> Option<Vec<u8>> {
        let done = self
            .command("timeout")
            .args(["6", "xclip", "-o", "-selection", "clipboard", "-t", target])
            .stderr(Stdio::null())
            .output()
            .expect("xclip");
        done.status.success().then_some(done.stdout)
    }

    /// What a program gets that pastes text.
    pub fn paste_text(&self) -> Option<String> {
        self.paste("UTF8_STRING").map(|bytes| String::from_utf8_lossy(&bytes).into_owned())
    }

    /// Sends a signal, e.g. `STOP`, to a process of the test.
    pub fn signal(&self, pid: u32, signal: &str) {
        let done = Command::new("kill").arg(format!("-{signal}")).arg(pid.to_string()).status();
        assert!(done.expect("kill").success());
    }

    /// Kills a program started here.
    pub fn kill(&mut self, pid: u32) {
        let child =
            self.programs.iter_mut().find(|child| child.id() == pid).expect("a program of this display");
        let _ = child.kill();
        let _ = child.wait();
    }

    /// The server goes away, and its programs with it.
    pub fn end_server(&mut self) {
        if let Some(server) = &mut self.server {
            let _ = server.kill();
            let _ = server.wait();
        }
    }
}

/// What is to be seen on the display with this name; `None` while it does not answer.
pub fn screen(name: &str) -> Option<image::RgbImage> {
    use x11rb::connection::Connection as _;
    use x11rb::protocol::xproto::{ConnectionExt as _, ImageFormat};
    let (conn, number) = x11rb::connect(Some(name)).ok()?;
    let screen = conn.setup().roots.get(number)?;
    let (wide, high) = (screen.width_in_pixels, screen.height_in_pixels);
    let picture =
        conn.get_image(ImageFormat::Z_PIXMAP, screen.root, 0, 0, wide, high, u32::MAX).ok()?.reply().ok()?;
    // Four bytes a point: blue, green, red, and one that stands for nothing.
    let points = picture.data.chunks_exact(4).flat_map(|one| [one[2], one[1], one[0]]).collect();
    image::RgbImage::from_raw(u32::from(wide), u32::from(high), points)
}

impl Drop for Display {
    fn drop(&mut self) {
        for child in &mut self.programs {
            let _ = child.kill();
            let _ = child.wait();
        }
        self.end_server();
    }
}
