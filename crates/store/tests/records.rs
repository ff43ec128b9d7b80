//! The records, against a real MariaDB started by the tests: one server for this file, a schema for each test.

use std::path::PathBuf;
use std::process::Command;
use std::sync::{Arc, Mutex, Weak};
use std::time::{Duration, Instant};

use sqlx::AssertSqlSafe;
use sqlx::mysql::MySqlPool;
use tempfile::TempDir;
use yadori_core::acts::ActKind;
use yadori_core::batch::Piece;
use yadori_core::clip::pictured::Pictured;
use yadori_core::{
    Batch, BatchId, Class, ClipId, ClipState, Content, DeviceId, Digest, Facts, OfferRecord, RefusalReason,
    RepresentationRecord, Stamp, StoredClip,
};
use yadori_store::server::{PrivateServer, ServerPaths, ServerState, current_user};
use yadori_store::{
    ActRow, BatchChange, CHUNK, CLIP, CommitError, DraftRow, DueState, ExchangeRow, Group, Location, Noted,
    OpenError, OutgoingRow, ReadError, RefusalRow, Store,
};

const DEVICE: DeviceId = DeviceId([1; 16]);

struct Server {
    private: PrivateServer,
    paths: ServerPaths,
    _dir: TempDir,
}

impl Server {
    fn start() -> Self {
        let dir = tempfile::Builder::new().prefix("yadori-store-").tempdir().unwrap();
        let paths = ServerPaths {
            data: dir.path().join("records"),
            socket: dir.path().join("s"),
            log: dir.path().join("records.log"),
        };
        let private = PrivateServer::start(paths.clone()).unwrap();
        let server = Self { private, paths, _dir: dir };
        server.until(|state| *state == ServerState::Ready);
        server
    }

    fn until(&self, wanted: impl Fn(&ServerState) -> bool) {
        let state = self.private.state();
        let end = Instant::now() + Duration::from_secs(60);
        while !wanted(&state.borrow()) {
            assert!(Instant::now() < end, "{:?}", *state.borrow());
            std::thread::sleep(Duration::from_millis(5));
        }
    }

    fn location(&self, schema: &str) -> Location {
        let user = current_user().unwrap();
        Location::Url(format!("mysql://{user}@localhost/{schema}?socket={}", self.paths.socket.display()))
    }
}

/// The server of this file, started by the first test and ended with the last.
fn shared() -> Arc<Server> {
    static SHARED: Mutex<Weak<Server>> = Mutex::new(Weak::new());
    let mut shared = SHARED.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    shared.upgrade().unwrap_or_else(|| {
        let server = Arc::new(Server::start());
        *shared = Arc::downgrade(&server);
        server
    })
}

async fn execute(server: &Server, schema: &str, sql: &str) {
    let Location::Url(url) = server.location(schema) else { unreachable!() };
    let pool = MySqlPool::connect(&url).await.unwrap();
    sqlx::query(AssertSqlSafe(sql)).execute(&pool).await.unwrap();
    pool.close().await;
}

/// A schema of its own on the shared server.
async fn store(schema: &str) -> (Arc<Server>, Store) {
    let server = shared();
    // Several tests are on it at once.
    execute(&server, "mysql", "SET GLOBAL max_connections = 100").await;
    execute(
        &server,
        "mysql",
        &format!("CREATE DATABASE {schema} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin"),
    )
    .await;
    let store = Store::open(&server.location(schema), DEVICE).await.unwrap();
    (server, store)
}

/// Commits a group under an id of its own.
async fn commit(store: &Store, group: &Group) -> Result<(), CommitError> {
    static NEXT: std::sync::atomic::AtomicU64 = std::sync::atomic::AtomicU64::new(1);
    let n = NEXT.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
    store.commit(u128::from(n).to_be_bytes(), group).await
}

async fn all_clips(store: &Store) -> Result<Vec<StoredClip>, ReadError> {
    let (give, mut rows) = tokio::sync::mpsc::channel(1);
    let take = async {
        let mut clips = Vec::new();
        while let Some(some) = rows.recv().await {
            for clip in yadori_store::ClipRows::read(some) {
                clips.push(clip?);
            }
        }
        Ok(clips)
    };
    let given = async {
        let given = store.each_clip(&give).await;
        drop(give);
        given
    };
    let (given, clips) = tokio::join!(given, take);
    given.and(clips)
}

async fn count(store: &Store, sql: &'static str) -> i64 {
    sqlx::query_scalar(sql).fetch_one(store.pool()).await.unwrap()
}

fn stamp(wall_ms: u64) -> Stamp {
    Stamp { wall_ms, counter: 0, device: DEVICE }
}

fn clip(text: &str, at: u64) -> (StoredClip, (Digest, Content)) {
    let content = Content::new(text.to_owned());
    let record = RepresentationRecord {
        mime: "text/plain;charset=utf-8".into(),
        size: content.len() as u64,
        digest: content.digest(),
    };
    let mut state = ClipState::default();
    state.capture(
        OfferRecord { representations: vec![record], ..OfferRecord::default() },
        at as i64,
        stamp(at),
    );
    let facts = Some(Facts::of_text(text, content.len() as u64, false));
    let row =
        StoredClip { id: ClipId::of(Class::Text, &[text.as_bytes()]), state, facts, ordered_at: at as i64 };
    (row, (content.digest(), content))
}

fn group_of(clips: &[(StoredClip, (Digest, Content))]) -> Group {
    Group {
        clips: clips.iter().map(|(row, _)| row.clone()).collect(),
        contents: clips.iter().map(|(_, content)| content.clone()).collect(),
        clock: Some(stamp(99)),
        ..Group::default()
    }
}

#[tokio::test]
async fn a_committed_group_is_read_back_as_it_was() {
    let (_server, store) = store("read_back").await;
    let clips = [clip("oats", 1), clip("山小屋 😀 é", 2), clip("a", 3), clip("a ", 4)];
    commit(&store, &group_of(&clips)).await.unwrap();
    let mut rows = all_clips(&store).await.unwrap();
    rows.sort_by_key(|row| row.ordered_at);
    assert_eq!(rows.len(), 4);
    for (row, (wanted, (digest, content))) in rows.iter().zip(&clips) {
        assert_eq!((&row.id, &row.state, &row.facts), (&wanted.id, &wanted.state, &wanted.facts));
        assert_eq!(&store.content(*digest).await.unwrap(), content);
    }
    assert_eq!(store.clock().await.unwrap(), Some(stamp(99)));
}

