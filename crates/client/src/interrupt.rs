//! What is told and cleaned up when a person interrupts something that takes a while (Ctrl-C, SIGTERM, SIGHUP).

use std::io::Write;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, Once, PoisonError};

use signal_hook::consts::{SIGHUP, SIGINT, SIGTERM};
use signal_hook::iterator::Signals;
use yadori_words::said;

/// What has begun and not ended: a file that is not whole yet, or words for whoever interrupts.
#[derive(Debug, PartialEq, Eq)]
enum Begun {
    File(PathBuf),
    Words(&'static str),
}

static ALL: Mutex<Vec<Begun>> = Mutex::new(Vec::new());
static LISTENS: Once = Once::new();

/// Something that has begun; it has ended when this is dropped.
#[derive(Debug)]
pub(crate) struct Guard(Begun);

/// A file that goes when a person interrupts.
pub(crate) fn file(path: &Path) -> Guard {
    begin(|| Begun::File(path.to_owned()))
}

/// Words that are said when a person interrupts.
pub(crate) fn words(words: &'static str) -> Guard {
    begin(|| Begun::Words(words))
}

fn begin(of: impl Fn() -> Begun) -> Guard {
    ALL.lock().unwrap_or_else(PoisonError::into_inner).push(of());
    LISTENS.call_once(|| {
        let Ok(mut signals) = Signals::new([SIGINT, SIGTERM, SIGHUP]) else { return };
        std::thread::spawn(move || {
            let Some(signal) = signals.forever().next() else { return };
            for one in ALL.lock().unwrap_or_else(PoisonError::into_inner).iter() {
                match one {
                    Begun::File(path) => drop(std::fs::remove_file(path)),
                    Begun::Words(words) => {
                        drop(writeln!(
                            std::io::stderr(),
                            "{}",
                            said!("\nyadori: interrupted; {words}", words = words)
                        ));
                    }
                }
            }
            // As a shell tells of a program that a signal has ended (POSIX.1-2017, section 2.8.2).
            std::process::exit(128 + signal);
        });
    });
    Guard(of())
}

impl Drop for Guard {
    fn drop(&mut self) {
        let mut all = ALL.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(at) = all.iter().position(|one| *one == self.0) {
            all.swap_remove(at);
        }
    }
}
