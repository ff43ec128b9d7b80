//! The console's batches: by real keys alone, by a real pointer alone, by a drag; the small window; what was typed stays.

use anyhow::Result;
use serde_json::json;
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::pointer::Pointer;
use yadori_e2e::{Browser, Display, Service, until};

const DOWN: &str = "\u{e015}";
const UP: &str = "\u{e013}";
const ENTER: &str = "\u{e007}";
const TAB: &str = "\u{e004}";
const DELETE: &str = "\u{e017}";
const ALT: &str = "\u{e00a}";
const NULL: &str = "\u{e000}";

/// The items on the page, and which is next.
const SHOWN: &str = "return [[...document.querySelectorAll('[data-item]')].map((one) => one.getAttribute('aria-label').replace(/^\\d+, /, ''))]";

async fn items(browser: &Browser) -> Result<Vec<String>> {
    let found: Vec<Vec<String>> = serde_json::from_value(browser.script(SHOWN).await?)?;
    Ok(found.concat())
}

async fn until_items(browser: &Browser, wanted: &[&str]) -> Result<()> {
    let script = format!(
        "const f = () => {{ {SHOWN} }}; return JSON.stringify(f()[0]) === {:?}",
        json!(wanted).to_string()
    );
    if browser.until(&script).await.is_err() {
        anyhow::bail!("{wanted:?} was wanted, and this is there: {:?}", items(browser).await?);
    }
    Ok(())
}