#[tokio::test]
async fn the_same_content_is_stored_once_and_a_large_one_in_chunks() {
    let (_server, store) = store("chunks").await;
    let large = Content::new((0..5 * CHUNK / 2).map(|n| (n % 251) as u8).collect::<Vec<_>>());
    store.stage(large.digest(), &large, 1).await.unwrap();
    store.stage(large.digest(), &large, 1).await.unwrap();
    commit(&store, &group_of(&[clip("oats", 1), clip("oats", 2)])).await.unwrap();
    assert_eq!(count(&store, "SELECT COUNT(*) FROM contents").await, 2);
    assert_eq!(count(&store, "SELECT COUNT(*) FROM chunks").await, 4);
    assert_eq!(store.content(large.digest()).await.unwrap(), large);
}

#[tokio::test(flavor = "multi_thread", worker_threads = 4)]
async fn large_contents_that_come_at_once_are_all_written_and_short_ones_go_between_them() {
    let (_server, store) = store("at_once").await;
    let large =
        |n: usize| Content::new((0..13 * CHUNK / 3).map(|at| (at % 251 + n) as u8).collect::<Vec<_>>());
    let all: Arc<Vec<Content>> = Arc::new((0..12).map(large).collect());
    // What a service that was killed leaves half-way.
    for content in all.iter().step_by(2) {
        sqlx::query("INSERT INTO chunks (digest, n, data) VALUES (?, 1, 'half'), (?, 3, 'half')")
            .bind(&content.digest().0[..])
            .bind(&content.digest().0[..])
            .execute(store.pool())
            .await
            .unwrap();
    }
    let staging: Vec<_> = (0..all.len())
        .map(|n| {
            let (store, all) = (store.clone(), all.clone());
            tokio::spawn(async move { store.stage(all[n].digest(), &all[n], 1).await })
        })
        .collect();
    for n in 0..30 {
        commit(&store, &group_of(&[clip(&format!("Kestrel Hut, bunk {n}"), n)])).await.unwrap();
    }
    for one in staging {
        one.await.unwrap().unwrap();
    }
    for content in all.iter() {
        assert_eq!(&store.content(content.digest()).await.unwrap(), content);
    }
    assert_eq!(count(&store, "SELECT COUNT(*) FROM chunks").await, 12 * 5 + 30);
}

#[tokio::test]
async fn a_change_whose_content_was_not_staged_is_refused_whole() {
    let (_server, store) = store("not_staged").await;
    let mut group = group_of(&[clip("oats", 1)]);
    group.staged.push(Content::new("elsewhere").digest());
    assert!(matches!(commit(&store, &group).await, Err(CommitError::NotStaged)));
    assert_eq!(count(&store, "SELECT COUNT(*) FROM clips").await, 0);
    assert_eq!(count(&store, "SELECT COUNT(*) FROM contents").await, 0);
}

async fn collect(store: &Store, before: i64) -> usize {
    let mut after = None;
    let mut count = 0;
    loop {
        let unneeded = store.unneeded(before, after, 3).await.unwrap();
        let Some(last) = unneeded.last() else { return count };
        after = Some(*last);
        count += unneeded.len();
        commit(store, &Group { unneeded, ..Group::default() }).await.unwrap();
    }
}

#[tokio::test]
async fn orphans_are_collected_and_what_is_used_stays() {
    let (_server, store) = store("orphans").await;
    let (row, (digest, content)) = clip("kept", 1);
    commit(&store, &group_of(&[(row, (digest, content))])).await.unwrap();
    let (lost, later) = (Content::new("staged and forgotten"), Content::new("staged just now"));
    store.stage(lost.digest(), &lost, 10).await.unwrap();
    store.stage(later.digest(), &later, 100).await.unwrap();
    sqlx::query("INSERT INTO chunks (digest, n, data) VALUES (REPEAT('x', 32), 0, 'half')")
        .execute(store.pool())
        .await
        .unwrap();
    assert_eq!(collect(&store, 50).await, 2);
    assert!(store.content(digest).await.is_ok());
    assert!(store.content(later.digest()).await.is_ok());
    assert!(matches!(store.content(lost.digest()).await, Err(ReadError::Damaged(_))));
    assert_eq!(count(&store, "SELECT COUNT(*) FROM chunks").await, 2);
}

