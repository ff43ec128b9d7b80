//! A person at the console while copies arrive twenty times a second and another client acts at random: by keys alone, by
//! pointer alone, or by touch. Afterwards every act in the service's log was asked for, by the one or by the other.

use std::collections::{HashMap, HashSet};
use std::io::{Read, Write};
use std::os::unix::net::UnixStream;
use std::path::Path;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use anyhow::{Result, ensure};
use serde_json::{Value, json};
use thirtyfour::action_chain::ActionChain;

use crate::{Browser, Display, Owner, Service};

const DOWN: &str = "\u{e015}";
const UP: &str = "\u{e013}";
const ENTER: &str = "\u{e007}";
const ESCAPE: &str = "\u{e00c}";
const DELETE: &str = "\u{e017}";

/// How the person works.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum By {
    /// Keys alone.
    Keys,
    /// A pointer alone.
    Pointer,
    /// Fingers, on a small screen.
    Touch,
}

/// What it came to.
#[derive(Clone, Copy, Debug, Default)]
pub struct Done {
    /// Copies that arrived.
    pub arrived: u64,
    /// Acts of the other client.
    pub others: usize,
    /// Acts that the person asked for, and those of them that were found in the log. The rest was refused: its clip was
    /// gone.
    pub asked: usize,
    /// Found in the log.
    pub found: usize,
}

/// Numbers that look random, the same in each run (xorshift).
#[derive(Clone, Debug)]
struct Dice(u64);

impl Dice {
    fn roll(&mut self, below: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % below
    }
}

/// A call over the service's socket. `None` when it was refused.
pub fn call(socket: &Path, method: &str, path: &str, body: Option<&Value>) -> Option<Value> {
    let mut stream = UnixStream::connect(socket).ok()?;
    let body = body.map(Value::to_string).unwrap_or_default();
    let kind = if body.is_empty() { "" } else { "content-type: application/json\r\n" };
    let length = body.len();
    write!(stream, "{method} /api/v1{path} HTTP/1.1\r\nhost: y\r\nconnection: close\r\n{kind}content-length: {length}\r\n\r\n{body}").ok()?;
    let mut answer = String::new();
    stream.read_to_string(&mut answer).ok()?;
    let (head, body) = answer.split_once("\r\n\r\n")?;
    if !head.starts_with("HTTP/1.1 200") {
        return None;
    }
    serde_json::from_str(body).ok()
}

/// Another client: what it did, by the ids of its acts.
fn other(socket: &Path, dice: &mut Dice) -> Option<String> {
    let outline = call(socket, "GET", "/outline", None)?;
    let ids = outline["ids"].as_str()?;
    let count = (ids.len() / 26).min(30) as u64;
    if count == 0 {
        return None;
    }
    let at = usize::try_from(dice.roll(count)).ok()? * 26;
    let id = &ids[at..at + 26];
    let answer = match dice.roll(6) {
        0 => call(socket, "POST", "/bring-up", Some(&json!({ "ids": [id] }))),
        1 => call(socket, "POST", "/remove", Some(&json!({ "ids": [id] }))),
        2 => call(socket, "POST", "/color", Some(&json!({ "ids": [id], "color": "red" }))),
        3 => {
            let title = format!("other {}", dice.roll(1_000));
            call(socket, "POST", "/title", Some(&json!({ "id": id, "title": title })))
        }
        _ => call(socket, "POST", "/keep", Some(&json!({ "ids": [id], "to": { "place": "favorites" } }))),
    };
    answer?["id"].as_str().map(str::to_owned)
}

/// Every act that the log has shown: its kind, its subject and when it was done, by its id.
type Log = HashMap<String, ((String, String), i64)>;

fn read_log(socket: &Path, log: &mut Log) {
    let Some(list) = call(socket, "GET", "/acts", None) else { return };
    for act in list["acts"].as_array().into_iter().flatten() {
        let text = |name: &str| act[name].as_str().unwrap_or_default().to_owned();
        log.insert(text("id"), ((text("act"), text("subject")), act["at"].as_i64().unwrap_or_default()));
    }
}

