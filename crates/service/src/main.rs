//! `yadorid`: reads flags and the environment, starts logging, runs the service until a signal.

use std::path::PathBuf;
use std::process::ExitCode;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;

use clap::Parser;
use rustix::process::{Resource, Rlimit, getrlimit, setrlimit};
use tokio::signal::unix::{SignalKind, signal};
use tokio_util::sync::CancellationToken;
use yadori_service::home::place::BaseDirectories;
use yadori_service::home::settings::{Flags, Settings, resolve};
use yadori_service::home::{logging, memory};
use yadori_service::records::rebuild;
use yadori_service::run::run;
use zeroizing_alloc::ZeroAlloc;

/// Memory that is given back is overwritten first, so that nothing that was removed stays behind in it.
#[global_allocator]
static ALLOCATOR: ZeroAlloc<std::alloc::System> = ZeroAlloc(std::alloc::System);

/// How long work on other threads may take at the end; what can't be ended is left to the end of the process.
const LAST_WORK: Duration = Duration::from_secs(2);

fn main() -> ExitCode {
    memory::settle();
    // Files are for this user alone, whatever was in force before.
    rustix::process::umask(rustix::fs::Mode::from_raw_mode(0o077));
    let flags = Flags::parse();
    match settings(flags).and_then(start) {
        Ok(()) => ExitCode::SUCCESS,
        Err(why) => {
            #[expect(clippy::print_stderr, reason = "the one place where the service speaks to a terminal")]
            {
                eprintln!("yadorid: {why:#}");
            }
            ExitCode::FAILURE
        }
    }
}

fn settings(flags: Flags) -> anyhow::Result<Settings> {
    let path = |name: &str| std::env::var_os(name).map(PathBuf::from);
    let base = BaseDirectories {
        home: path("HOME"),
        config: path("XDG_CONFIG_HOME"),
        data: path("XDG_DATA_HOME"),
        state: path("XDG_STATE_HOME"),
        run: path("XDG_RUNTIME_DIR"),
    };
    // On a desktop that has both, both are watched.
    let displays = ["WAYLAND_DISPLAY", "DISPLAY"].map(|name| std::env::var(name).unwrap_or_default());
    Ok(resolve(flags, &base, Some(displays.join(" ")))?)
}

fn start(settings: Settings) -> anyhow::Result<()> {
    // A core dump would hold what was copied.
    setrlimit(Resource::Core, Rlimit { current: Some(0), maximum: Some(0) })?;
    // Connections have limits of their own; the database and the log must never lack a descriptor.
    let files = getrlimit(Resource::Nofile);
    let _ = setrlimit(Resource::Nofile, Rlimit { current: files.maximum, ..files });
    std::fs::create_dir_all(&settings.home.logs)?;
    logging::start(&settings.home.logs, settings.log_level, settings.log_days)?;
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(2)
        .enable_all()
        // A thread that has nothing to do holds nothing of what it did.
        .on_thread_park(yadori_core::text::stack::overwrite_stack)
        .build()?;
    let outcome = runtime.block_on(async {
        let shutdown = CancellationToken::new();
        end_on_signals(&shutdown)?;
        run(settings, shutdown, |_| {
            // systemd's readiness protocol; does nothing when not started by systemd.
            let _ = sd_notify::notify(false, &[sd_notify::NotifyState::Ready]);
        })
        .await
        .map_err(anyhow::Error::from)
    });
    runtime.shutdown_timeout(LAST_WORK);
    // It ended to rebuild its records; if it was asked to end meanwhile, the next start does that.
    if outcome.is_ok() && rebuild::is_asked() && !ASKED_TO_END.load(Ordering::SeqCst) {
        memory::start_again();
    }
    outcome
}

/// A signal has asked for the end, also while it was ending for a reason of its own.
static ASKED_TO_END: AtomicBool = AtomicBool::new(false);

fn end_on_signals(shutdown: &CancellationToken) -> anyhow::Result<()> {
    for kind in [SignalKind::terminate(), SignalKind::interrupt(), SignalKind::hangup()] {
        let mut signals = signal(kind)?;
        let shutdown = shutdown.clone();
        tokio::spawn(async move {
            signals.recv().await;
            ASKED_TO_END.store(true, Ordering::SeqCst);
            shutdown.cancel();
        });
    }
    Ok(())
}