/// Clips with large contents of few kinds are staged by several, committed, removed and collected at once; afterwards
/// every clip that is there has its whole content.
#[tokio::test(flavor = "multi_thread", worker_threads = 4)]
async fn staging_committing_removing_and_collecting_at_once_destroy_no_content() {
    let (_server, store) = store("at_once").await;
    let large = |n: usize| {
        let content =
            Content::new((0..CHUNK * 2 + 7).map(|at| ((at * (n + 3)) % 253) as u8).collect::<Vec<_>>());
        let record = RepresentationRecord {
            mime: "image/png".into(),
            size: content.len() as u64,
            digest: content.digest(),
        };
        let mut state = ClipState::default();
        state.capture(OfferRecord { representations: vec![record], ..OfferRecord::default() }, 1, stamp(1));
        let facts = Some(Facts::of_text("", content.len() as u64, false));
        let id = ClipId::of(Class::Image, &[content.expose()]);
        (StoredClip { id, state, facts, ordered_at: 1 }, content)
    };
    let kinds: Arc<Vec<_>> = Arc::new((0..3).map(large).collect());
    // As the service does it: one writer, and others that stage beside it.
    let (submit, mut queue) = tokio::sync::mpsc::channel::<(usize, bool)>(8);
    let mut stagers = Vec::new();
    for worker in 0..3_usize {
        let (store, kinds, submit) = (store.clone(), kinds.clone(), submit.clone());
        stagers.push(tokio::spawn(async move {
            for round in 0..25_usize {
                let n = (worker + round) % kinds.len();
                let (_, content) = &kinds[n];
                store.stage(content.digest(), content, 1).await.unwrap();
                submit.send((n, round % 3 != 2)).await.unwrap();
                // Half of a content, as a service that was killed leaves it.
                if round % 5 == 4 {
                    sqlx::query("REPLACE INTO chunks (digest, n, data) SELECT ?, 0, 'half'")
                        .bind(vec![b'a' + worker as u8; 32])
                        .execute(store.pool())
                        .await
                        .unwrap();
                }
            }
        }));
    }
    drop(submit);
    let collecting = {
        let store = store.clone();
        tokio::spawn(async move { store.unneeded(i64::MAX, None, 100).await.unwrap() })
    };
    let mut unneeded = collecting.await.unwrap();
    let mut there = vec![false; kinds.len()];
    while let Some((n, keep)) = queue.recv().await {
        let (row, content) = &kinds[n];
        let collected = Group { unneeded: std::mem::take(&mut unneeded), ..Group::default() };
        commit(&store, &collected).await.unwrap();
        let mut group =
            Group { clips: vec![row.clone()], staged: vec![content.digest()], ..Group::default() };
        if !keep {
            let gone = StoredClip { state: row.state.tombstone(), facts: None, ..row.clone() };
            group =
                Group { clips: vec![gone], dropped: vec![(row.id.0, content.digest())], ..Group::default() };
        }
        loop {
            match commit(&store, &group).await {
                Ok(()) => break,
                Err(CommitError::NotStaged) => store.stage(content.digest(), content, 1).await.unwrap(),
                Err(why) => panic!("{why}"),
            }
        }
        there[n] = keep;
        for (n, there) in there.iter().enumerate().filter(|(_, there)| **there) {
            let content = store.content(kinds[n].1.digest()).await;
            assert_eq!(content.unwrap(), kinds[n].1, "clip {n} is there: {there}");
        }
        unneeded = store.unneeded(i64::MAX, None, 100).await.unwrap();
    }
    for stager in stagers {
        stager.await.unwrap();
    }
    collect(&store, i64::MAX).await;
    let kept = there.iter().filter(|there| **there).count() as i64;
    assert_eq!(count(&store, "SELECT COUNT(*) FROM contents").await, kept);
    assert_eq!(count(&store, "SELECT COUNT(*) FROM chunks").await, kept * 3);
}

/// What is read from pictures is kept and wiped at once, in whatever order: words stay where the picture does, and nowhere
/// else.
#[tokio::test(flavor = "multi_thread", worker_threads = 4)]
async fn words_of_a_picture_go_with_it_whenever_they_were_read() {
    let (_server, store) = store("pictured").await;
    let table = "5\t1\t1\t1\t1\t1\t4\t2\t9\t4\t96\tKestrel\n";
    let words = Pictured::from_table(table, (40, 20), (40, 20));
    let (row, (kept, content)) = clip("a picture", 1);
    commit(&store, &group_of(&[(row, (kept, content))])).await.unwrap();
    assert!(store.keep_pictured(kept, &words).await.unwrap());
    let mut readers = Vec::new();
    for n in 0..60_u64 {
        let content = Content::new(format!("picture {n}"));
        let digest = content.digest();
        store.stage(digest, &content, 1).await.unwrap();
        let (other, words) = (store.clone(), words.clone());
        readers.push(tokio::spawn(async move {
            for _ in 0..4 {
                match other.keep_pictured(digest, &words).await {
                    Ok(false) => return,
                    Ok(true) | Err(CommitError::Away(_) | CommitError::Refused(_)) => {}
                    Err(why) => panic!("{why}"),
                }
                tokio::task::yield_now().await;
            }
        }));
        if n % 20 == 19 {
            collect(&store, i64::MAX).await;
        }
    }
    for reader in readers {
        reader.await.unwrap();
    }
    assert_eq!(store.pictured(&[kept]).await.unwrap().get(&kept), Some(&words));
    assert!(!store.keep_pictured(Content::new("never there").digest(), &words).await.unwrap());
    assert_eq!(count(&store, "SELECT COUNT(*) FROM pictured").await, 1);
}

#[tokio::test]
async fn the_end_of_an_act_wipes_what_only_it_held() {
    let (_server, store) = store("grace").await;
    let (kept, gone) = (clip("kept", 1), clip("removed", 2));
    commit(&store, &group_of(&[kept.clone(), gone.clone()])).await.unwrap();
    let act = ActRow {
        id: [7; 16],
        number: 1,
        at: 100,
        kind: ActKind::Remove,
        payload: b"what was removed".to_vec(),
        holds: vec![gone.1.0, kept.1.0],
        undone: None,
        lasting: false,
        subject: None,
        clips: vec![gone.0.id],
        cleared: None,
        going: yadori_store::STANDS,
    };
    let tombstone = StoredClip { state: gone.0.state.tombstone(), facts: None, ..gone.0.clone() };
    let removal = Group {
        clips: vec![tombstone],
        dropped: vec![(gone.0.id.0, gone.1.0)],
        acts: vec![act],
        ..Group::default()
    };
    commit(&store, &removal).await.unwrap();
    assert!(store.content(gone.1.0).await.is_ok(), "it can still be taken back");
    assert_eq!(store.acts().await.unwrap().iter().map(|act| act.id).collect::<Vec<_>>(), [[7; 16]]);
    assert_eq!(store.act_payload([7; 16]).await.unwrap().unwrap(), b"what was removed");

    commit(&store, &Group { ended: vec![[7; 16]], ..Group::default() }).await.unwrap();
    assert!(matches!(store.content(gone.1.0).await, Err(ReadError::Damaged(_))));
    assert!(store.content(kept.1.0).await.is_ok(), "another clip needs it");
    assert_eq!(count(&store, "SELECT COUNT(*) FROM acts").await, 0);
    assert_eq!(count(&store, "SELECT COUNT(*) FROM chunks WHERE data LIKE '%removed%'").await, 0);
    assert_eq!(
        count(&store, "SELECT COUNT(*) FROM clips WHERE facts IS NOT NULL AND facts LIKE '%removed%'").await,
        0
    );
}