/// Copies, another client and the log, on threads of their own until told to stop.
struct Around {
    stop: Arc<AtomicBool>,
    threads: Vec<std::thread::JoinHandle<()>>,
    others: Arc<Mutex<HashSet<String>>>,
    log: Arc<Mutex<Log>>,
    arrived: Arc<Mutex<u64>>,
}

impl Around {
    fn begin(display: &Display, socket: &Path, seed: u64) -> Self {
        let stop = Arc::new(AtomicBool::new(false));
        let (others, log): (Arc<Mutex<HashSet<String>>>, Arc<Mutex<Log>>) = (Arc::default(), Arc::default());
        let arrived: Arc<Mutex<u64>> = Arc::default();
        let owner = Owner::on(display);
        let mut threads = Vec::new();
        let (own, count) = (stop.clone(), arrived.clone());
        threads.push(std::thread::spawn(move || {
            let mut dice = Dice(seed | 1);
            let mut n = 0;
            while !own.load(Ordering::Relaxed) {
                n += 1;
                // Some are copied again: they come up from further down.
                let which = if dice.roll(3) == 0 { dice.roll(n) } else { n };
                owner.copy_text(&format!("arrival {which}"));
                *count.lock().expect("a count") = n;
                std::thread::sleep(Duration::from_millis(50));
            }
        }));
        let (own, socket_, seen, acted) = (stop.clone(), socket.to_owned(), log.clone(), others.clone());
        threads.push(std::thread::spawn(move || {
            let mut dice = Dice(seed.wrapping_mul(31) | 1);
            while !own.load(Ordering::Relaxed) {
                if let Some(id) = other(&socket_, &mut dice) {
                    acted.lock().expect("a set").insert(id);
                }
                read_log(&socket_, &mut seen.lock().expect("a log"));
                std::thread::sleep(Duration::from_millis(120));
            }
        }));
        Self { stop, threads, others, log, arrived }
    }

    fn end(self, socket: &Path) -> (HashSet<String>, Log, u64) {
        self.stop.store(true, Ordering::Relaxed);
        for thread in self.threads {
            let _ = thread.join();
        }
        let mut log = std::mem::take(&mut *self.log.lock().expect("a log"));
        read_log(socket, &mut log);
        let others = std::mem::take(&mut *self.others.lock().expect("a set"));
        let arrived = *self.arrived.lock().expect("a count");
        (others, log, arrived)
    }
}

/// Works for this long.
///
/// # Errors
/// When an act was found that nobody asked for, or the page had errors.
pub async fn journey(by: By, time: Duration, seed: u64) -> Result<Done> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let socket = service.home().join("run/yadori.sock");
    service.add(&["Kestrel Hut", "Stone Ford Hut", "oats", "gas bottle", "bunks, eight"]);
    service.yadori(&["drawer", "new", "Huts"]);
    let browser = Browser::console(&service).await?;
    if by == By::Touch {
        browser.size(390, 844, true).await?;
        browser.touch(true).await?;
    }
    let dice = Dice(seed.wrapping_mul(2_654_435_761) | 1);
    let mut person = Person { browser, dice, asked: Vec::new(), pressed: Vec::new() };
    let mut before = Log::new();
    read_log(&socket, &mut before);
    let around = Around::begin(&display, &socket, seed);
    let until = Instant::now() + time;
    while Instant::now() < until {
        match by {
            By::Keys => person.by_keys().await?,
            By::Pointer => person.by_pointer().await?,
            By::Touch => person.by_touch().await?,
        }
    }
    // What was asked for last is answered.
    person.press(ESCAPE).await.ok();
    person.browser.script("return 1").await?;
    let (others, log, arrived) = around.end(&socket);
    let mut asked: HashMap<(String, String), usize> = HashMap::new();
    for (one, _) in &person.asked {
        *asked.entry(one.clone()).or_default() += 1;
    }
    let mut found = 0;
    let mut astray = Vec::new();
    for (_, (what, at)) in log.iter().filter(|(id, _)| !others.contains(*id) && !before.contains_key(*id)) {
        if let Some(left) = asked.get_mut(what).filter(|left| **left > 0) {
            *left -= 1;
            found += 1;
            continue;
        }
        // What the person did around that time.
        let near = |then: &i64| (at - 3_000_000..at + 1_000_000).contains(then);
        let keys: Vec<_> = person.pressed.iter().filter(|(_, then)| near(then)).collect();
        let asks: Vec<_> = person.asked.iter().filter(|(_, then)| near(then)).collect();
        astray.push(format!("nobody asked for {what:?} at {at}; pressed: {keys:?}; asked: {asks:?}"));
    }
    ensure!(astray.is_empty(), "{}", astray.join("\n"));
    let errors = person.browser.errors().await?;
    ensure!(errors.is_empty(), "{errors:?}");
    Ok(Done { arrived, others: others.len(), asked: person.asked.len(), found })
}

