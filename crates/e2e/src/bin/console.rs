//! What the console costs at 100,000 clips (a number as argument stands for them), with real keys: how soon it is there, scrolling; from a keystroke to its results on the screen beside a bare
//! page of the same service that asks the same, and the main thread's time for an arrow key and for an arrival, and how soon favorites are there.

use std::time::{Duration, Instant};

use anyhow::{Context, Result};
use serde_json::json;
use yadori_e2e::measure::{at, header, row, until_at_rest};
use yadori_e2e::{Browser, Service, many};

const KEYSTROKES: usize = 200;
/// Turns of the wheel.
const TURNS: usize = 240;
const FAVORITES: usize = 3_000;
/// Eight keystrokes a second.
const PACE: Duration = Duration::from_millis(125);
const WORDS: [&str; 6] = ["kestrel", "clip 99", "oats and", "ridge path", "bunks", "clip 12345"];

/// In both pages: from a key that goes down to the frame after which its results are on the screen.
const STOPWATCH: &str = "window.__times = []; window.__down = new Map(); \
    addEventListener('keydown', (event) => (window.__last = event.timeStamp), true); \
    addEventListener('input', (event) => window.__down.set(event.target.value, window.__last), true); \
    window.__there = (text) => { const down = window.__down.get(text); if (down === undefined) return; window.__down.delete(text); \
      requestAnimationFrame(() => { const { port1, port2 } = new MessageChannel(); port1.onmessage = () => window.__times.push(performance.now() - down); port2.postMessage(0); }); };";

/// A page without anything: a field, a list, the same call.
const BARE: &str = "document.body.innerHTML = '<input id=search><ul></ul>'; const field = document.querySelector('input'), list = document.querySelector('ul'); let running; \
    field.addEventListener('input', async () => { running?.abort(); running = new AbortController(); const text = field.value; if (!text) return; \
      try { const answer = await fetch('/api/v1/search?' + new URLSearchParams({ q: text, limit: '50' }), { signal: running.signal, headers: { authorization: 'Bearer ' + localStorage.getItem('yadori.key') } }); \
        const found = await answer.json(); list.replaceChildren(...(found.hits ?? []).map((hit) => { const one = document.createElement('li'); one.textContent = hit.row.head; return one; })); window.__there(text); } catch {} }); field.focus()";

/// A page without anything: a box as tall as the console's, and in it what is to be seen of a list of numbers.
const BARE_LIST: &str = "document.body.innerHTML = '<div id=list style=\"height: 700px; overflow-y: auto\"><div style=\"position: relative; height: 8000000px\"></div></div>'; \
    const box = document.getElementById('list'), inner = box.firstChild; \
    const draw = () => { const from = Math.floor(box.scrollTop / 54); inner.replaceChildren(...Array.from({ length: 15 }, (_, n) => { const one = document.createElement('div'); \
      one.style.cssText = `position: absolute; top: ${(from + n) * 54}px; height: 54px`; one.innerHTML = `<p>clip ${from + n}</p><small>Writer, copied once</small>`; return one; })); }; \
    box.addEventListener('scroll', draw); draw()";

async fn press(browser: &Browser, key: &str, code: u32, text: Option<&str>) -> Result<()> {
    let mut down = json!({ "type": if text.is_some() { "keyDown" } else { "rawKeyDown" }, "key": key, "windowsVirtualKeyCode": code });
    if let Some(text) = text {
        down["text"] = json!(text);
    }
    browser.cdp("Input.dispatchKeyEvent", down).await?;
    browser
        .cdp("Input.dispatchKeyEvent", json!({ "type": "keyUp", "key": key, "windowsVirtualKeyCode": code }))
        .await?;
    Ok(())
}

/// Types words at a steady pace. Gives the milliseconds of each keystroke.
async fn typed(browser: &Browser) -> Result<Vec<f64>> {
    let letters: Vec<char> =
        WORDS.iter().cycle().flat_map(|word| word.chars().chain(['\n'])).take(KEYSTROKES).collect();
    let mut next = Instant::now();
    for letter in letters {
        tokio::time::sleep_until((next + PACE).into()).await;
        next += PACE;
        if letter == '\n' {
            browser
                .script("const field = document.getElementById('search'); field.focus(); field.select()")
                .await?;
            press(browser, "Delete", 46, None).await?;
        } else {
            let text = letter.to_string();
            press(browser, &text, u32::from(letter.to_ascii_uppercase()), Some(&text)).await?;
        }
    }
    tokio::time::sleep(PACE * 4).await;
    Ok(serde_json::from_value(browser.script("return window.__times").await?)?)
}