#[tokio::test]
async fn a_batch_is_read_as_it_was_written_and_what_it_alone_held_is_wiped_with_it() {
    let (_server, store) = store("batches").await;
    let (row, content) = clip("hut keys", 1);
    let kept = clip("ridge path", 2);
    commit(&store, &group_of(&[(row.clone(), content.clone()), kept.clone()])).await.unwrap();
    let piece = |row: &StoredClip, record| Piece {
        record,
        label: Some("Field".into()),
        from: Some(row.id),
        offer: row.state.offer().unwrap().clone(),
        facts: row.facts.clone().unwrap(),
    };
    let mut batch = Batch::begun(BatchId([9; 16]), 5);
    batch.add(vec![piece(&row, 0), piece(&kept.0, 1), piece(&row, 1)], None);
    let items = batch.items.clone();
    let put = |batch: &Batch, comes, goes| Group {
        batches: vec![BatchChange::Put { batch: Box::new(batch.clone()), comes, goes }],
        ..Group::default()
    };
    commit(&store, &put(&batch, items.clone(), Vec::new())).await.unwrap();
    assert_eq!(store.batches().await.unwrap(), [batch.clone()]);
    // The clip goes, and the item still has its content.
    let tombstone = StoredClip { state: row.state.tombstone(), facts: None, ..row.clone() };
    let removal = Group { clips: vec![tombstone], dropped: vec![(row.id.0, content.0)], ..Group::default() };
    commit(&store, &removal).await.unwrap();
    assert!(store.content(content.0).await.is_ok());
    let handed = BatchChange::Handed { id: batch.id, next: 2, used_at: 7 };
    commit(&store, &Group { batches: vec![handed], ..Group::default() }).await.unwrap();
    (batch.next, batch.used_at) = (2, 7);
    assert_eq!(store.batches().await.unwrap(), [batch.clone()]);
    // In another order, without one of them.
    batch.items = vec![items[2].clone(), items[0].clone()];
    batch.next = 0;
    commit(&store, &put(&batch, Vec::new(), vec![items[1].id])).await.unwrap();
    assert_eq!(store.batches().await.unwrap(), [batch.clone()]);
    assert_eq!(count(&store, "SELECT COUNT(*) FROM batch_items WHERE body LIKE '%ridge%'").await, 0);
    let end = Group {
        batches: vec![BatchChange::End(batch.id)],
        dropped: vec![(batch.id.0, content.0)],
        ..Group::default()
    };
    commit(&store, &end).await.unwrap();
    assert_eq!(store.batches().await.unwrap(), []);
    assert_eq!(count(&store, "SELECT COUNT(*) FROM batch_items").await, 0);
    assert!(store.content(content.0).await.is_err(), "only the batch held it");
    assert!(store.content(kept.1.0).await.is_ok());
}

#[tokio::test]
async fn one_service_writes_and_the_loser_of_the_lease_writes_no_more() {
    let (server, first) = store("lease").await;
    let location = server.location("lease");
    let other = Store::open(&location, DeviceId([2; 16])).await;
    assert!(matches!(other, Err(OpenError::Leased)), "{other:?}");
    // The same device: its earlier service is gone, since its home is locked.
    let second = Store::open(&location, DEVICE).await.unwrap();
    assert!(matches!(commit(&first, &group_of(&[clip("late", 1)])).await, Err(CommitError::LeaseLost)));
    commit(&second, &group_of(&[clip("now", 2)])).await.unwrap();
    second.close().await;
    assert!(Store::open(&location, DeviceId([2; 16])).await.is_ok(), "a lease that was given back is free");
}

#[tokio::test]
async fn a_newer_schema_is_refused_untouched() {
    let (server, store) = store("newer").await;
    commit(&store, &group_of(&[clip("oats", 1)])).await.unwrap();
    sqlx::query("INSERT INTO _sqlx_migrations (version, description, success, checksum, execution_time) VALUES (20990101000000, 'later', 1, 'x', 1)")
        .execute(store.pool())
        .await
        .unwrap();
    let tables = "SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()";
    let before = count(&store, tables).await;
    let refused = Store::open(&server.location("newer"), DEVICE).await;
    assert!(
        matches!(&refused, Err(why @ OpenError::Newer(20990101000000)) if !why.may_pass()),
        "{refused:?}"
    );
    assert_eq!(count(&store, tables).await, before);
    commit(&store, &group_of(&[clip("the lease was not touched", 2)])).await.unwrap();
}

#[tokio::test]
async fn a_snapshot_does_not_see_later_changes() {
    let (_server, store) = store("snapshot").await;
    commit(&store, &group_of(&[clip("before", 1)])).await.unwrap();
    let mut snapshot = store.snapshot().await.unwrap();
    assert_eq!(snapshot.clips_after(None, 100).await.unwrap().len(), 1);
    commit(&store, &group_of(&[clip("after", 2)])).await.unwrap();
    assert_eq!(snapshot.clips_after(None, 100).await.unwrap().len(), 1);
    snapshot.close().await;
}

#[tokio::test]
async fn refusals_are_kept_without_content_newest_first() {
    let (_server, store) = store("refusals").await;
    let refusal =
        |at, size| RefusalRow { at, reason: RefusalReason::TooLarge, size, program: Some("Drawing".into()) };
    commit(
        &store,
        &Group { refusals: vec![refusal(1, None), refusal(2, Some(70 << 20))], ..Group::default() },
    )
    .await
    .unwrap();
    assert_eq!(store.refusals(1).await.unwrap(), [refusal(2, Some(70 << 20))]);
}

#[tokio::test]
async fn what_was_acknowledged_survives_the_servers_violent_end() {
    let server = Server::start();
    let location = Location::Private { socket: server.paths.socket.clone(), user: current_user().unwrap() };
    let store = Store::open(&location, DEVICE).await.unwrap();
    let mut acknowledged = Vec::new();
    let pid = server.private.pid().unwrap();
    let mut killed = false;
    for n in 0..400 {
        if n == 150 {
            assert!(Command::new("kill").args(["-9", &pid.to_string()]).status().unwrap().success());
            killed = true;
        }
        let one = clip(&format!("clip {n}"), n);
        let id = one.0.id;
        match commit(&store, &group_of(&[one])).await {
            Ok(()) => acknowledged.push(id),
            Err(CommitError::Away(_) | CommitError::Unknown) if killed => break,
            Err(why) => panic!("{why}"),
        }
    }
    assert!(acknowledged.len() >= 150);
    server.until(|_| server.private.pid().is_some_and(|now| now != pid));
    let end = Instant::now() + Duration::from_secs(30);
    let rows = loop {
        match all_clips(&store).await {
            Ok(rows) => break rows,
            Err(_) => assert!(Instant::now() < end, "the server did not come back"),
        }
    };
    for id in acknowledged {
        assert!(rows.iter().any(|row| row.id == id), "an acknowledged clip is gone");
    }
}

