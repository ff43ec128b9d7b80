//! Logs: a file a day in the home's log directory, a few days of them, and warnings on standard error. Contents,
//! queries, titles and addresses are never logged.

use std::path::Path;

use tracing::Level;
use tracing_appender::rolling::{Builder, InitError, Rotation};
use tracing_subscriber::filter::EnvFilter;
use tracing_subscriber::layer::{Layer, SubscriberExt};
use tracing_subscriber::util::SubscriberInitExt;

/// Starts logging for the process.
pub fn start(dir: &Path, level: Level, days: usize) -> Result<(), InitError> {
    let file = Builder::new()
        .rotation(Rotation::DAILY)
        .filename_prefix("yadorid")
        .filename_suffix("log")
        .max_log_files(days)
        .build(dir)?;
    // Libraries may quote what passes through them: of theirs, warnings at most.
    let filter = EnvFilter::new(format!(
        "warn,sqlx=error,yadori_core={level},yadori_store={level},yadori_desk={level},yadori_service={level},yadorid={level}"
    ));
    let to_file = tracing_subscriber::fmt::layer().with_ansi(false).with_writer(file).with_filter(filter);
    let to_terminal = tracing_subscriber::fmt::layer()
        .with_ansi(false)
        .without_time()
        .with_target(false)
        .with_writer(std::io::stderr)
        .with_filter(EnvFilter::new("warn,sqlx=error"));
    let _ = tracing_subscriber::registry().with(to_file).with(to_terminal).try_init();
    Ok(())
}
