//! Takes the pictures of docs/screenshots from a running demo: `YADORI_HOME=… cargo run -p yadori-e2e --bin screenshots`.

use std::path::{Path, PathBuf};
use std::process::Command;

use anyhow::{Context, Result};
use yadori_e2e::{Browser, programs};

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
    browser.size(390, 844, true).await?;
    settle(&browser).await?;
    picture("narrow.png").await?;
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
