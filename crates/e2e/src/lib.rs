//! What end-to-end tests, pictures and measurements need: private X displays with ordinary programs, the real service and
//! client, a real browser. Everything runs on loopback and ends with its owner.

pub mod browser;
pub mod bus;
pub mod compositor;
pub mod day;
pub mod desktop;
pub mod display;
pub mod form;
pub mod hand;
pub mod hub;
pub mod journey;
pub mod keyboard;
pub mod line;
pub mod many;
pub mod measure;
pub mod owner;
pub mod pointer;
pub mod pushing;
pub mod reader;
pub mod service;
pub mod soak;
pub mod source;
pub mod traces;
pub mod typist;
pub mod work;

use std::path::PathBuf;
use std::sync::OnceLock;
use std::time::{Duration, Instant};

pub use browser::{Browser, PAGES};
pub use compositor::Compositor;
pub use display::Display;
pub use owner::{Owner, Reply};
pub use service::Service;

/// How long anything may take in a test.
pub const PATIENCE: Duration = Duration::from_secs(20);

/// Waits until `look` gives something; panics with `what` when it does not in time.
#[track_caller]
pub fn until<T>(what: &str, look: impl FnMut() -> Option<T>) -> T {
    until_within(what, PATIENCE, look)
}

/// [`until`], within a given time.
#[track_caller]
pub fn until_within<T>(what: &str, time: Duration, mut look: impl FnMut() -> Option<T>) -> T {
    let end = Instant::now() + time;
    loop {
        if let Some(found) = look() {
            return found;
        }
        assert!(Instant::now() < end, "{what} did not come about in {time:?}");
        std::thread::sleep(Duration::from_millis(5));
    }
}

/// The directory of the programs built with this one. They are built first, if need be.
pub fn programs() -> &'static PathBuf {
    static BUILT: OnceLock<PathBuf> = OnceLock::new();
    BUILT.get_or_init(|| {
        let own = std::env::current_exe().expect("the path of this program");
        let dir = own.parent().expect("a directory");
        let dir = if dir.ends_with("deps") { dir.parent().expect("a directory") } else { dir };
        let mut build = if dir.ends_with("release") {
            let mut build =
                std::process::Command::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../tools/build"));
            build.arg("release");
            build
        } else {
            // The tests' own build is of everything: built otherwise, features would differ and all of it be built again.
            let cargo = std::env::var_os("CARGO").unwrap_or_else(|| "cargo".into());
            let mut build = std::process::Command::new(cargo);
            build.args(["build", "-q", "--workspace", "--bins", "--examples"]);
            build
        };
        assert!(build.status().expect("cargo").success(), "the programs could not be built");
        dir.to_owned()
    })
}
