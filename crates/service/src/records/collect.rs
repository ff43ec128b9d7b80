//! Contents that were staged and never used. They are found beside the writer, and deleted by it, a few at a time, each
//! if it is still unneeded then.

use yadori_core::Micros;
use yadori_store::Store;

use crate::writer::Queue;

/// Unneeded contents that are deleted in one change.
const AT_ONCE: u32 = 64;

/// Deletes what was staged before `before` and is needed by nobody.
pub(crate) async fn collect(store: Store, queue: Queue, before: Micros) {
    if let Err(why) = store.forget_portions().await {
        tracing::warn!(
            "what was noted for clearings that never came about stays until the next start: {why}"
        );
    }
    let mut after = None;
    let mut count = 0;
    // Each round begins after the last one's end, so that there is an end.
    loop {
        let found = match store.unneeded(before, after, AT_ONCE).await {
            Ok(found) => found,
            Err(why) => return tracing::warn!("contents that nothing refers to could not be found: {why}"),
        };
        let Some(last) = found.last() else { break };
        after = Some(*last);
        count += found.len();
        if let Err(why) = queue.collect(found).await {
            return tracing::warn!("contents that nothing refers to stay until the next start: {why}");
        }
    }
    if count > 0 {
        tracing::info!("{count} contents that nothing referred to were looked at");
    }
}
