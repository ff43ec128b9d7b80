//! Takes the pictures of docs/screenshots from a running demo: `YADORI_HOME=… cargo run -p yadori-e2e --bin screenshots`.

use std::path::{Path, PathBuf};
use std::process::Command;

use anyhow::{Context, Result};
use x11rb::connection::Connection;
use x11rb::protocol::xproto::{ConnectionExt, ImageFormat};
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::{Browser, Display, programs, until};

#[tokio::main(flavor = "current_thread")]
async fn main() -> Result<()> {
    let home = PathBuf::from(std::env::var_os("YADORI_HOME").context("set YADORI_HOME to the demo's home")?);
    let out = PathBuf::from(std::env::args().nth(1).unwrap_or_else(|| "docs/screenshots".into()));
    let browser = Browser::start(None).await?;
    browser.driver.goto(link(&home)?).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 4").await?;
    let picture = async |name: &str| {
        settle(&browser).await?;
        browser.picture(&out.join(name)).await
    };
    picture("first-start.png").await?;
    browser.script("[...document.querySelectorAll('[data-welcome] button')].at(-1).click()").await?;
    browser.until("return !document.querySelector('[data-welcome]')").await?;
    browser.script("document.activeElement.blur()").await?;
    picture("history-day.png").await?;
    browser.dark(true).await?;
    picture("history-night.png").await?;
    browser.dark(false).await?;
    browser.script("document.querySelector('[aria-posinset=\"4\"]').click()").await?;
    browser.until("return document.querySelector('[data-words][role=region]')").await?;
    picture("unfolded.png").await?;
    browser.press("\u{e00c}").await?;
    browser.press("\u{e00c}").await?;
    // Search, with what matched and ways to go on.
    browser.press("/").await?;
    browser.until("return document.activeElement?.id === 'search'").await?;
    browser.press("boil -stone since:30d").await?;
    browser.until("return /\\d match/.test(document.querySelector('[data-count]')?.textContent) && document.querySelector('mark.match')").await?;
    // What was read in a picture is found, and shown in its place.
    browser.tap("[data-row] img, [data-id] img").await?;
    browser.until("return document.querySelector('.found-word')").await?;
    picture("search.png").await?;
    go(&browser, "#/favorites", "[data-kept=favorites] [data-summary]").await?;
    browser.script("[...document.querySelectorAll('[data-kept] [data-row]')].find((one) => one.textContent.includes('Booking held')).click()").await?;
    browser.until("return document.querySelector('[data-kept] [data-words]')").await?;
    browser.press("e").await?;
    browser.until("return document.querySelector('[data-editor] textarea') && document.body.textContent.includes('When taken')").await?;
    picture("editor-and-fill-ins.png").await?;
    let drawer = browser.script("return [...document.querySelectorAll('nav a')].find((one) => one.textContent.includes('Replies')).getAttribute('href')").await?;
    go(&browser, drawer.as_str().unwrap_or_default(), "[data-kept] h2").await?;
    picture("drawer.png").await?;
    go(&browser, "#/insight", ".uplot").await?;
    picture("insight.png").await?;
    go(&browser, "#/help", "[data-tried]").await?;
    browser.until("return document.querySelector('[data-tried]').textContent.includes('Lindqvist')").await?;
    picture("help.png").await?;
    go(&browser, "#/devices", "[data-device]").await?;
    browser.script("[...document.querySelectorAll('[data-pairing] button')].at(-1).click()").await?;
    browser.until("return document.querySelector('[data-code]')").await?;
    picture("devices.png").await?;
    browser.script("[...document.querySelectorAll('[data-pairing] button')].at(-1).click()").await?;
    browser.until("return !document.querySelector('[data-code]')").await?;
    go(&browser, "#/acts", "[data-acts] li").await?;
    picture("recent-acts.png").await?;
    go(&browser, "#/settings", "[data-limits] .uplot").await?;
    browser.script("document.querySelector('[data-setting=\"limits.days\"]').focus()").await?;
    browser.press("\u{e009}a\u{e000}14").await?;
    browser.until("return document.querySelector('[data-plan]')?.textContent.includes('Would let')").await?;
    // Where the demo lies for the moment is nobody's business.
    browser.script("const file = document.querySelector('[data-settings] > p'); file.textContent = file.textContent.replace(/\\/tmp\\/[^ ]*config.toml/, '~/.config/yadori/config.toml')").await?;
    picture("settings.png").await?;
    go(&browser, "#/batches", "[data-items]").await?;
    picture("batches.png").await?;
    browser.script("[...document.querySelectorAll('main button')].find((one) => one.textContent === 'Split a text').click()").await?;
    browser.until("return document.activeElement && document.querySelector('#batch-text')").await?;
    browser.script("document.getElementById('batch-text').focus()").await?;
    browser.cdp("Input.insertText", serde_json::json!({ "text": NOTES })).await?;
    browser.script("document.querySelector('[data-way=pairs]').click()").await?;
    browser.until("return document.querySelector('[data-parts]')?.textContent.includes('2 records')").await?;
    picture("batch-split.png").await?;
    browser.script("[...document.querySelectorAll('[data-new-batch] button')].find((one) => one.textContent === 'Leave').click()").await?;
    go(&browser, "#/history", "[data-summary]").await?;
    browser.script("document.activeElement.blur()").await?;
    phone(&home, &out.join("phone.png")).await?;
    browser.size(760, 620, false).await?;
    go(&browser, "#/pick", "[data-pick-row] img").await?;
    browser.press("hut").await?;
    browser.until("return /\\d match/.test(document.querySelector('[data-state]').textContent)").await?;
    browser.press("\u{e015}").await?;
    picture("picker-page.png").await?;
    terminal(&home, &out.join("client.png"))?;
    picker(&home, &out.join("picker.png"))?;
    match std::env::var("YADORI_FORM") {
        Ok(address) => form(&home, &address, &out.join("permit-form.png")).await,
        Err(_) => Ok(()),
    }
}

