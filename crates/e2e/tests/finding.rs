//! Finding and keeping in a real browser: search as one types, favorites, drawers, editing, several at once, undo.

use anyhow::Result;
use serde_json::json;
use yadori_e2e::pointer::Pointer;
use yadori_e2e::{Browser, Display, Service, until};

const DOWN: &str = "\u{e015}";
const ENTER: &str = "\u{e007}";
const ESCAPE: &str = "\u{e00c}";

const TAB: &str = "\u{e004}";
const ALT: &str = "\u{e00a}";
const NULL: &str = "\u{e000}";

/// Clicks the first element of a kind whose text is this.
async fn click(browser: &Browser, kind: &str, text: &str) -> Result<()> {
    let script = format!(
        "const found = [...document.querySelectorAll({kind:?})].find((one) => one.textContent.trim().startsWith({text:?}) && \
         one.offsetParent !== null); found?.click(); return found !== undefined"
    );
    browser.until(&script).await?;
    Ok(())
}

async fn shown(browser: &Browser) -> Result<Vec<String>> {
    let found = browser
        .script(
            "return [...document.querySelectorAll('[data-summary]')].map((one) => one.textContent.trim())",
        )
        .await?;
    Ok(serde_json::from_value(found)?)
}

#[tokio::test]
async fn a_few_letters_find_a_clip_and_enter_takes_the_one_that_was_found() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["Gas 11 kg bottle", "T. Mäkinen, 7 bunks", "oats", "R. Tanaka, 3 bunks"]);
    let browser = Browser::console(&service).await?;
    browser.press("/").await?;
    browser.until("return document.activeElement.id === 'search'").await?;
    browser.press("makinen").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '1 match'").await?;
    browser.until("return document.querySelector('mark.match')?.textContent === 'Mäkinen'").await?;
    assert_eq!(shown(&browser).await?, ["T. Mäkinen, 7 bunks"]);
    // What arrives meanwhile and matches too waits, counted, and does not change what Enter takes.
    service.add(&["makinen makinen"]);
    browser
        .until("return document.querySelector('[data-unseen]')?.textContent.trim() === '1 new match: show'")
        .await?;
    assert_eq!(shown(&browser).await?, ["T. Mäkinen, 7 bunks"]);
    browser.press(ENTER).await?;
    until("the take", || display.paste_text().filter(|text| text == "T. Mäkinen, 7 bunks"));
    click(&browser, "[data-unseen]", "1 new match").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '2 matches'").await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 2").await?;
    // A broken query says where and what was expected; nothing is lost.
    browser.script("document.querySelector('[aria-label=\"Clear the search\"]').click()").await?;
    browser.press("kind:song").await?;
    browser
        .until("return document.querySelector('#search-said').textContent.includes('text, link, image or files')")
        .await?;
    for _ in 0..4 {
        browser.press("\u{e003}").await?;
    }
    browser
        .until("return document.querySelector('[data-completions]')?.textContent.includes('text')")
        .await?;
    browser.press("l").await?;
    browser
        .until("return document.querySelector('[data-completions] button')?.textContent.includes('link')")
        .await?;
    browser.press(TAB).await?;
    browser.until("return document.getElementById('search').value === 'kind:link '").await?;
    browser.until("return document.querySelector('[data-nothing]')").await?;
    browser.press(ESCAPE).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 5").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn clips_are_pinned_titled_put_into_drawers_and_ordered_by_keyboard() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["one", "two", "three"]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 3").await?;
    for n in 1..=3 {
        browser.press(DOWN).await?;
        browser.press("p").await?;
        browser.until(&format!("return document.querySelectorAll('[data-at-hand]').length === {n}")).await?;
    }
    until("three favorites", || (service.yadori(&["list", "-f"]).lines().count() == 3).then_some(()));
    // A title, by the key on its button.
    browser.press("t").await?;
    browser.until("return document.activeElement.ariaLabel === 'Title'").await?;
    browser.press("The last").await?;
    browser.press(ENTER).await?;
    until("the title", || service.yadori(&["list", "-f"]).contains("The last").then_some(()));
    browser.until("return document.activeElement.closest('[data-id]') !== null").await?;
    // A new drawer on the way, chosen by typing.
    browser.press("d").await?;
    browser.until("return document.activeElement.closest('[data-picker]') !== null").await?;
    browser.press("Huts").await?;
    browser.press(ENTER).await?;
    until("the drawer", || service.yadori(&["drawer", "list"]).contains("Huts").then_some(()));
    browser
        .until(
            "return [...document.querySelectorAll('nav a')].some((one) => /Huts\\s*1/.test(one.textContent))",
        )
        .await?;
    // Favorites, in another order.
    browser.press(ESCAPE).await?;
    browser.press("f").await?;
    browser
        .until("return document.querySelectorAll('[data-kept=favorites] [data-row]').length === 2")
        .await?;
    let before = shown(&browser).await?;
    browser.press(DOWN).await?;
    browser.press(format!("{ALT}{DOWN}{NULL}")).await?;
    until("the new order", || {
        let list = service.yadori(&["list", "-f"]);
        (list.find(&before[1]) < list.find(&before[0])).then_some(())
    });
    let first = |text: &str| {
        let list = service.yadori(&["list", "-f"]);
        list.lines().next().is_some_and(|line| line.contains(text)).then_some(())
    };
    until("the order", || first(&before[1]));
    browser
        .until(&format!(
            "return document.querySelector('[data-kept] [data-summary]').textContent.trim() === {:?}",
            before[1]
        ))
        .await?;
    // A number means what has stood beside it for half a second: pressed earlier, what stood there before.
    let end = std::time::Instant::now() + yadori_e2e::PATIENCE;
    while display.paste_text().as_deref() != Some(&before[1]) {
        assert!(std::time::Instant::now() < end, "f1 is not taken");
        browser.press("1").await?;
    }
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_favorite_is_put_in_another_place_by_dragging_it_with_a_pointer() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["one", "two", "three"]);
    service.yadori(&["pin", "1", "2", "3"]);
    let order = || -> Vec<String> {
        let list = service.yadori(&["list", "-f"]);
        let words = list
            .lines()
            .filter_map(|line| ["one", "two", "three"].into_iter().find(|word| line.contains(word)));
        words.map(str::to_owned).collect()
    };
    let before = order();
    assert_eq!(before.len(), 3);
    let browser = Browser::console_on(&service, Some(&display.name())).await?;
    browser.driver.goto(format!("{}#/favorites", service.address())).await?;
    browser
        .until("return document.querySelectorAll('[data-kept=favorites] [data-row]').length === 3")
        .await?;
    let pointer = Pointer::of(&display)?;
    pointer.move_to(browser.place_of("[data-kept] [aria-posinset='3'] [data-summary]").await?)?;
    pointer.move_to(browser.place_of("[data-kept] [aria-posinset='3'] [role=img]").await?)?;
    pointer.press()?;
    let (x, y) = browser.place_of("[data-kept] [aria-posinset='1'] [data-summary]").await?;
    pointer.move_to((x, y))?;
    browser.until("return document.querySelector('[data-kept] .drop-before')").await?;
    // A hand is never quite still: the browser asks once more whether it may be dropped here.
    let over = "addEventListener('dragover', () => (window.__over = true))";
    browser.script(over).await?;
    pointer.move_to((x + 9, y + 3))?;
    browser.until("return window.__over").await?;
    pointer.release()?;
    let dragged = [&before[2], &before[0], &before[1]].map(Clone::clone).to_vec();
    until("the dragged order", || (order() == dragged).then_some(()));
    browser.script("document.getElementById('list').focus()").await?;
    browser.press("u").await?;
    until("the order before", || (order() == before).then_some(()));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn several_are_chosen_and_removed_and_come_back_in_one_act() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats 1", "gas 2", "oats 3", "gas 4", "oats 5"]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 5").await?;
    browser.press("/").await?;
    browser.press("oats").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '3 matches'").await?;
    click(&browser, "button", "choose all").await?;
    browser.until("return document.querySelector('[data-chosen=\"3\"]')").await?;
    click(&browser, "[data-chosen] button", "Remove").await?;
    browser.until("return document.querySelector('[data-nothing]')").await?;
    click(&browser, "[data-toast] button", "Undo").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '3 matches'").await?;
    browser.script("document.querySelector('[aria-label=\"Clear the search\"]').click()").await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 5").await?;
    // By pointer at the items: a range with Shift.
    browser
        .script(
            "const at = (n) => document.querySelector(`[aria-posinset=\"${n}\"] button.choose`); at(1).click(); \
             at(3).dispatchEvent(new MouseEvent('click', { bubbles: true, shiftKey: true }))",
        )
        .await?;
    browser.until("return document.querySelector('[data-chosen=\"3\"]')").await?;
    click(&browser, "[data-chosen] button", "Pin").await?;
    until("the pins", || (service.yadori(&["list", "-f"]).lines().count() == 3).then_some(()));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn what_is_typed_in_the_editor_outlives_the_page_and_the_original_can_be_put_back() -> Result<()> {
    let service = Service::without_desk();
    let ids = service.add(&["Dear {=ask \"Name\"}, see you on {=date}."]);
    service.yadori(&["pin", &ids[0]]);
    let browser = Browser::console(&service).await?;
    browser.press(DOWN).await?;
    browser.press("e").await?;
    browser.until("return document.activeElement.tagName === 'TEXTAREA'").await?;
    browser
        .until(
            "return document.querySelector('[data-editor]').textContent.includes('When taken: Dear [Name]')",
        )
        .await?;
    browser.press(" Bring socks.").await?;
    until("the draft", || {
        let key = service.key();
        let url = format!("{}/api/v1/clips/{}/draft", service.address(), ids[0]);
        let (_, draft) = Service::curl(&["-H", &format!("authorization: Bearer {key}"), &url]);
        (draft["text"] == json!("Dear {=ask \"Name\"}, see you on {=date}. Bring socks.")).then_some(())
    });
    // The page is closed and opened again.
    browser.driver.refresh().await?;
    browser.until("return document.querySelector('#list[aria-busy=false]')").await?;
    browser.press(DOWN).await?;
    browser.press("e").await?;
    browser.until("return document.activeElement.value?.endsWith('Bring socks.')").await?;
    click(&browser, "[data-editor] button", "Save").await?;
    until("the edited text", || service.yadori(&["show", "f1"]).contains("Bring socks").then_some(()));
    browser.until("return document.querySelectorAll('[data-id]').length === 2").await?;
    browser.until("return !document.querySelector('[data-editor]')").await?;
    // What was changed, and back.
    click(&browser, "[data-id] button", "Original").await?;
    browser
        .until("return document.querySelector('[data-compared] ins')?.textContent.includes('socks')")
        .await?;
    click(&browser, "[data-id] button", "Put the original back").await?;
    until("the original", || (!service.yadori(&["show", "f1"]).contains("socks")).then_some(()));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_text_that_asks_is_filled_before_it_is_taken() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let ids = service.add(&["Dear {=ask \"Name\"}, {=ask \"Nights\" \"2\"} nights."]);
    service.yadori(&["pin", &ids[0]]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelector('[data-at-hand=\"1\"]')").await?;
    browser.press("1").await?;
    browser.until("return document.activeElement.id === 'answer-0'").await?;
    browser.press("Anna").await?;
    browser
        .until(
            "return document.querySelector('[data-preview-filled]')?.textContent === 'Dear Anna, 2 nights.'",
        )
        .await?;
    browser.press(ENTER).await?;
    until("the filled text", || display.paste_text().filter(|text| text == "Dear Anna, 2 nights."));
    browser.until("return !document.querySelector('[data-asking]')").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn the_first_start_ends_with_the_persons_own_first_copy() -> Result<()> {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let browser = Browser::start(None).await?;
    browser.driver.goto(service.sign_in_link()).await?;
    click(&browser, "[data-welcome] button", "Try it").await?;
    browser.until("return document.querySelector('[data-welcome=\"1\"]').textContent.includes('Now copy something')").await?;
    display.copy_text("my first copy");
    browser
        .until("return document.querySelector('[data-welcome]').textContent.includes('my first copy')")
        .await?;
    click(&browser, "[data-welcome] button", "Done").await?;
    browser.until("return !document.querySelector('[data-welcome]')").await?;
    browser.driver.refresh().await?;
    browser.until("return document.querySelector('[data-id]')").await?;
    assert_eq!(browser.script("return document.querySelector('[data-welcome]')").await?, json!(null));
    browser.press("?").await?;
    click(&browser, "button", "See the first start again").await?;
    browser.until("return document.querySelector('[data-welcome]')").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn the_insight_leads_into_a_search_and_every_page_is_for_everyone() -> Result<()> {
    let service = Service::without_desk();
    let ids = service.add(&["gas", "oats", "https://example.org/"]);
    service.yadori(&["drawer", "new", "Huts", "--color", "green", "--group", "Office"]);
    service.yadori(&["drawer", "put", "Huts", &ids[0]]);
    service.yadori(&["drawer", "divider", "Huts", "Numbers"]);
    service.yadori(&["pin", &ids[1]]);
    let browser = Browser::console(&service).await?;
    let drawer = browser
        .until("return document.querySelector('nav a[href^=\"#/drawer\"]')?.getAttribute('href')")
        .await?;
    for dark in [false, true] {
        browser.dark(dark).await?;
        for (hash, wanted) in [
            ("#/insight", ".uplot canvas"),
            ("#/help", "[data-tried]"),
            ("#/acts", "[data-acts] li"),
            ("#/favorites", "[data-kept] [data-row]"),
            (drawer.as_str().unwrap_or_default(), "[data-kept] h2"),
            ("#/drawers", "main h1"),
        ] {
            browser.script(&format!("location.hash = '{hash}'")).await?;
            browser.until(&format!("return document.querySelector({wanted:?})")).await?;
            assert_eq!(browser.faults().await?, Vec::<String>::new(), "{hash} {dark}");
        }
    }
    browser.script("location.hash = '#/insight'").await?;
    click(&browser, "[data-insight] button", "link").await?;
    browser.until("return document.getElementById('search')?.value === 'kind:link'").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '1 match'").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}
