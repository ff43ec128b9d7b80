//! Takes the pictures of docs/screenshots from a running demo: `YADORI_HOME=… cargo run -p yadori-e2e --bin screenshots`.

use std::path::{Path, PathBuf};
use std::process::Command;

use anyhow::{Context, Result};
use x11rb::connection::Connection;
use x11rb::protocol::xproto::{ConnectionExt, ImageFormat};
use yadori_e2e::{Browser, Display, programs, until};

#[tokio::main(flavor = "current_thread")]
async fn main() -> Result<()> {
    let home = PathBuf::from(std::env::var_os("YADORI_HOME").context("set YADORI_HOME to the demo's home")?);
    let out = PathBuf::from(std::env::args().nth(1).unwrap_or_else(|| "docs/screenshots".into()));
    let browser = Browser::start(None).await?;
    browser.driver.goto(link(&home)?).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 4").await?;
    settle(&browser).await?;
    let picture = async |name: &str| browser.picture(&out.join(name)).await;
    picture("history-day.png").await?;
    browser.dark(true).await?;
    settle(&browser).await?;
    picture("history-night.png").await?;
    browser.dark(false).await?;
    browser.script("document.querySelector('[aria-posinset=\"3\"]').click()").await?;
    browser.until("return document.querySelector('[data-words][role=region]')").await?;
    settle(&browser).await?;
    picture("unfolded.png").await?;
    browser
        .script("document.querySelector('[aria-posinset=\"3\"] button[aria-pressed=false]').click()")
        .await?;
    browser.until("return document.querySelector('[data-holds],[data-formatted]')").await?;
    settle(&browser).await?;
    picture("all-it-holds.png").await?;
    browser.press("\u{e00c}").await?;
    browser.press("\u{e00c}").await?;
    browser.script("document.activeElement.blur()").await?;
    browser.size(390, 844, true).await?;
    settle(&browser).await?;
    picture("narrow.png").await?;
    terminal(&home, &out.join("client.png"))
}

/// The client in a real terminal window.
fn terminal(home: &Path, out: &Path) -> Result<()> {
    let mut display = Display::start();
    let scratch = tempfile::tempdir()?;
    let done = scratch.path().join("done");
    let script = format!(
        "PS1=; export YADORI_HOME='{}' PATH='{}':$PATH; for verb in status 'list -n 14' 'show 3' 'show 2 --details' 'take 5'; do \
         printf '\\033[1m$ yadori %s\\033[0m\\n' \"$verb\"; yadori $verb; echo; done; touch '{}'; sleep 60",
        home.display(),
        programs().display(),
        done.display(),
    );
    let look = [
        "-fa",
        "monospace",
        "-fs",
        "10",
        "-geometry",
        "159x50+0+0",
        "-bg",
        "#fdfcf9",
        "-fg",
        "#262a3d",
        "-e",
        "sh",
        "-c",
    ];
    display.run("xterm", &[&look[..], &[&script]].concat());
    until("the terminal's output", || done.exists().then_some(()));
    let (conn, screen) = x11rb::connect(Some(&display.name()))?;
    let root = &conn.setup().roots[screen];
    let mut last = Vec::new();
    // Two equal pictures in a row: the window has been drawn.
    let pixels = until("a still picture", || {
        let now = conn
            .get_image(
                ImageFormat::Z_PIXMAP,
                root.root,
                0,
                0,
                root.width_in_pixels,
                root.height_in_pixels,
                u32::MAX,
            )
            .ok()?
            .reply()
            .ok()?
            .data;
        let still = now == last && now.iter().any(|byte| *byte != now[0]);
        last.clone_from(&now);
        still.then_some(now)
    });
    let rgb: Vec<u8> = pixels.chunks_exact(4).flat_map(|pixel| [pixel[2], pixel[1], pixel[0]]).collect();
    let picture = image::RgbImage::from_raw(root.width_in_pixels.into(), root.height_in_pixels.into(), rgb);
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