/// A phone that was let in.
async fn phone(home: &Path, out: &Path) -> Result<()> {
    let asked = Command::new("target/debug/yadori")
        .arg("--home")
        .arg(home)
        .args(["phone", "add", "--json"])
        .output()?;
    let link: serde_json::Value = serde_json::from_slice(&asked.stdout)?;
    let phone = Browser::start(None).await?;
    phone.size(390, 844, true).await?;
    phone.touch(true).await?;
    phone.driver.goto(link["url"].as_str().context("no code")?).await?;
    phone.until("return document.querySelector('#list[aria-busy=false]')").await?;
    phone.script("[...document.querySelectorAll('[data-welcome] button')].find((one) => one.textContent === 'Skip')?.click()").await?;
    phone
        .until("return document.querySelector('[data-summary]') && !document.querySelector('[data-welcome]')")
        .await?;
    settle(&phone).await?;
    phone.picture(out).await
}

/// A text that is split in a picture.
const NOTES: &str = "Name: R. Tanaka\nArrives: 15 June\nNights: 3\nHut: Larch Hut\n\nName: E. Novák\nArrives: 15 June\nNights: 2\nHut: Stone Ford Hut";

/// The demo's form, filled by chords on the demo's display.
async fn form(home: &Path, address: &str, out: &Path) -> Result<()> {
    let yadori = |arguments: &[&str]| -> Result<String> {
        let done =
            Command::new(programs().join("yadori")).arg("--home").arg(home).args(arguments).output()?;
        Ok(String::from_utf8(done.stdout)?)
    };
    let status: serde_json::Value = serde_json::from_str(&yadori(&["status", "--json"])?)?;
    let display = status["capture"]["display"].as_str().context("a display")?;
    let browser = Browser::start(Some(display)).await?;
    browser.driver.goto(address).await?;
    let keyboard = Keyboard::named(display)?;
    keyboard.focus("the form", |window| window.title.starts_with("Overnight permit"))?;
    browser.script("document.getElementById('f0').focus()").await?;
    yadori(&["batch", "again"])?;
    for _ in 0..4 {
        keyboard.press("ctrl+alt+n")?;
    }
    browser
        .until("return document.getElementById('f3').value !== '' && document.activeElement.id === 'f4'")
        .await?;
    browser.picture(out).await?;
    yadori(&["batch", "again"])?;
    Ok(())
}