#[tokio::test]
async fn a_batch_is_split_arranged_and_handed_out_by_keys_alone() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["Name: Ole\nNights: 2\n\nName: Ida\nNights: 3"]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelector('[data-row] [data-summary]')").await?;
    browser.press("o").await?;
    browser.until("return document.querySelector('[data-batches=\"0\"] [data-empty]')").await?;
    // To “Split a text”, and there to “Names and values”.
    browser.until("return document.activeElement.id === 'page'").await?;
    browser.press(format!("{TAB}{TAB}{ENTER}")).await?;
    browser.until("return document.querySelector('[data-new-batch]')").await?;
    for _ in 0..12 {
        browser.press(TAB).await?;
        if browser.script("return document.activeElement.dataset.way === 'pairs'").await? == json!(true) {
            break;
        }
    }
    browser.press(ENTER).await?;
    browser
        .until("return document.querySelector('[data-parts=\"4\"]')?.textContent.includes('2 records')")
        .await?;
    for _ in 0..8 {
        browser.press(TAB).await?;
        if browser.script("return document.activeElement.textContent === 'Begin the batch'").await?
            == json!(true)
        {
            break;
        }
    }
    browser.press(ENTER).await?;
    until_items(&browser, &["Name: Ole, next", "Nights: 2", "Name: Ida", "Nights: 3"]).await?;
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    // To the items: from the page, past the buttons.
    for _ in 0..24 {
        browser.press(TAB).await?;
        if browser.script("return document.activeElement.hasAttribute('data-items')").await? == json!(true) {
            break;
        }
    }
    browser.press(format!("{DOWN}{ENTER}")).await?;
    until("the clipboard", || display.paste_text().filter(|text| text == "Ole"));
    until_items(&browser, &["Name: Ole, handed out", "Nights: 2, next", "Name: Ida", "Nights: 3"]).await?;
    // Moved, dropped, taken back.
    browser.press(format!("{DOWN}{DOWN}{ALT}{UP}{NULL}")).await?;
    until_items(&browser, &["Name: Ole, handed out", "Name: Ida, next", "Nights: 2", "Nights: 3"]).await?;
    browser.press(DELETE).await?;
    until_items(&browser, &["Name: Ole, handed out", "Nights: 2, next", "Nights: 3"]).await?;
    browser.press("u").await?;
    until_items(&browser, &["Name: Ole, handed out", "Name: Ida, next", "Nights: 2", "Nights: 3"]).await?;
    let words = service.yadori(&["batch"]);
    assert!(words.contains("Next is 2 of 4"), "{words}");
    // A clip of the history goes into it.
    browser.press("h").await?;
    browser.until("return document.activeElement.closest('[data-row], #list')").await?;
    browser.press(format!("{DOWN}g")).await?;
    until("the item", || service.yadori(&["batch"]).contains("5  Name: Ole").then_some(()));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_batch_is_arranged_and_handed_out_by_pointer_alone() -> Result<()> {
    let mut display = Display::start();
    Keyboard::managed(&mut display)?;
    let service = Service::on(&display.name());
    service.yadori(&["batch", "new", "--text", "one\ntwo\nthree", "--split", "lines"]);
    let browser = Browser::console_on(&service, Some(&display.name())).await?;
    let pointer = Pointer::of(&display)?;
    let click = async |selector: &str| -> Result<()> {
        browser
            .until(&format!("return document.querySelector({selector:?})?.getBoundingClientRect().width"))
            .await?;
        pointer.move_to(browser.place_of(selector).await?)?;
        pointer.click(1)
    };
    click("nav a[href='#/batches']").await?;
    until_items(&browser, &["one, next", "two", "three"]).await?;
    click("[data-hand] button").await?;
    until("the clipboard", || display.paste_text().filter(|text| text == "one"));
    until_items(&browser, &["one, handed out", "two, next", "three"]).await?;
    // Dragged before the second one.
    pointer.move_to(browser.place_of("[data-item='3']").await?)?;
    browser.script("addEventListener('dragover', () => (window.__over = (window.__over ?? 0) + 1))").await?;
    pointer.press()?;
    let (x, y) = browser.place_of("[data-item='2']").await?;
    pointer.move_to((x, y))?;
    browser.until("return document.querySelector('[data-item=\"2\"].drop-before')").await?;
    browser.script("window.__over = 0").await?;
    pointer.move_to((x + 5, y + 3))?;
    // More than one word of the browser's that it may be dropped here: the last one counts.
    browser.until("return window.__over > 2").await?;
    pointer.release()?;
    until_items(&browser, &["one, handed out", "three, next", "two"]).await?;
    // Chosen, and dropped with the button above.
    click("[data-item='3']").await?;
    click("[data-item-acts] .text-error").await?;
    until_items(&browser, &["one, handed out", "two, next"]).await?;
    click("[data-toast] button").await?;
    until_items(&browser, &["one, handed out", "three, next", "two"]).await?;
    // A copy joins it while it gathers, and no longer after that.
    click("[data-gather]").await?;
    browser
        .until("return document.querySelector('[data-hand]')?.textContent.includes('Copies join it')")
        .await?;
    display.copy_text("gathered");
    until_items(&browser, &["gathered, next"]).await?;
    click("[data-gather]").await?;
    browser
        .until("return !document.querySelector('[data-hand]')?.textContent.includes('Copies join it')")
        .await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn what_is_next_is_in_sight_wherever_one_is_and_what_is_typed_stays() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    service.yadori(&["batch", "new", "--text", "one\ntwo\nthree", "--split", "lines"]);
    let browser = Browser::console(&service).await?;
    browser
        .until("return document.querySelector('aside [data-next=\"1\"]')?.textContent.includes('one')")
        .await?;
    // Handed out elsewhere: it shows here, and in the small window.
    service.yadori(&["batch", "next"]);
    browser.until("return document.querySelector('aside [data-next=\"2\"]')").await?;
    browser.script("location.hash = '#/hand'").await?;
    browser.size(360, 520, false).await?;
    browser
        .until("return document.querySelector('[data-next=\"2\"]') && !document.querySelector('nav')")
        .await?;
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    service.yadori(&["batch", "next"]);
    browser.until("return document.querySelector('[data-next=\"3\"]')").await?;
    // What is being typed to be split outlives what happens, and a reload.
    browser.size(1280, 800, false).await?;
    browser.script("location.hash = '#/batches'").await?;
    browser.until("return document.querySelector('[data-gather]')").await?;
    browser.script("document.querySelectorAll('main button')[1].focus()").await?;
    browser.press(ENTER).await?;
    browser.until("return document.querySelector('#batch-text')").await?;
    browser.script("document.getElementById('batch-text').focus()").await?;
    browser.press("a; b").await?;
    service.yadori(&["batch", "again"]);
    service.yadori(&["batch", "drop", "1"]);
    browser.until("return document.querySelector('[data-items=\"2\"]')").await?;
    browser.press("; c").await?;
    assert_eq!(
        browser.script("return [document.activeElement.id, document.activeElement.value]").await?,
        json!(["batch-text", "a; b; c"])
    );
    browser.script("document.querySelector('[data-way=pattern]').click()").await?;
    browser.until("return document.querySelector('[data-pattern]')").await?;
    browser.script("document.querySelector('[data-pattern]').focus()").await?;
    browser.press("(").await?;
    browser.until("return document.querySelector('[data-parts] .text-error')?.textContent.includes('can\\'t be read')").await?;
    browser.press("\u{e003}/").await?;
    browser.until("return document.querySelector('[data-parts] .text-error')?.textContent.includes('matches nothing')").await?;
    browser.press("\u{e003}; ").await?;
    browser.until("return document.querySelector('[data-parts=\"3\"]')").await?;
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    browser.script("location.reload()").await?;
    browser.until("return document.querySelector('[data-gather]')").await?;
    browser.script("document.querySelectorAll('main button')[1].click()").await?;
    browser.until("return document.querySelector('#batch-text')?.value === 'a; b; c'").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}