#[tokio::test]
async fn a_server_left_behind_is_waited_for_and_never_shared() {
    let mut first = Server::start();
    let paths = first.paths.clone();
    let first_pid = first.private.pid().unwrap();
    let second = PrivateServer::start(paths).unwrap();
    // The second is waiting: nothing but its own start can make it ready.
    assert_eq!(*second.state().borrow(), ServerState::Starting);
    assert_eq!(second.pid(), None);
    first.private.stop();
    let mut state = second.state();
    let ready = state.wait_for(|state| *state == ServerState::Ready);
    tokio::time::timeout(Duration::from_secs(30), ready).await.unwrap().unwrap();
    assert_ne!(second.pid(), Some(first_pid));
}

/// One that was asked to end in the moment of its start may never hear of it; here one that stands still.
#[tokio::test]
async fn a_server_left_behind_that_does_not_end_when_it_is_asked_to_is_ended() {
    let mut first = Server::start();
    let paths = first.paths.clone();
    first.private.stop();
    let mut left = Command::new("mariadbd");
    left.arg(format!("--defaults-file={}", paths.data.join("yadori.cnf").display()));
    if rustix::process::geteuid().is_root() {
        left.arg("--user=root");
    }
    let mut left =
        left.stdout(std::process::Stdio::null()).stderr(std::process::Stdio::null()).spawn().unwrap();
    let end = Instant::now() + Duration::from_secs(60);
    while std::os::unix::net::UnixStream::connect(&paths.socket).is_err() {
        assert!(Instant::now() < end, "the server left behind did not start");
    }
    rustix::process::kill_process(rustix::process::Pid::from_child(&left), rustix::process::Signal::STOP)
        .unwrap();
    let second = PrivateServer::start(paths).unwrap();
    let mut state = second.state();
    let ready = state.wait_for(|state| *state == ServerState::Ready);
    tokio::time::timeout(Duration::from_secs(120), ready).await.unwrap().unwrap();
    assert!(!left.wait().unwrap().success(), "it was killed");
}

#[tokio::test]
async fn a_server_that_cannot_start_says_why() {
    let dir = tempfile::tempdir().unwrap();
    let file: PathBuf = dir.path().join("not-a-directory");
    std::fs::write(&file, "").unwrap();
    let paths =
        ServerPaths { data: file.join("records"), socket: dir.path().join("s"), log: dir.path().join("log") };
    let server = PrivateServer::start(paths).unwrap();
    let state = server.state();
    let end = Instant::now() + Duration::from_secs(20);
    loop {
        if let ServerState::Down { reason, .. } = &*state.borrow() {
            assert!(reason.contains("not-a-directory"), "{reason}");
            break;
        }
        assert!(Instant::now() < end);
    }
}

#[tokio::test]
async fn records_of_the_first_schema_are_brought_up_to_date_with_their_acts() {
    let server = shared();
    execute(&server, "mysql", "CREATE DATABASE first_schema CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin")
        .await;
    let Location::Url(url) = server.location("first_schema") else { unreachable!() };
    let pool = MySqlPool::connect(&url).await.unwrap();
    // As the first version left it: its one migration, and an act that can still be taken back.
    let first = sqlx::migrate::Migrator {
        migrations: yadori_store::MIGRATIONS.iter().take(1).cloned().collect::<Vec<_>>().into(),
        ..sqlx::migrate::Migrator::DEFAULT
    };
    first.run(&pool).await.unwrap();
    sqlx::query("INSERT INTO acts (id, at, kind, payload) VALUES (REPEAT('a', 16), 5, 'remove', '[]')")
        .execute(&pool)
        .await
        .unwrap();
    pool.close().await;
    let store = Store::open(&server.location("first_schema"), DEVICE).await.unwrap();
    let acts = store.acts().await.unwrap();
    assert_eq!((acts.len(), acts[0].kind, acts[0].lasting), (1, ActKind::Remove, false));
    assert_eq!(store.drawers().await.unwrap().len(), 0);
    let draft = |text: Option<&str>| Group {
        drafts: vec![DraftRow { clip: ClipId([3; 16]), text: text.map(str::to_owned) }],
        now: 7,
        ..Group::default()
    };
    commit(&store, &draft(Some("typed"))).await.unwrap();
    assert_eq!(store.draft(ClipId([3; 16])).await.unwrap(), Some((7, "typed".to_owned())));
    commit(&store, &draft(None)).await.unwrap();
    assert_eq!(store.draft(ClipId([3; 16])).await.unwrap(), None);
    store.close().await;
}

#[tokio::test]
async fn whether_a_group_was_committed_can_be_asked_afterwards() {
    let (_server, store) = store("outcome").await;
    store.commit([1; 16], &group_of(&[clip("oats", 1)])).await.unwrap();
    assert!(store.outcome([1; 16]).await.unwrap());
    assert!(!store.outcome([2; 16]).await.unwrap());
    let mut group = group_of(&[clip("gas", 2)]);
    group.staged.push(Content::new("elsewhere").digest());
    assert!(store.commit([2; 16], &group).await.is_err());
    assert!(!store.outcome([2; 16]).await.unwrap(), "what was refused is not there");
    assert!(store.outcome([1; 16]).await.unwrap(), "and changed nothing");
}

/// Everything that groups write, a line each.
async fn all_of(store: &Store) -> Vec<String> {
    let mut all = Vec::new();
    for sql in [
        "SELECT CONCAT_WS(' ', 'clip', HEX(id), HEX(state), HEX(facts), ordered_at, ordered) FROM clips ORDER BY 1",
        "SELECT CONCAT_WS(' ', 'content', HEX(digest), size, staged_at) FROM contents ORDER BY 1",
        "SELECT CONCAT_WS(' ', 'chunk', HEX(digest), n, HEX(data)) FROM chunks ORDER BY 1",
        "SELECT CONCAT_WS(' ', 'use', HEX(holder), HEX(digest)) FROM uses ORDER BY 1",
        "SELECT CONCAT_WS(' ', 'clock', HEX(clock)) FROM service",
    ] {
        let lines: Vec<String> = sqlx::query_scalar(sql).fetch_all(store.pool()).await.unwrap();
        all.extend(lines);
    }
    all
}