/// Goes to a place of the console and waits for something there.
async fn go(browser: &Browser, hash: &str, wanted: &str) -> Result<()> {
    browser.script(&format!("location.hash = '{hash}'")).await?;
    browser.until(&format!("return document.querySelector('{wanted}')")).await?;
    Ok(())
}

/// How terminals look.
const LOOK: [&str; 11] = [
    "-fa",
    "monospace",
    "-fd",
    "Noto Sans Mono CJK JP",
    "-fs",
    "9",
    "-bg",
    "#fdfcf9",
    "-fg",
    "#262a3d",
    "-geometry",
];

/// The client in a real terminal window.
fn terminal(home: &Path, out: &Path) -> Result<()> {
    let mut display = Display::start();
    let scratch = tempfile::tempdir()?;
    let done = scratch.path().join("done");
    let script = format!(
        "PS1=; export YADORI_HOME='{}' PATH='{}':$PATH; for verb in status 'list -n 4 rossi' 'list --favorites' 'drawer list' 'undo --list'; do \
         printf '\\033[1m$ yadori %s\\033[0m\\n' \"$verb\"; yadori $verb; echo; done; touch '{}'; sleep 60",
        home.display(),
        programs().display(),
        done.display(),
    );
    display.run("xterm", &[&LOOK[..], &["159x50+0+0", "-e", "sh", "-c", &script]].concat());
    until("the terminal's output", || done.exists().then_some(()));
    save(&display, out)
}

/// The picker in a terminal of its own, with a few letters typed.
fn picker(home: &Path, out: &Path) -> Result<()> {
    let mut display = Display::start();
    let script = format!("YADORI_HOME='{}' '{}/yadori' pick", home.display(), programs().display());
    display.run("xterm", &[&LOOK[..], &["159x50+0+0", "-e", "sh", "-c", &script]].concat());
    let keyboard = Keyboard::of(&display)?;
    let blank = pixels(&display)?;
    until("the picker", || pixels(&display).ok().filter(|now| *now != blank));
    keyboard.press("Down")?;
    save(&display, out)
}

/// The whole screen, four bytes a pixel.
fn pixels(display: &Display) -> Result<Vec<u8>> {
    let (conn, screen) = x11rb::connect(Some(&display.name()))?;
    let root = &conn.setup().roots[screen];
    let (width, height) = (root.width_in_pixels, root.height_in_pixels);
    Ok(conn.get_image(ImageFormat::Z_PIXMAP, root.root, 0, 0, width, height, u32::MAX)?.reply()?.data)
}

/// Saves the screen once two pictures in a row are equal: it has been drawn.
fn save(display: &Display, out: &Path) -> Result<()> {
    let mut last = Vec::new();
    let mut equal = 0;
    let seen = until("a still picture", || {
        let now = pixels(display).ok()?;
        let still = now == last && now.iter().any(|byte| *byte != now[0]);
        equal = if still { equal + 1 } else { 0 };
        last.clone_from(&now);
        (equal >= 20).then_some(now)
    });
    let rgb: Vec<u8> = seen.chunks_exact(4).flat_map(|pixel| [pixel[2], pixel[1], pixel[0]]).collect();
    let picture = image::RgbImage::from_raw(1280, 800, rgb);
    picture.context("the picture's size")?.save(out)?;
    Ok(())
}

fn link(home: &Path) -> Result<String> {
    let done = Command::new(programs().join("yadori")).arg("--home").arg(home).arg("console").output()?;
    Ok(String::from_utf8(done.stdout)?.trim().to_owned())
}

/// Pictures loaded, fonts there, two frames drawn.
async fn settle(browser: &Browser) -> Result<()> {
    browser.until("return document.fonts.status === 'loaded' && [...document.images].every((one) => one.complete) && !document.querySelector('[aria-label$=loading]')").await?;
    browser
        .driver
        .execute_async(
            "const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() => done(true)))",
            Vec::new(),
        )
        .await?;
    Ok(())
}