/// Opens the page again and again. Gives the milliseconds from asking for it until its first list is on the screen.
async fn shown(browser: &Browser) -> Result<Vec<f64>> {
    let mut times = Vec::new();
    for _ in 0..8 {
        browser.driver.refresh().await?;
        let look = "const done = arguments[0]; const look = () => document.querySelectorAll('[data-summary]').length > 9 \
            ? requestAnimationFrame(() => done(performance.now())) : requestAnimationFrame(look); look()";
        times.push(browser.driver.execute_async(look, Vec::new()).await?.convert()?);
    }
    Ok(times)
}

/// Scrolls with a wheel through all of it, small steps and leaps in turn, and then stands still. Gives the milliseconds between frames.
async fn scrolled(browser: &Browser, count: usize) -> Result<[Vec<f64>; 2]> {
    let frames = "window.__frames = []; window.__stop = false; let last; const next = (now) => { \
        if (last) window.__frames.push(now - last); last = now; if (!window.__stop) requestAnimationFrame(next); }; requestAnimationFrame(next)";
    let mut found = [Vec::new(), Vec::new()];
    for (n, times) in found.iter_mut().enumerate() {
        browser.script(frames).await?;
        for k in 0..TURNS {
            let by = if n == 1 {
                0
            } else if k % 2 == 0 {
                700
            } else {
                60 * count / TURNS
            };
            browser
                .cdp(
                    "Input.dispatchMouseEvent",
                    json!({ "type": "mouseWheel", "x": 600, "y": 500, "deltaX": 0, "deltaY": by }),
                )
                .await?;
        }
        let done = browser.script("window.__stop = true; return window.__frames").await?;
        *times = serde_json::from_value(done)?;
    }
    browser.script("document.getElementById('list').scrollTop = 0").await?;
    Ok(found)
}

/// Opens the favorites and the history in turn, by keys. Gives the milliseconds until each is on the screen.
async fn opened(browser: &Browser, favorites: usize, clips: usize) -> Result<[Vec<f64>; 2]> {
    let watch = format!(
        "window.__opened = {{ f: [], h: [] }}; addEventListener('keydown', ({{ key, timeStamp }}) => {{ \
         const all = key === 'f' ? '{favorites}' : '{clips}'; \
         const look = () => document.querySelector('[role=treegrid]')?.ariaRowCount === all && document.querySelectorAll('[data-summary]').length > 5 \
           ? requestAnimationFrame(() => window.__opened[key].push(performance.now() - timeStamp)) : requestAnimationFrame(look); look(); }}, true)"
    );
    browser.script(&watch).await?;
    for n in 1..=40 {
        let (key, code) = if n % 2 == 1 { ("f", 70) } else { ("h", 72) };
        press(browser, key, code, Some(key)).await?;
        browser.until(&format!("return window.__opened.{key}.length === {}", (n + 1) / 2)).await?;
    }
    let found = browser.script("return [window.__opened.f, window.__opened.h]").await?;
    Ok(serde_json::from_value(found)?)
}

