//! What a private server takes on the disk: looked at now and then, shown, and given back when it is much more than the
//! contents need.

use std::path::Path;
use std::time::Duration;

use yadori_api::Space;

use crate::records::room::Disk;
use crate::state::app::Shared;

/// How often it is looked at.
const EACH: Duration = Duration::from_secs(600);
/// The first look comes soon after the start.
const FIRST: Duration = Duration::from_secs(5);
/// How long after clips have gone it is looked at.
const AFTER: Duration = Duration::from_secs(20);
/// Beyond one and a third times the contents and so many bytes, room is given back: the promise is one and a half times
/// and 200 MB.
const BESIDE: u64 = 140 << 20;

/// Bytes of the files below a directory, as they lie on the disk.
fn bytes_of(directory: &Path) -> u64 {
    use std::os::unix::fs::MetadataExt;
    let Ok(entries) = std::fs::read_dir(directory) else { return 0 };
    let bytes = |entry: std::fs::DirEntry| match entry.metadata() {
        Ok(known) if known.is_dir() => bytes_of(&entry.path()),
        Ok(known) => known.blocks() * 512,
        Err(_) => 0,
    };
    entries.filter_map(Result::ok).map(bytes).sum()
}

/// True when room is to be given back.
fn is_much(space: Space) -> bool {
    space.disk > space.contents + space.contents / 3 + BESIDE
}

async fn look(app: &Shared, directory: &Path) -> Option<Space> {
    let store = app.at_hand.store()?;
    let contents = store.content_bytes().await.ok()?;
    let directory = directory.to_owned();
    let disk = tokio::task::spawn_blocking(move || bytes_of(&directory)).await.ok()?;
    let space = Space { disk, contents };
    app.health.change(|health| health.space = Some(space));
    Some(space)
}

/// Looks after the room that the records take, until the service ends.
pub async fn run(app: Shared, disk: Disk) {
    let Some(directory) = disk.directory().map(|data| data.join("records")) else { return };
    let mut next = FIRST;
    loop {
        tokio::select! {
            () = tokio::time::sleep(next) => {}
            () = app.went() => {
                tokio::time::sleep(AFTER).await;
                app.until_idle().await;
            }
            () = app.shutdown.cancelled() => return,
        }
        next = EACH;
        let Some(space) = look(&app, &directory).await else { continue };
        // The largest table lies there twice meanwhile.
        if !is_much(space) || !disk.has_room(space.contents) {
            continue;
        }
        let Some(store) = app.at_hand.store() else { continue };
        match store.give_back_room().await {
            Ok(tables) if tables > 0 => {
                let now = look(&app, &directory).await.unwrap_or(space);
                tracing::info!("room was given back: {} bytes are {} now", space.disk, now.disk);
            }
            Ok(_) => {}
            Err(why) => tracing::warn!("no room could be given back now: {why}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_shown_stays_below_what_is_promised() {
        let of = |disk, contents| Space { disk, contents };
        assert!(!is_much(of(100 << 20, 0)));
        assert!(!is_much(of(2 << 30, 2 << 30)));
        for contents in [0_u64, 1 << 20, 1 << 30, 1 << 34] {
            let promised = contents * 3 / 2 + (200 << 20);
            assert!(is_much(of(promised, contents)), "{contents}");
        }
    }
}
