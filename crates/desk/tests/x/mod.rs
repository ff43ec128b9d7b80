//! A private X display with ordinary programs on it.
#![allow(dead_code, unreachable_pub, missing_docs, reason = "each test file uses a part")]

use std::io::{Read, Write};
use std::process::{Child, Command, Stdio};
use std::time::Duration;

use yadori_desk::{DeskEvent, DeskEvents, DeskState};

/// An Xvfb of its own, and the programs started on it. All end with it.
pub struct Display {
    number: u32,
    server: Child,
    programs: Vec<Child>,
}

impl Display {
    /// Starts a server on a free display number, chosen by the server itself.
    pub fn start() -> Self {
        Self::spawn(None)
    }

    /// Starts a server on a number that was free a moment ago: after a server of that number has ended.
    pub fn start_as(number: u32) -> Self {
        Self::spawn(Some(number))
    }

    fn spawn(number: Option<u32>) -> Self {
        let mut command = Command::new("Xvfb");
        if let Some(number) = number {
            command.arg(format!(":{number}"));
        }
        let mut server = command
            .args(["-displayfd", "1", "-screen", "0", "640x480x24", "-nolisten", "tcp", "-noreset"])
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .expect("Xvfb (Debian package xvfb)");
        let mut said = String::new();
        let mut byte = [0];
        let mut out = server.stdout.take().unwrap();
        while !said.ends_with('\n') && out.read(&mut byte).unwrap() == 1 {
            said.push(char::from(byte[0]));
        }
        let number = said.trim().parse().expect("a display number");
        Self { number, server, programs: Vec::new() }
    }

    pub fn name(&self) -> String {
        format!(":{}", self.number)
    }

    pub fn number(&self) -> u32 {
        self.number
    }

    pub fn command(&self, program: &str) -> Command {
        let mut command = Command::new(program);
        command.env("DISPLAY", self.name());
        command
    }

    /// xclip copies `bytes` as `target` and stays, serving it, until it is killed or another program copies.
    pub fn xclip_copy(&mut self, target: &str, bytes: &[u8]) -> u32 {
        let mut child = self
            .command("xclip")
            .args(["-quiet", "-selection", "clipboard", "-t", target])
            .stdin(Stdio::piped())
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .expect("xclip");
        child.stdin.take().unwrap().write_all(bytes).unwrap();
        let pid = child.id();
        self.programs.push(child);
        pid
    }

    /// Kills a program started by [`Display::xclip_copy`].
    pub fn kill(&mut self, pid: u32) {
        let child = self.programs.iter_mut().find(|child| child.id() == pid).unwrap();
        child.kill().unwrap();
        child.wait().unwrap();
    }

    pub fn xclip_paste(&self, target: &str) -> Option<Vec<u8>> {
        let done = self
            .command("timeout")
            .args(["20", "xclip", "-o", "-selection", "clipboard", "-t", target])
            .stderr(Stdio::null())
            .output()
            .unwrap();
        done.status.success().then_some(done.stdout)
    }

    /// The server goes away.
    pub fn stop_server(&mut self) {
        let _ = self.server.kill();
        let _ = self.server.wait();
    }
}

impl Drop for Display {
    fn drop(&mut self) {
        for child in &mut self.programs {
            let _ = child.kill();
            let _ = child.wait();
        }
        self.stop_server();
    }
}

pub async fn until(events: &mut DeskEvents, wanted: impl Fn(&DeskEvent) -> bool) -> DeskEvent {
    let waiting = async {
        loop {
            let event = events.recv().await.expect("a desk");
            if wanted(&event) {
                return event;
            }
        }
    };
    tokio::time::timeout(Duration::from_secs(15), waiting).await.expect("the event in time")
}

pub async fn until_watching(events: &mut DeskEvents) {
    until(events, |event| matches!(event, DeskEvent::State(DeskState::Watching { .. }))).await;
}
