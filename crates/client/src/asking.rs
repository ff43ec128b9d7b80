//! Asking a person before something is done, and telling how far it has come.

use std::io::{BufRead, IsTerminal, Write};
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use yadori_api::Status;

use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::said;

/// How long something may take before it is told how far it has come.
pub(crate) const SOON: Duration = Duration::from_secs(1);

/// Asks a question whose safe answer is no. Without somebody to answer, that is an error.
///
/// # Errors
/// When there is nobody to ask.
pub(crate) fn confirmed(question: &str) -> Result<bool, Failure> {
    if !std::io::stdin().is_terminal() {
        return Err(Failure::Use(said!(
            "nobody can answer here, so nothing was done; add --yes to do it, or --dry-run to see what it would do"
        )));
    }
    let answer = line(&format!("{question} [y/N] "))?.unwrap_or_default();
    Ok(matches!(answer.trim().to_lowercase().as_str(), "y" | "yes"))
}

/// Asks for a line at the terminal; `None` when the person gave up (the end of input: Ctrl-D).
///
/// # Errors
/// The terminal can't be read.
pub(crate) fn line(question: &str) -> Result<Option<String>, Failure> {
    write!(std::io::stderr(), "{question}")?;
    let mut line = String::new();
    if std::io::stdin().lock().read_line(&mut line)? == 0 {
        writeln!(std::io::stderr())?;
        return Ok(None);
    }
    Ok(Some(line.trim_end_matches(['\n', '\r']).to_owned()))
}

/// Waits for an answer; what takes longer than a second tells how far it has come.
pub(crate) fn with_progress<T: Send>(
    service: &Connection,
    ask: impl FnOnce() -> Result<T, Failure>,
) -> Result<T, Failure> {
    let (over, shown) = (AtomicBool::new(false), std::io::stderr().is_terminal());
    std::thread::scope(|threads| {
        let telling = threads.spawn(|| {
            let mut told = false;
            std::thread::park_timeout(SOON);
            while !over.load(Ordering::Acquire) {
                if let Ok(Status { work: Some(work), .. }) = service.get("/status")
                    && shown
                {
                    let _ = write!(
                        std::io::stderr(),
                        "\r\u{1b}[K{}",
                        said!("{what}: {done} of {all}", what = work.what, done = work.done, all = work.of)
                    );
                    told = true;
                }
                std::thread::park_timeout(SOON / 2);
            }
            if told {
                let _ = write!(std::io::stderr(), "\r\u{1b}[K");
            }
        });
        let answer = ask();
        over.store(true, Ordering::Release);
        telling.thread().unpark();
        answer
    })
}
