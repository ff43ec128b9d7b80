//! Weaving and sealing what is searched, in the background: in order and with seals a search looks only where it may find.

use std::collections::HashMap;
use std::time::Duration;

use tokio::time::Instant;
use yadori_core::search::texts::Sealable;

use super::find::make_way;
use crate::state::app::Shared;

/// How often it is looked whether there is something to seal, at most.
const LOOK: Duration = Duration::from_secs(1);
/// How long texts that were sealed and have changed are scanned before they are sealed anew: where each copy lets the oldest one
/// go, the oldest texts change with each.
const QUIET: Duration = Duration::from_mins(1);
/// How long nothing comes late before what did is woven in, be it little.
const STILL: Duration = Duration::from_secs(if cfg!(test) { 1 } else { 5 });

/// Seals until the service ends, one run of blocks after another, on a thread that lets everything else run first.
pub(crate) async fn run(app: Shared) {
    let mut lately: HashMap<Sealable, Instant> = HashMap::new();
    let mut late = (0, Instant::now());
    loop {
        lately.retain(|_, at| at.elapsed() < QUIET);
        let now_late = app.clips.texts().late();
        if late.0 != now_late {
            late = (now_late, Instant::now());
        }
        let still = late.1.elapsed() >= STILL;
        if let Some(weaving) = app.clips.weaving(still) {
            tokio::select! {
                woven = aside(move || weaving.weave()) => app.clips.put_woven(woven.flatten()),
                () = app.shutdown.cancelled() => return,
            }
            continue;
        }
        let Some(sealing) = app.clips.unsealed(&|which| lately.contains_key(&which)) else {
            let wait = match (still || late.0 == 0, lately.is_empty()) {
                (false, _) => STILL.saturating_sub(late.1.elapsed()),
                (true, false) => QUIET,
                (true, true) => Duration::from_hours(24),
            };
            tokio::select! {
                () = app.clips.searched_changes() => {}
                () = tokio::time::sleep(wait) => {}
                () = app.shutdown.cancelled() => return,
            }
            tokio::select! {
                () = tokio::time::sleep(LOOK) => {}
                () = app.shutdown.cancelled() => return,
            }
            continue;
        };
        lately.insert(sealing.which(), Instant::now());
        tokio::select! {
            sealed = aside(move || sealing.seal()) => sealed.into_iter().for_each(|sealed| app.clips.put_seal(sealed)),
            () = app.shutdown.cancelled() => return,
        }
    }
}

/// Works on a thread of its own that lets everything else run first.
async fn aside<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Option<T> {
    let (give, done) = tokio::sync::oneshot::channel();
    let work = move || {
        make_way();
        let _ = give.send(work());
    };
    if let Err(why) = std::thread::Builder::new().name("sealing".into()).spawn(work) {
        tracing::warn!("searches stay slower for now: no thread to seal what is searched: {why}");
        tokio::time::sleep(LOOK).await;
    }
    done.await.ok()
}

#[cfg(test)]
mod tests {
    use std::collections::HashMap;
    use std::sync::Arc;

    use jiff::tz::TimeZone;
    use tokio_util::sync::CancellationToken;
    use yadori_core::history::stored::StoredClip;
    use yadori_core::search::Query;
    use yadori_core::search::when::Here;
    use yadori_core::{Class, ClipId, ClipState, DeviceId, Facts, OfferRecord, Stamp};

    use super::*;
    use crate::state::app::App;

    const DEVICE: DeviceId = DeviceId([1; 16]);

    fn clip(n: u64, text: &str) -> StoredClip {
        let mut state = ClipState::default();
        let stamp = Stamp { wall_ms: n + 1, counter: 0, device: DEVICE };
        let at = i64::try_from(n).unwrap() + 1;
        state.capture(OfferRecord::default(), at, stamp);
        let facts = Some(Facts::of_text(text, text.len() as u64, false));
        StoredClip { id: ClipId::of(Class::Text, &[&n.to_le_bytes()]), state, facts, ordered_at: at }
    }

    async fn until(what: &str, is: impl Fn() -> bool) {
        let end = Instant::now() + Duration::from_secs(60);
        while !is() {
            assert!(Instant::now() < end, "{what}");
            tokio::task::yield_now().await;
        }
    }

    #[tokio::test]
    async fn what_is_old_is_sealed_by_itself_and_found_and_a_removal_opens_it() {
        let shutdown = CancellationToken::new();
        let app = Arc::new(App::new(DEVICE, None, "run".into(), Duration::from_secs(600), shutdown.clone()));
        let sealing = tokio::spawn(run(app.clone()));
        let put = |from: u64, to: u64| {
            let text =
                |n: u64| if n == 77 { "a rare orchid".to_owned() } else { format!("bunk {n} of the hut") };
            app.clips.settle_many((from..to).map(|n| clip(n, &text(n))).collect(), &[], &HashMap::new());
        };
        put(0, 6_000);
        until("it is sealed", || app.clips.texts().seal_bytes() > 0).await;
        // What comes later is sealed as well, and is found before it is.
        put(6_000, 12_000);
        let found = |words: &str| {
            let here = Here { now: 0, zone: TimeZone::UTC };
            let query = Query::parse(words, &here).unwrap();
            app.clips.texts().find(&query, &app.clips.drawers(), 3, &|| true).unwrap().ids
        };
        let id = |n: u64| ClipId::of(Class::Text, &[&n.to_le_bytes()]);
        assert_eq!(found("\"bunk 11999\""), [id(11_999)]);
        let before = app.clips.texts().seal_bytes();
        until("more is sealed", || app.clips.texts().seal_bytes() > before).await;
        assert_eq!((found("orchid"), found("\"bunk 11999\"")), (vec![id(77)], vec![id(11_999)]));
        let before = app.clips.texts().seal_bytes();
        app.clips.forget(id(77));
        assert!(app.clips.texts().seal_bytes() < before, "at once");
        assert_eq!(found("orchid"), []);
        // What came late, more than is woven at once, comes to its place by itself, and is found all the while.
        let late =
            |n: u64| StoredClip { ordered_at: -i64::try_from(n).unwrap(), ..clip(n, &format!("late {n}")) };
        app.clips.settle_many((20_000..24_000).map(late).collect(), &[], &HashMap::new());
        assert_eq!((app.clips.texts().late(), found("\"late 23999\"")), (4_000, vec![id(23_999)]));
        until("it is woven", || app.clips.texts().late() == 0).await;
        assert_eq!((found("\"late 23999\""), found("\"late 20000\"")), (vec![id(23_999)], vec![id(20_000)]));
        assert!(app.clips.texts().seal_bytes() > 0, "and is sealed by then");
        shutdown.cancel();
        sealing.await.unwrap();
    }
}