/// How often the server has been asked to execute something prepared.
async fn executed(store: &Store) -> u64 {
    use sqlx::{Executor as _, Row as _};
    let row =
        store.pool().fetch_one(sqlx::raw_sql("SHOW GLOBAL STATUS LIKE 'Com_stmt_execute'")).await.unwrap();
    row.get::<String, _>(1).parse().unwrap()
}

#[tokio::test]
async fn copies_take_one_trip_and_leave_what_step_by_step_leaves() {
    // A server of its own, whose statements can be counted.
    let server = Server::start();
    for schema in ["trip", "steps"] {
        let sql = format!("CREATE DATABASE {schema} CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin");
        execute(&server, "mysql", &sql).await;
    }
    let trip = Store::open(&server.location("trip"), DEVICE).await.unwrap();
    let steps = Store::open(&server.location("steps"), DEVICE).await.unwrap();
    let mut state = 20_261_129u64;
    let mut next = |below: u64| {
        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (state >> 33) % below
    };
    let mut together = 0;
    for n in 0..120u64 {
        // The same texts come again and again; some without a content, as when what is known is copied once more.
        let clips: Vec<_> = (0..1 + next(6))
            .map(|_| clip(&"snow ' \\ \u{0} ? 雪 ".repeat(1 + next(40) as usize), n * 10 + next(10)))
            .collect();
        let mut group = group_of(&clips);
        group.clock = (next(4) > 0).then(|| stamp(n));
        group.now = n as i64;
        let short = group.clips.len() <= 4;
        if next(3) == 0 && all_of(&trip).await.len() > 100 {
            group.contents.clear();
        }
        // To the other it is as if somebody else had written meanwhile.
        sqlx::query("UPDATE service SET last_group = ?")
            .bind(&[7u8; 16][..])
            .execute(steps.pool())
            .await
            .unwrap();
        let before = executed(&trip).await;
        commit(&trip, &group).await.unwrap();
        let trips = executed(&trip).await - before;
        // The first knows of none before it.
        assert_eq!(trips == 1, short && n > 0, "{trips} trips for {} clips", group.clips.len());
        together += u32::from(trips == 1);
        let before = executed(&steps).await;
        commit(&steps, &group).await.unwrap();
        assert!(executed(&steps).await - before > 2, "written although another had written meanwhile");
        assert_eq!(all_of(&trip).await, all_of(&steps).await, "after group {n}");
    }
    assert!(together > 50, "{together}");
    // One whose lease is gone writes nothing.
    let taken = Store::open(&server.location("trip"), DEVICE).await.unwrap();
    let before = all_of(&taken).await;
    assert!(matches!(commit(&trip, &group_of(&[clip("late", 1)])).await, Err(CommitError::LeaseLost)));
    assert_eq!(all_of(&taken).await, before);
}

#[tokio::test]
async fn a_copy_that_breaks_off_in_its_one_trip_is_there_whole_or_not_at_all_and_can_be_asked_for() {
    let server = Server::start();
    execute(&server, "mysql", "CREATE DATABASE torn CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin").await;
    let store = Store::open(&server.location("torn"), DEVICE).await.unwrap();
    commit(&store, &group_of(&[clip("first", 1)])).await.unwrap();
    let (mut there, mut not) = (0, 0);
    for n in 0..24u8 {
        let before = all_of(&store).await;
        let texts: Vec<_> = (0..3).map(|k| clip(&format!("bunk {n} {k}").repeat(2_000), 10)).collect();
        let group = group_of(&texts);
        let id = [100 + n; 16];
        // Something of it is held by somebody else for now; its connection is cut meanwhile, or just after.
        let mut held = store.pool().begin().await.unwrap();
        sqlx::query("INSERT INTO uses (holder, digest) VALUES (?, ?)")
            .bind(&texts[1].0.id.0[..])
            .bind(&texts[1].1.0.0[..])
            .execute(&mut *held)
            .await
            .unwrap();
        let going = tokio::spawn({
            let (store, group) = (store.clone(), group.clone());
            async move { store.commit(id, &group).await }
        });
        let waiting: i64 = loop {
            let found: Option<i64> = sqlx::query_scalar(
                "SELECT id FROM information_schema.processlist WHERE info LIKE 'INSERT IGNORE INTO uses%' \
                 AND command = 'Execute'",
            )
            .fetch_optional(store.pool())
            .await
            .unwrap();
            match found {
                Some(id) => break id,
                // The connection was cut right after its last answer: this one found that out.
                None if going.is_finished() => break 0,
                None => tokio::time::sleep(Duration::from_millis(1)).await,
            }
        };
        let kill = AssertSqlSafe(format!("KILL {waiting}"));
        if n % 2 == 0 {
            let killed = sqlx::query(kill).execute(store.pool()).await;
            assert!(waiting == 0 || killed.is_ok(), "{killed:?}");
            held.rollback().await.unwrap();
        } else {
            held.rollback().await.unwrap();
            let _ = sqlx::query(kill).execute(store.pool()).await;
        }
        let said = going.await.unwrap();
        let done = store.outcome(id).await.unwrap();
        match said {
            Ok(()) => assert!(done),
            Err(CommitError::Unknown) => {}
            Err(_) => assert!(!done),
        }
        if done {
            there += 1;
            assert_eq!(all_of(&store).await.len(), before.len() + 12, "whole");
        } else {
            not += 1;
            assert_eq!(all_of(&store).await, before, "nothing of it");
            commit(&store, &group).await.unwrap();
        }
    }
    assert!(there > 0 && not > 0, "{there} there, {not} not");
}

