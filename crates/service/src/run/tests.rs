//! The writer and what is around it, on a desk in memory, with real records.

use std::collections::BTreeMap;
use std::path::Path;
use std::sync::Arc;
use std::time::Duration;

use jiff::tz::TimeZone;
use tokio::task::JoinHandle;
use tokio_util::sync::CancellationToken;
use yadori_core::acts::{Act, Arrived, Direction, DrawerChange, Place};
use yadori_core::{
    Class, ClipId, ClipState, Color, Content, DeviceId, Digest, Drawer, Facts, OfferRecord, Representation,
    RepresentationRecord, Stamp, StoredClip,
};
use yadori_desk::memory::{self, Stage};
use yadori_store::server::{PrivateServer, ServerPaths, ServerState};

use crate::clearing::clear::clear;
use crate::home::place::{Claim, Home};
use crate::records::room::Disk;
use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::writer::{Queue, Received, With, WriteError, Writer, queue};
use crate::{intake, records};

/// How long a test waits for what must come.
const PATIENCE: Duration = Duration::from_secs(60);

/// A service without HTTP.
struct Running {
    app: Shared,
    queue: Queue,
    stage: Stage,
    writer: JoinHandle<()>,
    home: Home,
    server: Option<PrivateServer>,
    _claim: Claim,
}

impl Running {
    /// A service that sees copies; its records are not open.
    fn without_records(dir: &Path) -> Self {
        let home = Home::under(dir);
        let claim = home.claim().unwrap();
        let (desk, events, stage) = memory::start();
        let shutdown = CancellationToken::new();
        let device = home.device().unwrap();
        let app = Arc::new(App::new(device, Some(desk), "run".into(), Duration::from_secs(600), shutdown));
        let (queue, changes) = queue();
        let disk = Disk::of(Some(home.data.clone()));
        let writer = app.parts.start("saving", Writer::new(app.clone(), changes, disk.clone()).run());
        app.parts.start(
            "copies",
            intake::desk::run(
                app.clone(),
                queue.clone(),
                events,
                disk,
                tokio::sync::mpsc::unbounded_channel().0,
            ),
        );
        Self { app, queue, stage, writer, home, server: None, _claim: claim }
    }

    /// Opens the records.
    async fn open(&mut self) {
        let paths = ServerPaths {
            data: self.home.data.join("records"),
            socket: self.home.database_socket(),
            log: self.home.logs.join("records.log"),
        };
        let server = PrivateServer::start(paths).unwrap();
        let mut states = server.state();
        let opening = records::open::run(
            self.app.clone(),
            self.queue.clone(),
            self.home.clone(),
            None,
            Some(server.state()),
        );
        self.app.parts.start("the records", opening);
        self.server = Some(server);
        tokio::time::timeout(PATIENCE, states.wait_for(|state| *state == ServerState::Ready))
            .await
            .unwrap()
            .unwrap();
        assert!(self.app.clips.until_loaded(PATIENCE).await, "{:?}", self.app.health.now().database);
    }

    async fn start(dir: &Path) -> Self {
        let mut running = Self::without_records(dir);
        running.open().await;
        running
    }

    /// Ends as the service does, and lets go of the home.
    async fn end(mut self) {
        super::end(&self.app, &self.queue, self.writer, self.server.take()).await;
        self.app.shutdown.cancel();
        assert_eq!(self.app.parts.faults(), Vec::<String>::new());
    }

    /// A program copies a text. Gives the clip once it is in the history.
    async fn copy(&self, text: &str) -> ClipId {
        let before = self.app.clips.history().revision();
        self.stage.copy(vec![Representation::new("text/plain;charset=utf-8", text.to_owned())]);
        self.until(|app| app.clips.history().revision() != before).await;
        self.app.clips.history().at(1).unwrap().id
    }

    async fn until(&self, wanted: impl Fn(&App) -> bool) {
        let end = tokio::time::Instant::now() + PATIENCE;
        while !wanted(&self.app) {
            assert!(tokio::time::Instant::now() < end, "{:?}", self.app.health.now());
            tokio::task::yield_now().await;
        }
    }