/// The person, and what was asked for: the kind of each act, and the clip it was meant for.
struct Person {
    browser: Browser,
    dice: Dice,
    asked: Vec<((String, String), i64)>,
    /// Keys that were pressed, and when.
    pressed: Vec<(String, i64)>,
}

/// Microseconds since the Unix epoch.
fn now() -> i64 {
    let since = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap_or_default();
    i64::try_from(since.as_micros()).unwrap_or(i64::MAX)
}

impl Person {
    fn asks(&mut self, kind: &str, id: &str) {
        self.asked.push(((kind.to_owned(), id.to_owned()), now()));
    }

    /// Presses keys, wherever the focus is when each is pressed.
    async fn press(&mut self, keys: impl AsRef<str>) -> Result<()> {
        self.pressed.push((keys.as_ref().to_owned(), now()));
        self.browser.driver.action_chain().send_keys(keys.as_ref()).perform().await?;
        Ok(())
    }

    async fn text(&self, script: &str) -> Result<String> {
        Ok(self.browser.script(script).await?.as_str().unwrap_or_default().to_owned())
    }

    /// Pinning and unpinning are one key: which it is, the row says.
    async fn pins(&self, id: &str) -> Result<&'static str> {
        let kept = format!(
            "const name = document.querySelector('[data-id=\"{id}\"]')?.ariaLabel ?? ''; return /, (pinned|in the drawer)/.test(name) ? 'y' : ''"
        );
        Ok(if self.text(&kept).await? == "y" { "unpin" } else { "pin" })
    }

    async fn by_keys(&mut self) -> Result<()> {
        let steps = self.dice.roll(4) + 1;
        let way = if self.dice.roll(4) == 0 { UP } else { DOWN };
        self.press(way.repeat(usize::try_from(steps)?)).await?;
        let focused = "return document.activeElement.closest('[data-row]')?.dataset.id ?? ''";
        let id = self.text(focused).await?;
        if id.is_empty() {
            // In a field, or nowhere in the list: back to it.
            self.press(ESCAPE).await?;
            return Ok(());
        }
        match self.dice.roll(9) {
            0 | 1 => {
                // Whether it is pinned may change between the look and the key: either is what this key does.
                let kind = self.pins(&id).await?;
                self.asks(kind, &id);
                self.asks(if kind == "pin" { "unpin" } else { "pin" }, &id);
                self.press("p").await?;
            }
            2 => {
                self.asks("color", &id);
                self.press("c").await?;
                self.press(ENTER).await?;
            }
            3 => {
                self.asks("bring-up", &id);
                self.press("b").await?;
            }
            4 => {
                // Every letter of it is the key of an act.
                self.asks("title", &id);
                self.press("t").await?;
                for letter in ["p", "bed", "c", "u", "sb", "d"] {
                    self.press(letter).await?;
                }
                self.press(ENTER).await?;
            }
            5 => {
                self.asks("remove", &id);
                self.press(DELETE).await?;
            }
            6 => {
                self.asks("put", &id);
                self.asks("move", &id);
                self.press("d").await?;
                self.press(format!("Hu{ENTER}")).await?;
            }
            7 => {
                // What is typed while its clip may go: nothing of it acts.
                self.press("e").await?;
                for letter in ["p", "b", "d", "c"] {
                    self.press(letter).await?;
                }
                self.press(ESCAPE).await?;
                // An editor whose clip is gone stays, with what was typed: it is left on purpose.
                self.browser.script("[...document.querySelectorAll('[data-editor] button')].find((one) => one.textContent === 'Discard')?.click()").await?;
            }
            _ => {
                self.press("/").await?;
                self.press("arrival pbd").await?;
                self.press(format!("{ESCAPE}{ESCAPE}")).await?;
            }
        }
        self.press(ESCAPE).await?;
        Ok(())
    }

    async fn chain(&self, work: impl FnOnce(ActionChain) -> ActionChain) -> Result<()> {
        work(self.browser.driver.action_chain()).perform().await?;
        Ok(())
    }

    /// The middle of what a selector finds, if that is what one sees there.
    async fn middle(&self, selector: &str) -> Result<Option<(i64, i64)>> {
        let script = format!(
            "const one = document.querySelector({selector:?}), box = one?.getBoundingClientRect(); if (!box?.width) return null; \
             const at = [Math.round(box.x + box.width / 2), Math.round(box.y + box.height / 2)]; \
             const seen = document.elementFromPoint(...at); return seen && (one.contains(seen) || seen.contains(one)) ? at : null"
        );
        Ok(serde_json::from_value(self.browser.script(&script).await?)?)
    }

    async fn by_pointer(&mut self) -> Result<()> {
        let place = self.dice.roll(8) + 1;
        let row = self.middle(&format!("#list [aria-posinset='{place}'] [data-summary]")).await?;
        let Some((_, y)) = row.filter(|_| self.dice.roll(6) > 0) else {
            // Out of sight, or gone: what waits is shown, from the top.
            match self.middle("[data-unseen]").await? {
                Some((x, y)) => self.chain(|chain| chain.move_to(x, y).click()).await?,
                None => {
                    self.browser.script("document.getElementById('list').scrollTop = 0").await?;
                }
            }
            return Ok(());
        };
        let x = 420;
        self.chain(|chain| chain.move_to(x, y)).await?;
        // What is under the pointer now that it rests is what is meant.
        let under =
            format!("return document.elementFromPoint({x}, {y})?.closest('[data-row]')?.dataset.id ?? ''");
        let id = self.text(&under).await?;
        if id.is_empty() {
            return Ok(());
        }
        let row = format!("[data-id='{id}']");
        self.chain(ActionChain::click).await?;
        let button = match self.dice.roll(5) {
            0 => "Bring up",
            1 => "Remove",
            2 | 3 => "Pin",
            _ => "Color",
        };
        let mark = format!(
            "const all = [...document.querySelectorAll(\"{row} [role=group] button\")]; const one = all.find((one) => one.textContent.trim().startsWith('{button}') || ('{button}' === 'Pin' && one.textContent.trim().startsWith('Unpin'))); \
             document.getElementById('meant')?.removeAttribute('id'); if (one) one.id = 'meant'; return one?.textContent.trim() ?? ''"
        );
        let label = self.text(&mark).await?;
        if label.is_empty() {
            return Ok(());
        }
        self.browser.script("document.getElementById('meant').scrollIntoView({ block: 'nearest' })").await?;
        let Some((x, y)) = self.middle("#meant").await? else { return Ok(()) };
        match button {
            "Bring up" => self.asks("bring-up", &id),
            "Remove" => self.asks("remove", &id),
            "Pin" => {
                self.asks("pin", &id);
                self.asks("unpin", &id);
            }
            _ => self.asks("color", &id),
        }
        self.chain(|chain| chain.move_to(x, y).click()).await?;
        if button == "Color" {
            let Some((x, y)) = self.middle(&format!("{row} [role=toolbar] button")).await? else {
                return Ok(());
            };
            self.chain(|chain| chain.move_to(x, y).click()).await?;
        }
        if self.dice.roll(3) == 0 {
            // Away from the list: what waits comes in.
            self.chain(|chain| chain.move_to(60, 600)).await?;
        }
        Ok(())
    }

    async fn tap(&self, (x, y): (i64, i64)) -> Result<()> {
        let points = json!([{ "x": x, "y": y }]);
        self.browser
            .cdp("Input.dispatchTouchEvent", json!({ "type": "touchStart", "touchPoints": points }))
            .await?;
        self.browser
            .cdp("Input.dispatchTouchEvent", json!({ "type": "touchEnd", "touchPoints": [] }))
            .await?;
        Ok(())
    }

    async fn by_touch(&mut self) -> Result<()> {
        let place = self.dice.roll(6) + 1;
        let row = self.middle(&format!("#list [aria-posinset='{place}'] [data-summary]")).await?;
        let Some(at) = row.filter(|_| self.dice.roll(6) > 0) else {
            match self.middle("[data-unseen]").await? {
                Some(at) => self.tap(at).await?,
                None => {
                    self.browser.script("document.getElementById('list').scrollTop = 0").await?;
                }
            }
            return Ok(());
        };
        // What the finger came down on, as the browser says.
        self.browser.script(
            "const unfolded = () => document.querySelector('[data-row][aria-expanded=true]')?.dataset.id ?? ''; \
             window.__touched = ''; window.__before = []; window.__said = []; \
             const said = document.querySelector('[data-said]'); window.__hearing?.disconnect(); \
             window.__hearing = new MutationObserver(() => window.__said.push(said.textContent)); \
             window.__hearing.observe(said, { childList: true, characterData: true, subtree: true }); \
             addEventListener('pointerdown', (event) => { window.__touched = event.target.closest('[data-row]')?.dataset.id ?? ''; window.__before.push(unfolded()); }, { capture: true, once: true }); \
             addEventListener('click', () => setTimeout(() => window.__before.push(unfolded())), { capture: true, once: true })",
        )
        .await?;
        self.tap(at).await?;
        let id = self.text("return window.__touched").await?;
        let open = self
            .text("return document.querySelector('[data-row][aria-expanded=true]')?.dataset.id ?? ''")
            .await?;
        if id.is_empty() || open.is_empty() {
            return Ok(());
        }
        let moved = "return document.body.textContent.includes('just as you touched it') ? 'y' : ''";
        // What was unfolded before is still: the touch did nothing, and that was said, perhaps before something else was; or it
        // was on a row that was going.
        let before = self.text("return window.__before[0] ?? ''").await?;
        if open != id && (open == before || self.text(moved).await? == "y") {
            return Ok(());
        }
        if open != id {
            let around = self.text("return JSON.stringify([window.__before, window.__said, document.querySelector('[data-toast]')?.textContent])").await?;
            anyhow::bail!(
                "the finger came down on {id}, and {open} was unfolded: {around}; {:?}",
                self.asked.last()
            );
        }
        let button = match self.dice.roll(4) {
            0 => "Bring up",
            1 => "Remove",
            _ => "Pin",
        };
        let mark = format!(
            "const one = [...document.querySelectorAll(\"[data-id='{id}'] [role=group] button\")].find((one) => one.textContent.trim().startsWith('{button}') || ('{button}' === 'Pin' && one.textContent.trim().startsWith('Unpin'))); \
             document.getElementById('meant')?.removeAttribute('id'); if (one) one.id = 'meant'; one?.scrollIntoView({{ block: 'nearest' }}); return one ? 'y' : ''"
        );
        if self.text(&mark).await?.is_empty() {
            return Ok(());
        }
        let Some(at) = self.middle("#meant").await? else { return Ok(()) };
        match button {
            "Bring up" => self.asks("bring-up", &id),
            "Remove" => self.asks("remove", &id),
            _ => {
                self.asks("pin", &id);
                self.asks("unpin", &id);
            }
        }
        self.tap(at).await
    }
}