#[tokio::test]
async fn clips_that_are_received_count_only_once_they_are_whole() {
    let (_server, store) = store("incoming").await;
    let some: Vec<_> = (0..1_500).map(|n| clip(&format!("clip {n}"), n + 1)).collect();
    for (_, (digest, content)) in &some {
        store.stage(*digest, content, 1).await.unwrap();
    }
    let rows: Vec<StoredClip> = some.iter().map(|(row, _)| row.clone()).collect();
    store.receive(&rows[..700]).await.unwrap();
    assert_eq!(all_clips(&store).await.unwrap().len(), 0, "not before they are whole");
    assert_eq!(
        store.unneeded(i64::MAX, None, 9_999).await.unwrap().len(),
        800,
        "what was received is needed"
    );
    // Cut off: nothing is left.
    store.drop_received().await.unwrap();
    assert_eq!(count(&store, "SELECT COUNT(*) FROM incoming").await, 0);
    assert_eq!(count(&store, "SELECT COUNT(*) FROM uses").await, 0);
    // Whole: they are there at once, also after a new start, and are moved a few at a time.
    store.receive(&rows[..700]).await.unwrap();
    store.receive(&rows[700..]).await.unwrap();
    commit(&store, &Group { restored: true, ..Group::default() }).await.unwrap();
    assert!(store.has_received().await.unwrap());
    assert_eq!(all_clips(&store).await.unwrap().len(), 1_500);
    // One of them is removed meanwhile: that stands.
    let gone = StoredClip { state: rows[3].state.tombstone(), facts: None, ..rows[3].clone() };
    commit(&store, &Group { clips: vec![gone], ..Group::default() }).await.unwrap();
    // Another is copied again, and a third goes for a limit: so they stay, also after a start that comes before the move.
    let again = StoredClip { ordered_at: 9_999, ..rows[4].clone() };
    commit(&store, &Group { clips: vec![again], ..Group::default() }).await.unwrap();
    commit(&store, &Group { evicted: vec![rows[5].id], ..Group::default() }).await.unwrap();
    let seen = async || {
        let all = all_clips(&store).await.unwrap();
        let of = |id| {
            all.iter().filter(move |clip| clip.id == id).map(|clip| (clip.facts.is_some(), clip.ordered_at))
        };
        assert_eq!(of(rows[3].id).collect::<Vec<_>>(), [(false, rows[3].ordered_at)]);
        assert_eq!(of(rows[4].id).collect::<Vec<_>>(), [(true, 9_999)]);
        assert_eq!(of(rows[5].id).count(), 0);
        all.len()
    };
    assert_eq!(seen().await, 1_499);
    let mut steps = 0;
    while !store.settle_received().await.unwrap() {
        steps += 1;
    }
    assert_eq!(steps, 2);
    let there = all_clips(&store).await.unwrap();
    assert_eq!(there.iter().filter(|clip| clip.facts.is_some()).count(), 1_498);
    assert!(!store.has_received().await.unwrap());
    assert_eq!(seen().await, 1_499);
    // Nothing of them is left in the file in which they came.
    let file: Vec<Vec<u8>> = sqlx::query_scalar("SELECT @@datadir").fetch_all(store.pool()).await.unwrap();
    let directory = PathBuf::from(String::from_utf8(file[0].clone()).unwrap());
    let schema: String = sqlx::query_scalar("SELECT DATABASE()").fetch_one(store.pool()).await.unwrap();
    let bytes = std::fs::read(directory.join(schema).join("incoming.ibd")).unwrap();
    assert!(!bytes.windows(8).any(|some| some == b"clip 777"), "it holds what was received");
}

#[tokio::test]
async fn refusals_do_not_pile_up() {
    let (_server, store) = store("few_refusals").await;
    for at in 0..30 {
        let refusals = (0..10)
            .map(|n| RefusalRow {
                at: at * 10 + n,
                reason: RefusalReason::Unreadable,
                size: None,
                program: None,
            })
            .collect();
        commit(&store, &Group { refusals, ..Group::default() }).await.unwrap();
    }
    assert!(count(&store, "SELECT COUNT(*) FROM refusals").await <= 201);
    assert_eq!(store.refusals(1).await.unwrap()[0].at, 299);
}

#[tokio::test]
async fn a_content_that_was_changed_is_found_damaged_and_mended() {
    let (_server, store) = store("damaged").await;
    let (row, (digest, content)) = clip("oats", 1);
    commit(&store, &group_of(&[(row, (digest, content.clone()))])).await.unwrap();
    sqlx::query("UPDATE chunks SET data = 'otas'").execute(store.pool()).await.unwrap();
    assert!(matches!(store.content(digest).await, Err(ReadError::Damaged(_))));
    let mut snapshot = store.snapshot().await.unwrap();
    assert!(snapshot.contents_after(None).await.unwrap()[0].1.is_err());
    snapshot.close().await;
    store.mend(digest, &content).await.unwrap();
    assert_eq!(store.content(digest).await.unwrap(), content);
    sqlx::query("DELETE FROM contents").execute(store.pool()).await.unwrap();
    assert_eq!(store.missing_contents(9).await.unwrap(), [digest]);
}

#[tokio::test]
async fn a_directory_that_is_not_marked_as_our_own_is_never_touched() {
    let dir = tempfile::tempdir().unwrap();
    let data = dir.path().join("records");
    std::fs::create_dir(&data).unwrap();
    std::fs::write(data.join("letters.txt"), "dear").unwrap();
    let paths = ServerPaths { data: data.clone(), socket: dir.path().join("s"), log: dir.path().join("log") };
    let server = PrivateServer::start(paths).unwrap();
    let mut state = server.state();
    let down = tokio::time::timeout(
        Duration::from_secs(20),
        state.wait_for(|one| matches!(one, ServerState::Down { .. })),
    );
    let ServerState::Down { reason, .. } = down.await.unwrap().unwrap().clone() else { unreachable!() };
    assert!(reason.contains("nothing was changed"), "{reason}");
    assert_eq!(std::fs::read_to_string(data.join("letters.txt")).unwrap(), "dear");
}

#[tokio::test]
async fn no_connection_outlives_a_renewal_also_when_it_was_in_use() {
    let (_server, store) = store("renewal").await;
    async fn ids(store: &Store, many: usize) -> Vec<u64> {
        let mut held = Vec::new();
        let mut ids = Vec::new();
        for _ in 0..many {
            let mut connection = store.pool().acquire().await.unwrap();
            ids.push(sqlx::query_scalar("SELECT CONNECTION_ID()").fetch_one(&mut *connection).await.unwrap());
            held.push(connection);
        }
        ids
    }
    // What is short has a connection of its own.
    for n in 1..4 {
        commit(&store, &group_of(&[clip(&format!("clip {n}"), n)])).await.unwrap();
    }
    let before = ids(&store, 3).await;
    let open = all_connections(&store, "renewal").await;
    let mut used = store.pool().acquire().await.unwrap();
    let used_id: u64 = sqlx::query_scalar("SELECT CONNECTION_ID()").fetch_one(&mut *used).await.unwrap();
    store.renew_connections().await;
    drop(used);
    for _ in 0..3 {
        let after = ids(&store, 4).await;
        assert!(
            after.iter().all(|id| !before.contains(id) && *id != used_id),
            "{before:?} {used_id} {after:?}"
        );
    }
    commit(&store, &group_of(&[clip("after it", 9)])).await.unwrap();
    let end = Instant::now() + Duration::from_secs(20);
    loop {
        let left = all_connections(&store, "renewal").await;
        if left.iter().all(|id| !open.contains(id)) {
            break;
        }
        assert!(Instant::now() < end, "{open:?}, {left:?}");
        tokio::time::sleep(Duration::from_millis(10)).await;
    }
}

