//! Obeying the limits: on arrival when one is reached, now and then, at the start, and when they are changed. Few clips go
//! for good; many go as a clearing that can be taken back, and what would take over a fifth of everything waits until a
//! person says so.

use std::time::{Duration, Instant};

use yadori_core::limits::{FEW, Limits, Plan, Scope, Sweep, Sweeper};
use yadori_core::{ClipId, Micros, Stamp};

use crate::state::app::{App, Shared};
use crate::state::clock::now;
use crate::state::holding::COMES;
use crate::state::paced::rest_after;
use crate::writer::{BY_LIMITS, ClearWish, Queue, WriteError};

/// How often limits of age are looked at.
const EACH: Duration = Duration::from_secs(300);
/// Copies that come together are looked at together.
const TOGETHER: Duration = Duration::from_millis(400);
/// The same while a sweep waits.
const SELDOM: Duration = Duration::from_secs(10);
/// How long after a change of settings they are looked at.
const CHANGED: Duration = Duration::from_secs(2);

/// A sweep that waits: how many clips it would take, and why it waits.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Waits {
    /// How many clips.
    pub clips: u64,
    /// Why.
    pub why: &'static str,
}

/// Obeys the limits until the service ends.
pub async fn run(app: Shared, queue: Queue) {
    while !app.clips.until_loaded(EACH).await {
        if app.shutdown.is_cancelled() {
            return;
        }
    }
    let mut thorough = true;
    loop {
        let looked = match sweep(&app, &queue, thorough, false).await {
            Ok(swept) => swept.looked,
            Err(why) => {
                tracing::debug!("the limits are obeyed later: {why}");
                Duration::ZERO
            }
        };
        let grown = async {
            app.clips.grew().await;
            // While a sweep waits for a person, nothing hangs on the next copy.
            let waits = app.health.now().waits.is_some();
            tokio::time::sleep((if waits { SELDOM } else { TOGETHER }).max(rest_after(looked))).await;
        };
        thorough = tokio::select! {
            () = grown => false,
            () = app.settings_changed() => {
                // Whoever changed limits with a preview in sight has them obeyed at once.
                tokio::time::sleep(CHANGED).await;
                true
            }
            () = tokio::time::sleep(if app.holding.is_filling(Instant::now()) { COMES } else { EACH }) => true,
            () = app.shutdown.cancelled() => return,
        };
    }
}

/// What these limits would do now, and what of it would wait.
pub(crate) fn look_over(app: &App, limits: &Limits, thorough: bool) -> Sweep {
    let mut sweeper = {
        let history = app.clips.history();
        Sweeper::new(limits, history.len(), history.tallies(), now(), thorough)
    };
    app.clips.each(|_, clip| sweeper.look(clip));
    sweeper.end()
}

/// What goes by the limits now; what waits is not among it. `confirmed`: nothing waits.
fn planned(app: &App, limits: &Limits, thorough: bool, confirmed: bool) -> (Plan, Option<Waits>) {
    let sweep = look_over(app, limits, thorough);
    if confirmed {
        return (sweep.waits.unwrap_or(sweep.goes), None);
    }
    let waits = |plan: &Plan, why| Waits { clips: plan.going.len() as u64, why };
    if app.holding.holds() {
        let whole = sweep.waits.as_ref().unwrap_or(&sweep.goes);
        if whole.going.len() > FEW {
            let why = "what the limits took was brought back; change the limits, or let them be obeyed";
            return (Plan::default(), Some(waits(whole, why)));
        }
    }
    let why = "over a fifth of everything would go at once";
    (sweep.goes, sweep.waits.map(|whole| waits(&whole, why)))
}

/// What a sweep has done.
#[derive(Clone, Copy, Debug, Default)]
pub struct Swept {
    /// How many clips went.
    pub gone: u64,
    /// How long it took to look at all clips.
    pub looked: Duration,
}

/// Obeys the limits once.
///
/// # Errors
/// The rest stays then.
pub async fn sweep(app: &App, queue: &Queue, thorough: bool, confirmed: bool) -> Result<Swept, WriteError> {
    let _one_at_a_time = app.sweeping.lock().await;
    if !confirmed && app.holding.is_filling(Instant::now()) {
        // Little by little they would take what, seen whole, waits for a person.
        return Ok(Swept::default());
    }
    // What was begun is planned for already.
    app.until_idle().await;
    let (settings, floor) = (app.settings(), queue.floor().await?);
    let began = Instant::now();
    let (plan, waits) = planned(app, &settings.keeping.limits, thorough, confirmed);
    let looked = began.elapsed();
    app.health.change(|health| health.waits = waits.map(|waits| (waits.clips, waits.why)));
    if plan.going.is_empty() {
        return Ok(Swept { gone: 0, looked });
    }
    let ids = plan.going.iter().map(|one| one.id);
    let gone = let_go(app, queue, ids.collect(), floor, (BY_LIMITS, &Scope::default())).await?;
    tracing::info!("{gone} clips went by the limits");
    Ok(Swept { gone, looked })
}

/// Clips go by themselves: few for good, many so that they can be brought back. `floor`: how far this device had written
/// when they were planned.
pub(super) async fn let_go(
    app: &App,
    queue: &Queue,
    ids: Vec<ClipId>,
    floor: Stamp,
    (order, scope): (&str, &Scope),
) -> Result<u64, WriteError> {
    if ids.len() > FEW {
        let ahead = app.clips.ahead(&ids, floor, now());
        let wish = ClearWish {
            scope: scope.clone(),
            clips: ids,
            ahead,
            floor,
            fleeting: false,
            upto: None,
            now: false,
            order: Some(order.to_owned()),
        };
        return Ok(queue.clear(wish).await?.count);
    }
    let timed: Vec<(ClipId, Micros)> = {
        let history = app.clips.history();
        ids.into_iter().filter_map(|id| Some((id, history.ordered_at(id)?))).collect()
    };
    Ok(queue.evict(timed, false).await?.count)
}

/// A person wants the limits obeyed, whatever waits.
///
/// # Errors
/// The rest stays then.
pub async fn obey(app: &App, queue: &Queue) -> Result<u64, WriteError> {
    app.holding.hold(false);
    Ok(sweep(app, queue, true, true).await?.gone)
}
