//! `yadori-hub`: reads flags and the file, runs the hub until a signal.

use std::io::Write;
use std::path::Path;
use std::process::ExitCode;

use clap::Parser;
use tokio::signal::unix::{SignalKind, signal};
use tokio_util::sync::CancellationToken;
use tracing_subscriber::layer::SubscriberExt;
use tracing_subscriber::util::SubscriberInitExt;
use yadori_hub::run::{invite, run};
use yadori_hub::settings::{EXAMPLE, Flags, Verb, resolve};

/// A request makes many small things that do not live long.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    // Files are for this user alone, whatever was in force before.
    rustix::process::umask(rustix::fs::Mode::from_raw_mode(0o077));
    match start(&Flags::parse()) {
        Ok(()) => ExitCode::SUCCESS,
        Err(why) => {
            #[expect(clippy::print_stderr, reason = "the one place where the hub speaks of failures")]
            {
                eprintln!("yadori-hub: {why:#}");
            }
            ExitCode::FAILURE
        }
    }
}

fn say(words: &str) {
    // Nobody may be listening any more.
    let _ = writeln!(std::io::stdout(), "{words}");
}

fn start(flags: &Flags) -> anyhow::Result<()> {
    let settings = resolve(&flags.home, flags.listen)?;
    // As many threads as the machine has cores, two at least.
    let threads = std::thread::available_parallelism().map_or(2, |cores| cores.get().max(2));
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(threads).enable_all().build()?;
    match flags.verb.clone().unwrap_or(Verb::Serve) {
        Verb::Example => say(EXAMPLE.trim_end()),
        Verb::Invite { days } => say(&runtime.block_on(invite(&settings, days))?),
        Verb::Serve => {
            std::fs::create_dir_all(&flags.home)?;
            log_to(&flags.home)?;
            runtime.block_on(async {
                let shutdown = CancellationToken::new();
                end_on_signals(&shutdown)?;
                run(settings, shutdown, |address| say(&format!("yadori-hub answers at {address}"))).await?;
                anyhow::Ok(())
            })?;
        }
    }
    Ok(())
}

/// A file a day in the hub's home, a week of them. Of libraries, errors at most.
fn log_to(home: &Path) -> anyhow::Result<()> {
    std::fs::create_dir_all(home.join("logs"))?;
    let file = tracing_appender::rolling::Builder::new()
        .rotation(tracing_appender::rolling::Rotation::DAILY)
        .filename_prefix("hub")
        .filename_suffix("log")
        .max_log_files(7)
        .build(home.join("logs"))?;
    let filter = tracing_subscriber::EnvFilter::new("error,yadori_hub=info");
    let layer = tracing_subscriber::fmt::layer().with_ansi(false).with_writer(file);
    tracing_subscriber::registry().with(filter).with(layer).try_init()?;
    Ok(())
}

fn end_on_signals(shutdown: &CancellationToken) -> anyhow::Result<()> {
    for kind in [SignalKind::terminate(), SignalKind::interrupt(), SignalKind::hangup()] {
        let mut signals = signal(kind)?;
        let shutdown = shutdown.clone();
        tokio::spawn(async move {
            signals.recv().await;
            shutdown.cancel();
        });
    }
    Ok(())
}