/// The server's connections to a schema.
async fn all_connections(store: &Store, schema: &str) -> Vec<i64> {
    sqlx::query_scalar("SELECT id FROM information_schema.processlist WHERE db = ?")
        .bind(schema)
        .fetch_all(store.pool())
        .await
        .unwrap()
}

#[tokio::test]
async fn copies_follow_each_other_over_one_connection_that_is_not_asked_each_time_whether_it_answers() {
    // A server of its own: what is asked so is counted for all of it.
    let server = Server::start();
    execute(&server, "mysql", "CREATE DATABASE own CHARACTER SET utf8mb4 COLLATE utf8mb4_nopad_bin").await;
    let store = Store::open(&server.location("own"), DEVICE).await.unwrap();
    for n in 1..3 {
        commit(&store, &group_of(&[clip(&format!("clip {n}"), n)])).await.unwrap();
    }
    // What is asked so counts among these (MariaDB, server status variables).
    let asked = "SELECT CAST(variable_value AS SIGNED) FROM information_schema.global_status WHERE variable_name = 'Com_admin_commands'";
    let (before, open) = (count(&store, asked).await, all_connections(&store, "own").await);
    for n in 3..43 {
        commit(&store, &group_of(&[clip(&format!("clip {n}"), n)])).await.unwrap();
    }
    let more = count(&store, asked).await - before;
    assert!(more < 20, "asked {more} times for 40 copies");
    assert_eq!(all_connections(&store, "own").await.len(), open.len());
    assert_eq!(all_clips(&store).await.unwrap().len(), 42);
    // Closed, it tells the server nothing more.
    store.close().await;
    assert!(commit(&store, &group_of(&[clip("too late", 50)])).await.is_err());
}

/// What waits to be sent: ids with versions, whether they were sent before, and the times of their states.
async fn waiting(store: &Store) -> Vec<(ClipId, u64, bool, i64)> {
    let due = store.due(99).await.unwrap();
    due.into_iter()
        .filter_map(|one| match one.state {
            DueState::Clip(clip) => Some((clip.id, one.version, one.sent, clip.ordered_at)),
            _ => None,
        })
        .collect()
}

#[tokio::test]
async fn what_changes_is_noted_with_the_change_and_sent_until_it_was() {
    let (server, store) = store("outbox").await;
    let (before, first) = (clip("here before", 1), clip("first", 2));
    commit(&store, &group_of(std::slice::from_ref(&before))).await.unwrap();
    assert!(waiting(&store).await.is_empty(), "this device belongs to no group");
    let row = ExchangeRow { incarnation: u64::MAX, ..ExchangeRow::default() };
    store.join(&row, &[b"entry".to_vec()], 50).await.unwrap();
    // Something comes before all that was here is noted: it is not sent back.
    let early = clip("came early", 1);
    let come = Group { exchange: Some(row.clone()), ..group_of(std::slice::from_ref(&early)) };
    commit(&store, &come).await.unwrap();
    while store.note_some(50).await.unwrap() != Noted::All {}
    commit(&store, &Group { now: 55, ..group_of(std::slice::from_ref(&first)) }).await.unwrap();
    assert_eq!(waiting(&store).await.len(), 2, "what was here before, and what is new");
    assert_eq!(waiting(&store).await[1], (before.0.id, 1, false, 1));

    // It is on its way; it changes meanwhile, and waits again.
    let outgoing = OutgoingRow {
        sequence: 1,
        subject: (CLIP.to_owned(), first.0.id.0.to_vec()),
        version: 1,
        body: b"sealed".to_vec(),
        blobs: vec![[7; 16], [8; 16]],
    };
    let nothing = ((CLIP.to_owned(), before.0.id.0.to_vec()), 1);
    let next = ExchangeRow { sequence: 1, ..row.clone() };
    store.send(&next, std::slice::from_ref(&outgoing), &[nothing]).await.unwrap();
    let state = store.exchange().await.unwrap();
    assert_eq!(
        (state.row.map(|row| (row.incarnation, row.sequence)), state.outgoing),
        (Some((u64::MAX, 1)), vec![outgoing])
    );
    let later = (StoredClip { ordered_at: 77, ..first.0.clone() }, first.1.clone());
    commit(&store, &Group { now: 60, ..group_of(std::slice::from_ref(&later)) }).await.unwrap();
    store.sent().await.unwrap();
    assert_eq!(waiting(&store).await, [(first.0.id, 2, true, 77)]);

    // What comes from elsewhere is not sent back, and is known there; what is for this device alone is not sent.
    let (theirs, own) = (clip("theirs", 3), clip("own", 4));
    let merged =
        Group { exchange: Some(ExchangeRow { seen: 9, ..next }), ..group_of(std::slice::from_ref(&theirs)) };
    commit(&store, &merged).await.unwrap();
    commit(&store, &Group { here_only: true, ..group_of(std::slice::from_ref(&own)) }).await.unwrap();
    assert_eq!(waiting(&store).await.len(), 1);
    commit(&store, &group_of(std::slice::from_ref(&theirs))).await.unwrap();
    assert!(waiting(&store).await.contains(&(theirs.0.id, 2, true, 3)), "others know it");

    // A service that starts again goes on noting; one that has left does not.
    store.close().await;
    let again = Store::open(&server.location("outbox"), DEVICE).await.unwrap();
    let third = clip("third", 5);
    commit(&again, &group_of(std::slice::from_ref(&third))).await.unwrap();
    assert!(waiting(&again).await.iter().any(|one| one.0 == third.0.id));
    assert_eq!(again.exchange().await.unwrap().row.map(|row| row.seen), Some(9));
    again.leave().await.unwrap();
    commit(&again, &group_of(&[clip("after", 6)])).await.unwrap();
    assert!(waiting(&again).await.is_empty() && again.exchange().await.unwrap().row.is_none());
}
