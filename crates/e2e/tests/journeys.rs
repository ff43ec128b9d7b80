//! Half a minute each of what `make soak` does for ten: by keys alone, by pointer alone, by touch, at twenty arrivals a
//! second with another client acting at random. Every act in the log was asked for.

use std::time::Duration;

use anyhow::Result;
use yadori_e2e::journey::{By, journey};

const TIME: Duration = Duration::from_secs(30);

async fn hold(by: By, seed: u64) -> Result<()> {
    let done = journey(by, TIME, seed).await?;
    assert!(done.arrived > 100 && done.others > 10, "{done:?}");
    assert!(done.found >= 3, "{done:?}");

    Ok(())
}

#[tokio::test]
async fn by_keys_alone() -> Result<()> {
    hold(By::Keys, 7).await
}

#[tokio::test]
async fn by_pointer_alone() -> Result<()> {
    hold(By::Pointer, 11).await
}

#[tokio::test]
async fn by_touch() -> Result<()> {
    hold(By::Touch, 13).await
}