    /// Everything that is shown, and the order.
    fn state(&self) -> (Vec<ClipId>, BTreeMap<ClipId, StoredClip>, Vec<Drawer>) {
        let history = self.app.clips.history();
        let order: Vec<_> = history.from(1).map(|clip| clip.id).collect();
        let clips = order.iter().map(|id| (*id, history.stored(*id))).collect();
        (order, clips, history.drawers().all().collect())
    }
}

/// Numbers that are the same in every run (an xorshift generator).
struct Numbers(u64);

impl Numbers {
    fn below(&mut self, most: usize) -> usize {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        usize::try_from(self.0 % most as u64).unwrap()
    }
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_copy_made_before_the_records_are_open_is_shown_unsaved_and_saved_then() {
    let dir = tempfile::tempdir().unwrap();
    let mut running = Running::without_records(dir.path());
    let first = running.copy("Wood for the hut: 3 m³").await;
    let second = running.copy("Gas: two bottles").await;
    running.until(|app| app.health.now().unsaved == 2).await;
    let act = Act::Title { clip: first, title: Some("Wood".into()) };
    let refused = running.queue.act(act, With::default()).await.unwrap_err();
    assert!(matches!(refused, WriteError::Unavailable(_)), "{refused}");

    running.open().await;
    running.until(|app| app.health.now().unsaved == 0).await;
    running.end().await;
    let again = Running::start(dir.path()).await;
    assert_eq!(again.state().0, [second, first]);
    assert_eq!(again.state().1[&first].state.title(), None, "what was refused was not done");
    again.end().await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn a_copy_that_is_marked_as_secret_never_reaches_the_history() {
    let dir = tempfile::tempdir().unwrap();
    let running = Running::start(dir.path()).await;
    running.stage.copy(vec![
        Representation::new("text/plain", "the safe is 4711"),
        Representation::new("x-kde-passwordManagerHint", "secret"),
    ]);
    let next = running.copy("Four blankets").await;
    assert_eq!(running.state().0, [next]);
    let told = format!("{:?}", running.app.health.now());
    assert!(!told.contains("4711"), "{told}");
    running.end().await;
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_acts_and_copies_leave_is_what_the_next_run_loads() {
    let dir = tempfile::tempdir().unwrap();
    let mut numbers = Numbers(0x9E37_79B9_7F4A_7C15);
    let mut done = 0;
    for run in 0..3 {
        let running = Running::start(dir.path()).await;
        for step in 0..60 {
            let ids = running.state().0;
            let any = |numbers: &mut Numbers| ids[numbers.below(ids.len())];
            if ids.len() < 4 || numbers.below(4) == 0 {
                running.copy(&format!("Bed {run} {}", numbers.below(step + 2))).await;
                continue;
            }
            let clip = any(&mut numbers);
            let act = match numbers.below(9) {
                0 => Act::Remove { clips: vec![clip, any(&mut numbers)], spare_pinned: false },
                1 => Act::Keep { clips: vec![clip], place: Place::Favorites, before: None },
                2 => Act::Title { clip, title: Some(format!("Row {step}")) },
                3 => Act::Color { clips: vec![clip], color: Some(Color::Green) },
                4 => Act::BringUp { clips: vec![clip] },
                5 => Act::NewDrawer {
                    id: format!("{run}-{step}"),
                    name: format!("Drawer {run} {step}"),
                    color: None,
                    group: None,
                },
                6 => Act::ChangeDrawer {
                    drawer: format!("{run}-{}", numbers.below(60)),
                    change: DrawerChange { name: Some(format!("Named {step}")), ..DrawerChange::default() },
                },
                7 => match running.queue.step(Direction::Undo, None).await {
                    Ok(_) => {
                        done += 1;
                        continue;
                    }
                    Err(WriteError::NothingToStep { .. }) => continue,
                    Err(why) => panic!("{why}"),
                },
                _ => match running.queue.step(Direction::Redo, None).await {
                    Ok(_) => {
                        done += 1;
                        continue;
                    }
                    Err(WriteError::NothingToStep { .. }) => continue,
                    Err(why) => panic!("{why}"),
                },
            };
            let before = running.state();
            match running.queue.act(act, With::default()).await {
                Ok(_) => done += 1,
                Err(WriteError::Act(_)) => {
                    let now = running.state();
                    assert!(now == before, "what was refused was not done");
                }
                Err(why) => panic!("{why}"),
            }
        }
        running.until(|app| app.health.now().unsaved == 0).await;
        let left = running.state();
        running.end().await;
        let next = Running::start(dir.path()).await;
        assert_eq!(next.state(), left);
        next.end().await;
    }
    assert!(done > 60, "{done}");
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_was_pinned_or_copied_again_after_it_was_to_go_stays() {
    let dir = tempfile::tempdir().unwrap();
    let running = Running::start(dir.path()).await;
    let (goes, again, pinned) =
        (running.copy("Milk: 4 l").await, running.copy("Bread: 6").await, running.copy("Salt: 1 kg").await);
    let planned: Vec<_> = {
        let history = running.app.clips.history();
        [goes, again, pinned].map(|id| (id, history.get(id).unwrap().ordered_at)).into()
    };
    assert_eq!(running.copy("Bread: 6").await, again);
    let keep = Act::Keep { clips: vec![pinned], place: Place::Favorites, before: None };
    running.queue.act(keep, With::default()).await.unwrap();
    assert_eq!(running.queue.evict(planned, false).await.unwrap().count, 1);
    assert_eq!(running.state().0, [again, pinned]);
    running.end().await;
    let next = Running::start(dir.path()).await;
    assert_eq!(next.state().0, [again, pinned]);
    next.end().await;
}

/// A clip that another device copied when its clock was years ahead.
fn copied_far_ahead(words: &'static str) -> (Arrived, (Digest, Content)) {
    let content = Content::new(words);
    let at = now() + 3 * 365 * 86_400_000_000;
    let stamp = Stamp { wall_ms: (at / 1_000) as u64, counter: 0, device: DeviceId([9; 16]) };
    let size = content.len() as u64;
    let record =
        RepresentationRecord { mime: "text/plain;charset=utf-8".into(), size, digest: content.digest() };
    let mut state = ClipState::default();
    state.capture(OfferRecord { representations: vec![record], ..OfferRecord::default() }, at, stamp);
    let id = ClipId::of(Class::Text, &[words.as_bytes()]);
    let facts = Some(Facts::of_text(words, size, false));
    (Arrived { id, state, facts }, (content.digest(), content))
}

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn what_a_clock_far_ahead_has_stamped_is_cleared_like_everything_else_and_comes_back() {
    let dir = tempfile::tempdir().unwrap();
    let running = Running::start(dir.path()).await;
    let own = running.copy("Rope: 40 m").await;
    let (arrived, content) = copied_far_ahead("Ice axes: 3");
    let far = arrived.id;
    let received = Received { clips: vec![arrived], contents: vec![content], ..Received::default() };
    running.queue.merge(received).await.unwrap();
    assert_eq!(running.state().0, [far, own], "it came last");
    let before = running.state();
    let next = running.copy("Helmets: 3").await;
    assert_eq!(running.state().0, [next, far, own], "the clock was not dragged along");
    let everything = yadori_api::Clear::default();
    let cleared = clear(&running.app, &running.queue, &everything, TimeZone::UTC, None).await.unwrap();
    assert_eq!((cleared.clips, running.state().0.len()), (3, 0));
    running.queue.step(Direction::Undo, None).await.unwrap();
    assert_eq!(running.state().0[1..], before.0);
    running.end().await;
    let again = Running::start(dir.path()).await;
    assert_eq!(again.state().0[1..], before.0);
    again.end().await;
}
