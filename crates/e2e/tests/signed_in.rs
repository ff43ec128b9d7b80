//! A browser that has signed in stays so, safely, until it is signed out; addresses lead back to where one was.

use anyhow::Result;
use serde_json::json;
use yadori_e2e::{Browser, Service};

const DOWN: &str = "\u{e015}";
const ENTER: &str = "\u{e007}";

fn browsers(service: &Service) -> Vec<serde_json::Value> {
    let list: serde_json::Value =
        serde_json::from_str(&service.yadori(&["console", "--list", "--json"])).expect("JSON");
    list["browsers"].as_array().cloned().unwrap_or_default()
}

/// The status of a call with a key.
fn status(service: &Service, key: &str, path: &str) -> u16 {
    let auth = format!("authorization: Bearer {key}");
    Service::curl(&["-H", &auth, &format!("{}{path}", service.address())]).0
}

#[tokio::test]
async fn a_sign_in_outlives_the_service_and_the_key_of_its_last_run_opens_nothing() -> Result<()> {
    let mut service = Service::at_a_port();
    service.add(&["one"]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelector('[data-summary]')").await?;
    let key = browser.script("return localStorage.getItem('yadori.key')").await?;
    let key = key.as_str().unwrap_or_default().to_owned();
    assert_eq!(browsers(&service).len(), 1);
    service.stop();
    browser.until("return document.querySelector('[data-lamp=broken]')").await?;
    service.start_again();
    service.await_records();
    browser.until("return document.querySelector('[data-lamp=dark]')").await?;
    service.add(&["two"]);
    browser.until("return document.querySelectorAll('[data-summary]').length === 2").await?;
    assert_eq!(
        status(&service, &key, "/api/v1/status"),
        401,
        "what a squatter could have read opens nothing"
    );
    // A page that is opened anew needs no link either, wherever its address leads.
    browser.driver.goto("about:blank").await?;
    service.stop();
    service.start_again();
    service.await_records();
    browser.driver.goto(format!("{}#/favorites", service.address())).await?;
    browser.until("return document.querySelector('[data-kept=favorites] #list[aria-busy=false]')").await?;
    // The records hold nothing that opens anything: a public key, and no part of what the browser sends.
    let stored = browser.script("return localStorage.getItem('yadori.key')").await?;
    let stored = stored.as_str().unwrap_or_default().to_owned();
    let data = service.home().join("data");
    for file in walk(&data) {
        let bytes = std::fs::read(&file).unwrap_or_default();
        let found = |secret: &str| bytes.windows(secret.len()).any(|part| part == secret.as_bytes());
        assert!(!found(&stored) && !found(&key), "{}", file.display());
    }
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

fn walk(dir: &std::path::Path) -> Vec<std::path::PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(dir).into_iter().flatten().flatten() {
        let path = entry.path();
        if path.is_dir() { found.extend(walk(&path)) } else { found.push(path) }
    }
    found
}

#[tokio::test]
async fn whoever_is_signed_out_keeps_the_page_in_place_with_a_way_in_over_it() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["one", "two"]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 2").await?;
    browser.press(format!("{DOWN}e")).await?;
    browser.until("return document.activeElement.tagName === 'TEXTAREA'").await?;
    browser.press(" and words").await?;
    // Signed out from a terminal: the page stays, and says so to everybody.
    let id = browsers(&service)[0]["id"].as_str().unwrap_or_default().to_owned();
    service.yadori(&["console", "--end", &id[..8]]);
    browser.until("return document.querySelector('[data-sign-in][role=dialog]')").await?;
    browser.until("return document.querySelector('[data-said]').textContent.includes('signed out')").await?;
    assert_eq!(
        browser.script("return document.querySelector('textarea').value").await?,
        json!("two and words")
    );
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    // A link that is pasted lets one in again; a wrong one says why.
    browser.script("document.querySelector('[data-sign-in] input').focus()").await?;
    browser.press(format!("nonsense{ENTER}")).await?;
    browser.until("return document.querySelector('[data-sign-in] [role=alert]')?.textContent.includes('used already')").await?;
    browser.script("document.querySelector('[data-sign-in] input').select()").await?;
    browser.press(format!("{}{ENTER}", service.sign_in_link())).await?;
    browser.until("return !document.querySelector('[data-sign-in]')").await?;
    assert_eq!(
        browser.script("return document.querySelector('textarea').value").await?,
        json!("two and words")
    );
    // One goes on typing where one was.
    browser.until("return document.activeElement.tagName === 'TEXTAREA'").await?;
    browser.press("!").await?;
    assert_eq!(
        browser.script("return document.querySelector('textarea').value").await?,
        json!("two and words!")
    );
    assert_eq!(browsers(&service).len(), 1);
    // Another tab's sign-in heals this one; its signing out ends both.
    let first = browser.driver.window().await?;
    let second = browser.driver.new_tab().await?;
    browser.driver.switch_to_window(second.clone()).await?;
    browser.driver.goto(format!("{}#/help", service.address())).await?;
    browser
        .until("return document.querySelector('[data-browsers] li')?.textContent.includes('this one')")
        .await?;
    browser.script("[...document.querySelectorAll('button')].find((one) => one.textContent.trim() === 'Sign out here').click()").await?;
    browser.until("return document.querySelector('[data-sign-in][role=dialog]')").await?;
    browser.driver.switch_to_window(first.clone()).await?;
    browser.until("return document.querySelector('[data-sign-in][role=dialog]')").await?;
    assert_eq!(browsers(&service).len(), 0);
    browser.driver.switch_to_window(second).await?;
    browser.script("document.querySelector('[data-sign-in] input').focus()").await?;
    browser.press(format!("{}{ENTER}", service.sign_in_link())).await?;
    browser.until("return !document.querySelector('[data-sign-in]')").await?;
    browser.driver.switch_to_window(first).await?;
    browser.until("return !document.querySelector('[data-sign-in]')").await?;
    service.add(&["three"]);
    browser.until("return document.querySelector('[data-unseen]') || document.querySelectorAll('[data-summary]').length > 1").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn searches_have_addresses_and_where_one_was_outlives_a_reload_and_the_way_back() -> Result<()> {
    let service = Service::without_desk();
    let all: Vec<String> =
        (0..60).map(|n| format!("clip {n}, {}", if n % 3 == 0 { "oats" } else { "gas" })).collect();
    service.add(&all.iter().map(String::as_str).collect::<Vec<_>>());
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 9").await?;
    for _ in 0..25 {
        browser.press(DOWN).await?;
    }
    let id = browser.focus().await?;
    let top = browser.script("return document.getElementById('list').scrollTop").await?;
    assert!(top.as_f64() > Some(100.0));
    browser.driver.refresh().await?;
    browser.until(&format!("return document.activeElement.dataset.id === '{id}'")).await?;
    assert_eq!(browser.script("return document.getElementById('list').scrollTop").await?, top);
    // A search has an address; the way back leads out of it, to where one was.
    browser.press("/").await?;
    browser.press("oats").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '20 matches' && location.hash === '#/history?q=oats'").await?;
    browser.driver.refresh().await?;
    browser.until("return document.querySelector('[data-count]')?.textContent === '20 matches' && document.getElementById('search').value === 'oats'").await?;
    browser.driver.back().await?;
    browser.until("return document.getElementById('search').value === '' && document.querySelector('[role=treegrid]').ariaRowCount === '60'").await?;
    browser.driver.forward().await?;
    browser.until("return document.querySelector('[data-count]').textContent === '20 matches'").await?;
    // One that was written down leads there too.
    browser.driver.goto(format!("{}#/history?q=clip+59", service.address())).await?;
    browser.until("return document.querySelector('[data-count]')?.textContent === '1 match'").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}
