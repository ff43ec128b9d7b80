//! A real browser with a window copies and pastes: text, formatted text, a link, a picture.

use anyhow::Result;
use thirtyfour::By;
use yadori_api::{Kind, LiveState};
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::{Browser, Display, Service, until};

const PAGE: &str = "<!doctype html><title>Hut notices</title><p id=text>Ridge path: <b>snow fields</b> until further notice</p>\
    <p><input id=link value='https://trails.example.org/status/ridge-path'></p><canvas id=map width=320 height=120></canvas>\
    <p><textarea id=field></textarea></p><div id=rich contenteditable>-</div>\
    <script>const c=document.getElementById('map').getContext('2d');c.fillStyle='#4a6fa5';c.fillRect(0,40,320,80);\
    c.fillStyle='#f2b544';c.fillRect(150,60,20,20);</script>";

/// Serves one page on loopback: a secure context for the clipboard.
fn serve(page: &'static str) -> String {
    use std::io::{Read, Write};
    let listener = std::net::TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}/", listener.local_addr().unwrap());
    std::thread::spawn(move || {
        for stream in listener.incoming() {
            let Ok(mut stream) = stream else { return };
            let mut asked = [0; 4_096];
            let _ = stream.read(&mut asked);
            let head = format!(
                "HTTP/1.1 200 OK\r\ncontent-type: text/html; charset=utf-8\r\ncontent-length: {}\r\nconnection: close\r\n\r\n",
                page.len()
            );
            let _ = stream.write_all(head.as_bytes()).and_then(|()| stream.write_all(page.as_bytes()));
        }
    });
    address
}

const CTRL: &str = "\u{e009}";
const NULL: &str = "\u{e000}";

async fn select(browser: &Browser, id: &str) -> Result<()> {
    browser
        .script(&format!(
            "const it = document.getElementById('{id}'); window.focus(); if (it.select) {{ it.focus(); it.select(); }} else {{ \
             const range = document.createRange(); range.selectNodeContents(it); getSelection().removeAllRanges(); getSelection().addRange(range); }}"
        ))
        .await?;
    Ok(())
}

async fn copy(browser: &Browser) -> Result<()> {
    browser.driver.action_chain().key_down('\u{e009}').send_keys("c").key_up('\u{e009}').perform().await?;
    Ok(())
}

#[tokio::test]
async fn chromium_copies_and_pastes_text_html_a_link_and_an_image() -> Result<()> {
    let mut display = Display::start();
    Keyboard::managed(&mut display)?;
    let service = Service::on(&display.name());
    let browser = Browser::start(Some(&display.name())).await?;
    let address = serve(PAGE);
    browser.driver.goto(&address).await?;

    // Formatted text, by Ctrl+C, with its source.
    select(&browser, "text").await?;
    copy(&browser).await?;
    let text = service.await_clip("Ridge path: snow fields");
    assert!(text.formatted);
    assert!(
        text.source.program.as_deref().unwrap_or_default().to_lowercase().contains("chrom"),
        "{:?}",
        text.source
    );
    assert!(text.source.window.as_deref().unwrap_or_default().contains("Hut notices"), "{:?}", text.source);
    assert_eq!(text.source.page.as_deref(), Some(address.as_str()));

    // A link.
    select(&browser, "link").await?;
    copy(&browser).await?;
    assert_eq!(service.await_clip("https://trails.example.org").kind, Kind::Link);

    // A picture, as pages copy them.
    browser
        .cdp(
            "Browser.grantPermissions",
            serde_json::json!({ "permissions": ["clipboardReadWrite", "clipboardSanitizedWrite"] }),
        )
        .await?;
    let written = browser
        .driver
        .execute_async(
            "const done = arguments[0]; document.getElementById('map').toBlob(async (blob) => { try { await navigator.clipboard.write([new ClipboardItem({ 'image/png': blob })]); done('ok'); } catch (why) { done(String(why)); } })",
            Vec::new(),
        )
        .await?;
    assert_eq!(written.json(), "ok");
    let image =
        until("the picture", || service.list(3).into_iter().find(|row| row.kind == Kind::Image && row.saved));
    assert_eq!(image.picture.map(|one| (one.width, one.height)), Some((320, 120)));

    // Taken, they are pasted by Ctrl+V: plain into a field, with formatting into a rich one, the picture as a picture.
    service.yadori(&["take", &text.prefix]);
    paste_into(&browser, "field").await?;
    browser.until("return document.getElementById('field').value === 'Ridge path: snow fields until further notice'").await?;
    paste_into(&browser, "rich").await?;
    browser.until("return document.querySelector('#rich b')?.textContent === 'snow fields'").await?;
    service.yadori(&["take", &text.prefix, "--plain"]);
    browser.script("document.getElementById('rich').textContent = '-'").await?;
    paste_into(&browser, "rich").await?;
    browser.until("return document.getElementById('rich').textContent.includes('snow fields') && !document.querySelector('#rich b')").await?;
    browser.script("document.addEventListener('paste', (event) => { window.__pasted = [...event.clipboardData.files].map((file) => file.type).join() })").await?;
    service.yadori(&["take", &image.prefix]);
    paste_into(&browser, "field").await?;
    browser.until("return window.__pasted === 'image/png'").await?;

    // What it copied stays pasteable when it is closed.
    select(&browser, "text").await?;
    copy(&browser).await?;
    until("the second copy", || service.list(5).into_iter().find(|row| row.id == text.id && row.copies == 2));
    drop(browser);
    until("the copy after the browser's end", || {
        display.paste_text().filter(|text| text.starts_with("Ridge path"))
    });
    until("the live clipboard", || service.status().filter(|status| status.live.state == LiveState::Clip));
    Ok(())
}

async fn paste_into(browser: &Browser, id: &str) -> Result<()> {
    let field = browser.driver.find(By::Id(id)).await?;
    field.click().await?;
    field.send_keys(format!("{CTRL}a{NULL}")).await?;
    field.send_keys(format!("{CTRL}v{NULL}")).await?;
    Ok(())
}