#[expect(clippy::print_stdout, reason = "its output is the result")]
#[tokio::main(flavor = "current_thread")]
async fn main() -> Result<()> {
    let count = std::env::args().nth(1).map_or(Ok(100_000), |text| text.parse())?;
    let service = Service::configured("[limits]\nclips = \"off\"\ndays = \"off\"\n");
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    many::write_backup(&file, count)?;
    service.yadori(&["restore", file.to_str().context("a path")?]);
    until_at_rest(&service, Duration::from_secs(1_800));
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 9").await?;
    let began = Instant::now();
    browser
        .until(&format!("return document.querySelector('[role=treegrid]').ariaRowCount === '{count}'"))
        .await?;
    let whole = began.elapsed().as_secs_f64();
    let mut first = shown(&browser).await?;
    let ready = format!("return document.querySelector('[role=treegrid]').ariaRowCount === '{count}'");
    browser.until(&ready).await?;
    let [mut frames, mut still] = scrolled(&browser, count).await?;
    browser.cdp("Performance.enable", json!({})).await?;
    browser.script(STOPWATCH).await?;
    browser
        .script("new MutationObserver(() => window.__there(document.getElementById('list').dataset.found)).observe(document.getElementById('list'), { attributes: true, attributeFilter: ['data-found'] }); document.getElementById('search').focus()")
        .await?;
    let mut own = typed(&browser).await?;
    browser.script("document.querySelector('[aria-label=\"Clear the search\"]')?.click(); document.getElementById('list').focus()").await?;
    browser
        .until(&format!("return document.querySelector('[role=treegrid]').ariaRowCount === '{count}'"))
        .await?;

    // Arrow keys, one at a time, each drawn.
    let before = browser.worked().await?;
    for _ in 0..100 {
        press(&browser, "ArrowDown", 40, None).await?;
        browser.driver.execute_async("const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() => done(1)))", Vec::new()).await?;
    }
    let keys = browser.worked().await? - before;
    let before = browser.worked().await?;
    for _ in 0..100 {
        browser.script("return 1").await?;
        browser.driver.execute_async("const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() => done(1)))", Vec::new()).await?;
    }
    let idle_keys = browser.worked().await? - before;

    // Arrivals: under a selection (each waits), at the top with nobody busy (they are shown), and there one by one.
    let mut arrivals = Vec::new();
    for (n, (held, pause)) in [(true, 0), (false, 0), (false, 150)].into_iter().enumerate() {
        if !held {
            browser.script("document.getElementById('list').focus()").await?;
            press(&browser, "Escape", 27, None).await?;
            press(&browser, "Escape", 27, None).await?;
            browser.script("document.getElementById('list').scrollTop = 0").await?;
            browser.until("return document.getElementById('list').scrollTop === 0").await?;
        }
        let before = browser.worked().await?;
        let began = Instant::now();
        for k in 0..100 {
            service.yadori(&["add", &format!("arrival {n} {k}")]);
            tokio::time::sleep(Duration::from_millis(pause)).await;
        }
        if !held {
            let last =
                format!("return document.getElementById('list').textContent.includes('arrival {n} 99')");
            browser.until(&last).await?;
        }
        let busy = browser.worked().await? - before;
        let time = began.elapsed();
        let before = browser.worked().await?;
        tokio::time::sleep(time).await;
        let idle = browser.worked().await? - before;
        arrivals.push((busy - idle) * 1e3 / 100.0);
    }

    // Favorites, as many as anybody would have.
    let socket = service.home().join("run/yadori.sock");
    let socket = socket.to_str().context("a path")?;
    let outline = Service::curl(&["--unix-socket", socket, "http://y/api/v1/outline"]).1;
    let ids = outline["ids"].as_str().context("ids")?;
    let ids: Vec<&str> = (0..FAVORITES).map(|n| &ids[n * 26..(n + 1) * 26]).collect();
    let wish = dir.path().join("wish.json");
    std::fs::write(&wish, json!({ "ids": ids, "to": { "place": "favorites" } }).to_string())?;
    let wish = format!("@{}", wish.display());
    let json = ["-H", "content-type: application/json", "--data-binary", &wish, "http://y/api/v1/keep"];
    Service::curl(&[&["--unix-socket", socket], &json[..]].concat());
    browser.driver.refresh().await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 5").await?;
    browser.script("document.getElementById('list').focus()").await?;
    let there = count + 300;
    browser
        .until(&format!("return document.querySelector('[role=treegrid]').ariaRowCount === '{there}'"))
        .await?;
    let [mut favorites, mut history] = opened(&browser, FAVORITES, there).await?;

    browser.driver.goto(format!("{}/healthz", service.address())).await?;
    browser.script(STOPWATCH).await?;
    browser.script(BARE).await?;
    let mut bare = typed(&browser).await?;
    browser.script(BARE_LIST).await?;
    let [mut bare_frames, _] = scrolled(&browser, count).await?;
    header();
    let both = |values: &mut Vec<f64>| {
        format!("{:.0} / {:.0} ms ({} keystrokes)", at(values, 0.5), at(values, 0.99), values.len())
    };
    row(
        &format!("the first list after the page was asked for, {count} clips, p50 / most of {}", first.len()),
        "< 1.5 s",
        &format!(
            "{:.0} / {:.0} ms; all of it {whole:.1} s after the first",
            at(&mut first, 0.5),
            at(&mut first, 1.0)
        ),
        "-",
    );
    row(
        "from a frame to the next while it is scrolled, p50 / p95",
        "two frames at p95",
        &format!("{:.0} / {:.0} ms ({} frames)", at(&mut frames, 0.5), at(&mut frames, 0.95), frames.len()),
        &format!(
            "a bare list: {:.0} / {:.0} ms ({} frames); standing still: {:.0} / {:.0} ms",
            at(&mut bare_frames, 0.5),
            at(&mut bare_frames, 0.95),
            bare_frames.len(),
            at(&mut still, 0.5),
            at(&mut still, 0.95)
        ),
    );
    row(
        &format!("keystroke to results on the screen, {count} clips, p50 / p99"),
        "33 / 50 ms",
        &both(&mut own),
        &format!("a bare page: {}", both(&mut bare)),
    );
    row(
        "an arrow key, main thread",
        "16 ms",
        &format!("{:.1} ms", (keys - idle_keys) * 1e3 / 100.0),
        &format!("nothing pressed: {:.1} ms", idle_keys * 1e3 / 100.0),
    );
    row(
        "an arrival that waits / is shown among many / alone, main thread",
        "5 ms",
        &format!("{:.1} / {:.1} / {:.1} ms", arrivals[0], arrivals[1], arrivals[2]),
        "-",
    );
    row(
        "3,000 favorites on the screen after their key, p50",
        "as fast as the history",
        &format!("{:.0} ms", at(&mut favorites, 0.5)),
        &format!("the history: {:.0} ms", at(&mut history, 0.5)),
    );
    println!();
    Ok(())
}
