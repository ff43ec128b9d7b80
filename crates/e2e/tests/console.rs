//! The console in a real browser: live, by keyboard alone, by pointer alone, for everyone.

use anyhow::Result;
use serde_json::json;
use thirtyfour::By;
use yadori_api::LiveState;
use yadori_e2e::{Browser, Display, Service, until};

const DOWN: &str = "\u{e015}";
const ENTER: &str = "\u{e007}";
const SHIFT_ENTER: &str = "\u{e008}\u{e007}\u{e000}";
const DELETE: &str = "\u{e017}";
const ESCAPE: &str = "\u{e00c}";
const END: &str = "\u{e010}";
const HOME: &str = "\u{e011}";

/// A browser signed in to a service.
async fn open(service: &Service) -> Result<Browser> {
    let browser = Browser::start(None).await?;
    browser.driver.goto(service.sign_in_link()).await?;
    browser.until("return document.querySelector('#list[aria-busy=false]')").await?;
    Ok(browser)
}

async fn summaries(browser: &Browser) -> Result<Vec<String>> {
    let found = browser
        .script(
            "return [...document.querySelectorAll('[data-id]')].sort((a, b) => a.ariaPosInSet - b.ariaPosInSet)\
             .map((one) => one.querySelector('[data-summary],[data-words]')?.textContent.trim() ?? '')",
        )
        .await?;
    Ok(serde_json::from_value(found)?)
}

/// The words of the selected clip.
async fn selected(browser: &Browser) -> Result<String> {
    let found =
        browser.script("return document.querySelector('[data-id][tabindex=\"0\"]')?.ariaLabel ?? ''").await?;
    Ok(found.as_str().unwrap_or_default().to_owned())
}

fn add(service: &Service, texts: &[&str]) {
    for text in texts {
        service.yadori(&["add", text]);
    }
}

#[tokio::test]
async fn copies_arrive_by_themselves_and_the_lamp_tells_how_things_stand() -> Result<()> {
    let mut display = Display::start_apart();
    let service = Service::on(&display.name());
    let browser = open(&service).await?;
    browser
        .until("return document.querySelector('[data-empty]')?.textContent.includes('Copy something')")
        .await?;
    display.copy_text("Kestrel Hut: 14 bunks");
    browser
        .until("return document.querySelector('[data-summary]')?.textContent === 'Kestrel Hut: 14 bunks'")
        .await?;
    browser
        .until("return document.querySelector('[data-live]')?.textContent === 'Kestrel Hut: 14 bunks'")
        .await?;
    browser.until("return document.querySelector('[data-capture=keeping] [data-lamp=lit]')").await?;
    browser
        .until("return document.querySelector('[data-said]').textContent.startsWith('Copied: Kestrel')")
        .await?;
    // The display goes away: the lamp, the words, the title and the icon say so.
    display.end_server();
    browser.until("return document.querySelector('[data-capture=broken] [data-lamp=broken]')").await?;
    browser.until("return document.title.startsWith('Copies are not being kept') && document.querySelector('[rel=icon]').href.includes('broken')").await?;
    let words = browser.script("return document.querySelector('[data-capture]').textContent").await?;
    // When it went away, or, once it was tried again, that it does not answer.
    let words = words.as_str().unwrap_or_default();
    assert!(words.contains("went away") || words.contains("does not answer"), "{words}");
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn everything_can_be_done_by_keyboard_alone() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    add(&service, &["one", "two\nlines", "three", "four"]);
    let browser = open(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 4").await?;
    browser.press(DOWN).await?;
    browser.press(DOWN).await?;
    assert!(selected(&browser).await?.contains("three"));
    browser.until("return document.activeElement.ariaLabel?.includes('three')").await?;
    browser.press(" ").await?;
    browser.until("return document.querySelector('[data-id] [data-words]')?.textContent === 'three'").await?;
    browser.press(ENTER).await?;
    until("the take", || display.paste_text().filter(|text| text == "three"));
    browser.press(DOWN).await?;
    browser.press(SHIFT_ENTER).await?;
    until("the plain take", || display.paste_text().filter(|text| text == "two\nlines"));
    until("its status", || {
        service.status().filter(|status| status.live.state == LiveState::Clip && status.live.plain)
    });
    // Removing goes on with the neighbour.
    browser.press(DELETE).await?;
    browser.until("return document.querySelectorAll('[data-id]').length === 3 && document.activeElement.ariaLabel?.includes('one')").await?;
    browser.press(DELETE).await?;
    browser.until("return document.querySelectorAll('[data-id]').length === 2 && document.activeElement.ariaLabel?.includes('three')").await?;
    browser.press("u").await?;
    browser.until("return document.querySelectorAll('[data-id]').length === 3").await?;
    browser.press("u").await?;
    browser.until("return document.querySelectorAll('[data-id]').length === 4 && document.activeElement.ariaLabel?.includes('two')").await?;
    browser.press(ESCAPE).await?;
    browser.press(ESCAPE).await?;
    assert_eq!(selected(&browser).await?, "");
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn everything_can_be_done_by_pointer_alone() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    add(&service, &["one", "two", "a longer text\nwith several lines\nthat is worth resting on"]);
    let browser = open(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 3").await?;
    // Resting on a row shows the whole of it, and moves nothing.
    let row = browser.driver.find(By::Css("[data-id][aria-posinset='1']")).await?;
    let before = browser
        .script(
            "return [...document.querySelectorAll('[data-id]')].map((one) => one.getBoundingClientRect().top)",
        )
        .await?;
    browser.driver.action_chain().move_to_element_center(&row).perform().await?;
    browser
        .until("return document.querySelector('[data-preview]')?.textContent.includes('worth resting on')")
        .await?;
    // It lies beside the row, whatever stands above the list.
    let beside = "const preview = document.querySelector('[data-preview]').getBoundingClientRect(), row = document.querySelector('[aria-posinset=\"1\"]').getBoundingClientRect(); \
        return document.querySelector('[data-welcome]') !== null && Math.abs(preview.top - row.bottom) < 12";
    assert_eq!(browser.script(beside).await?, serde_json::json!(true));
    let after = browser
        .script(
            "return [...document.querySelectorAll('[data-id]')].map((one) => one.getBoundingClientRect().top)",
        )
        .await?;
    assert_eq!(before, after);
    // A click unfolds, and every act has its button.
    browser.driver.find(By::Css("[data-id][aria-posinset='2']")).await?.click().await?;
    browser.until("return document.querySelector('[data-id][aria-posinset=\"2\"] [role=group]')").await?;
    press_button(&browser, "Take").await?;
    until("the take", || display.paste_text().filter(|text| text == "two"));
    press_button(&browser, "All it holds").await?;
    browser
        .until(
            "return document.querySelector('[data-holds]')?.textContent.includes('text/plain;charset=utf-8')",
        )
        .await?;
    browser.at_rest().await?;
    press_button(&browser, "Remove").await?;
    browser.until("return document.querySelectorAll('[data-id]').length === 2").await?;
    browser.driver.find(By::Css("[data-toast] button")).await?.click().await?;
    browser.until("return document.querySelectorAll('[data-id]').length === 3").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn what_is_told_of_a_clip_takes_nothing_of_it_off_the_screen() -> Result<()> {
    let service = Service::without_desk();
    add(&service, &["one", "two"]);
    let browser = open(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 2").await?;
    browser.driver.find(By::Css("[data-id][aria-posinset='1']")).await?.click().await?;
    browser.until("return document.querySelector('[data-id][aria-expanded=true] [role=group]')").await?;
    press_button(&browser, "All it holds").await?;
    browser
        .until("return document.querySelector('[data-holds]') && document.querySelector('[data-outlook]')")
        .await?;
    let parts = "document.querySelectorAll('[data-holds], [data-outlook]')";
    browser.script(&format!("{parts}.forEach((one) => (one.shown = 'once'))")).await?;
    service.yadori(&["title", "1", "Bunks"]);
    browser
        .until("return document.querySelector('[aria-expanded=true]').textContent.includes('Bunks')")
        .await?;
    add(&service, &["two"]);
    browser
        .until("return document.querySelector('[aria-expanded=true]').textContent.includes('2 times')")
        .await?;
    let shown = browser.script(&format!("return [...{parts}].map((one) => one.shown)")).await?;
    assert_eq!(shown, serde_json::json!(["once", "once"]));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn what_is_done_elsewhere_joins_the_recent_acts_and_the_list_stays_on_the_screen() -> Result<()> {
    let service = Service::without_desk();
    add(&service, &["one", "two"]);
    let file = tempfile::NamedTempFile::with_suffix(".txt")?;
    std::fs::write(file.path(), "three\n")?;
    let browser = open(&service).await?;
    browser.script("location.hash = '#/acts'").await?;
    let first = |words: &str| {
        format!(
            "return document.querySelector('[data-acts] li:first-child')?.textContent.includes('{words}')"
        )
    };
    browser.until(&first("brought in")).await?;
    browser.script("document.querySelector('[data-acts]').shown = 'once'").await?;
    service.yadori(&["title", "1", "Bunks"]);
    browser.until(&first("titled")).await?;
    service.yadori(&["import", &file.path().display().to_string()]);
    browser.until(&first("brought in")).await?;
    service.yadori(&["undo"]);
    browser.until(&first("taken back")).await?;
    service.yadori(&["drawer", "new", "Replies"]);
    browser.until(&first("drawer made")).await?;
    assert_eq!(
        browser.script("return document.querySelector('[data-acts]').shown").await?,
        serde_json::json!("once")
    );
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

async fn press_button(browser: &Browser, label: &str) -> Result<()> {
    let path = format!(
        "//*[@data-id and @aria-expanded='true']//button[starts-with(normalize-space(.), '{label}')]"
    );
    Ok(browser.driver.find(By::XPath(path)).await?.click().await?)
}

#[tokio::test]
async fn what_arrives_moves_neither_selection_nor_focus_nor_what_is_under_the_pointer() -> Result<()> {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let texts: Vec<String> = (0..60).map(|n| format!("clip {n}")).collect();
    add(&service, &texts.iter().map(String::as_str).collect::<Vec<_>>());
    let browser = open(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 9").await?;
    for _ in 0..3 {
        browser.press(DOWN).await?;
    }
    let chosen = "return document.querySelector('[data-id][tabindex=\"0\"]')";
    let id = browser.script(&format!("{chosen}.dataset.id")).await?;
    let top = browser.script(&format!("{chosen}.getBoundingClientRect().top")).await?;
    let row = browser.driver.find(By::Css("[data-id][aria-posinset='6']")).await?;
    browser.driver.action_chain().move_to_element_center(&row).perform().await?;
    let under = "const box = document.querySelector('[data-id][aria-posinset=\"6\"]')?.getBoundingClientRect(); \
                 return document.elementFromPoint(700, 420)?.closest('[data-id]')?.dataset.id";
    let pointed = browser.script(under).await?;
    for n in 0..5 {
        display.copy_text(&format!("arrival {n}"));
        service.await_clip(&format!("arrival {n}"));
    }
    browser.until("return document.querySelector('[data-unseen]')?.textContent.startsWith('5 new')").await?;
    assert_eq!(browser.script(&format!("{chosen}.dataset.id")).await?, id);
    assert_eq!(browser.script(&format!("{chosen}.getBoundingClientRect().top")).await?, top);
    assert_eq!(browser.script("return document.activeElement.dataset.id").await?, id);
    assert_eq!(browser.script(under).await?, pointed);
    // The next key takes what was chosen, not what has taken its place.
    browser.press(ENTER).await?;
    until("the take", || display.paste_text().filter(|text| text == "clip 57"));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn every_kind_has_a_recognisable_form() -> Result<()> {
    let service = Service::without_desk();
    let dir = tempfile::tempdir()?;
    let picture = dir.path().join("route map.png");
    image::RgbImage::from_pixel(640, 400, image::Rgb([90, 120, 160])).save(&picture)?;
    service.yadori(&["add", "--file", picture.to_str().unwrap()]);
    service.yadori(&["add", "--reference", picture.to_str().unwrap()]);
    service.yadori(&["add", "https://trails.example.org/status/ridge-path"]);
    service.yadori(&["add", "--type", "image/png", "no picture at all"]);
    let browser = open(&service).await?;
    browser.until("return document.querySelectorAll('[data-id] img').length === 2 && [...document.querySelectorAll('[data-id] img')].every((one) => one.naturalWidth > 100)").await?;
    let shown = summaries(&browser).await?;
    assert!(shown.iter().any(|one| one == "trails.example.org/status/ridge-path"), "{shown:?}");
    browser.until("return document.body.textContent.includes(\"Can't be shown small\")").await?;
    let names = browser
        .script("return [...document.querySelectorAll('[data-id] img')].map((one) => one.alt)")
        .await?;
    assert!(names.to_string().contains("route map.png"), "{names}");
    Ok(())
}

#[tokio::test]
async fn the_page_is_for_everyone() -> Result<()> {
    let service = Service::without_desk();
    add(&service, &["one", "https://example.org/two", "three\nlines\nof text"]);
    let browser = open(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length === 3").await?;
    for (dark, width, unfolded) in
        [(false, 1280, false), (true, 1280, true), (false, 390, true), (true, 390, false)]
    {
        browser.dark(dark).await?;
        browser.size(width, 820, width < 500).await?;
        let is_open =
            browser.script("return document.querySelector('[data-id] [role=group]') !== null").await?;
        if unfolded != (is_open == json!(true)) {
            browser.script("document.querySelector('[data-id][aria-posinset=\"1\"] .row').click()").await?;
        }
        assert_eq!(
            browser.faults().await?,
            Vec::<String>::new(),
            "dark {dark}, {width} px, unfolded {unfolded}"
        );
        let wide = browser.script("return document.documentElement.scrollWidth <= innerWidth").await?;
        assert_eq!(wide, json!(true), "the page is wider than {width} px");
    }
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn without_a_key_the_page_says_how_to_get_one_and_a_spent_link_says_so() -> Result<()> {
    let mut service = Service::without_desk();
    let link = service.sign_in_link();
    let browser = Browser::start(None).await?;
    browser.driver.goto(service.address()).await?;
    browser.until("return document.body.textContent.includes('yadori console')").await?;
    browser.driver.goto(&link).await?;
    browser.until("return document.querySelector('#list')").await?;
    assert_eq!(browser.script("return location.hash").await?, json!(""), "the secret stays in the address");
    browser.script("localStorage.clear(); indexedDB.deleteDatabase('yadori')").await?;
    browser.driver.goto("about:blank").await?;
    browser.driver.goto(&link).await?;
    browser
        .until("return document.querySelector('[role=alert]')?.textContent.includes('used already')")
        .await?;
    // The service ends: an open page says so.
    browser.driver.goto(service.sign_in_link()).await?;
    browser.until("return document.querySelector('#list[aria-busy=false]')").await?;
    service.stop();
    browser.until("return document.querySelector('[data-lamp=broken]') && document.body.textContent.includes('does not answer')").await?;
    Ok(())
}

#[tokio::test]
async fn a_list_taller_than_a_browser_lays_out_is_at_hand_from_the_first_to_the_last() -> Result<()> {
    const COUNT: usize = 160_000;
    let service = Service::without_desk();
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    yadori_e2e::many::write_backup(&file, COUNT)?;
    service.yadori(&["restore", file.to_str().unwrap()]);
    let browser = open(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 9").await?;
    let rendered = "return document.querySelectorAll('[data-id]').length";
    assert!(browser.script(rendered).await?.as_u64() < Some(80));
    browser.press(END).await?;
    browser.until(&format!("return document.querySelector('[data-id][aria-posinset=\"{COUNT}\"] [data-summary]')?.textContent === 'clip 0'")).await?;
    assert!(browser.script(rendered).await?.as_u64() < Some(80));
    browser.script("document.getElementById('list').scrollTop /= 2").await?;
    browser.until("return [...document.querySelectorAll('[data-id]')].some((one) => Math.abs(one.ariaPosInSet - 80000) < 2000 && one.querySelector('[data-summary]'))").await?;
    browser.press(HOME).await?;
    browser.until(&format!("return document.querySelector('[data-id][aria-posinset=\"1\"] [data-summary]')?.textContent === 'clip {}'", COUNT - 1)).await?;

    // In letters so large (and on a screen for them) that the list is taller than what a browser lays out (33,554,428 pixels).
    browser.size(2560, 1600, false).await?;
    browser
        .script("document.documentElement.style.fontSize = '64px'; window.dispatchEvent(new Event('resize'))")
        .await?;
    let in_sight = |from: usize, to: usize| {
        format!(
            "const list = document.getElementById('list').getBoundingClientRect(); \
             return [...document.querySelectorAll('[data-id]')].some((one) => {{ \
               const at = one.querySelector('[data-summary]')?.getBoundingClientRect(); \
               return {from} <= one.ariaPosInSet && one.ariaPosInSet <= {to} && at !== undefined && at.top > list.top && at.bottom < list.bottom; }})"
        )
    };
    browser.press(END).await?;
    browser.until(&in_sight(COUNT, COUNT)).await?;
    // A wheel, from the end upwards and back: small moves are what they are, in the middle as well.
    // 40,000 pixels are 181 rows and their headings.
    for (by, from, to) in [(-400, COUNT - 188, COUNT - 174), (400, COUNT, COUNT)] {
        for _ in 0..100 {
            let wheel =
                serde_json::json!({ "type": "mouseWheel", "x": 1100, "y": 600, "deltaX": 0, "deltaY": by });
            browser.cdp("Input.dispatchMouseEvent", wheel).await?;
        }
        browser.until(&in_sight(from, to)).await?;
    }
    browser.script("document.getElementById('list').scrollTop /= 2").await?;
    browser.until("return [...document.querySelectorAll('[data-id]')].some((one) => Math.abs(one.ariaPosInSet - 80000) < 2000 && one.querySelector('[data-summary]'))").await?;
    // The bar drawn to its end, and to its beginning.
    browser.script("document.getElementById('list').scrollTop = 1e9").await?;
    browser.until(&in_sight(COUNT, COUNT)).await?;
    browser.script("document.getElementById('list').scrollTop = 0").await?;
    browser.until("return document.querySelector('[data-welcome]').getBoundingClientRect().top > document.getElementById('list').getBoundingClientRect().top - 1").await?;
    browser.press(HOME).await?;
    browser.until(&in_sight(1, 1)).await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_text_is_tidied_with_its_outcome_in_sight_and_taken_so_by_keys_alone() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["1. oats\n2.  gas"]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelector('[data-row] [data-summary]')").await?;
    browser.press("\u{e015}y").await?;
    browser.until("return document.activeElement.closest('[data-tidy]')").await?;
    // To “No numbers and bullets”, and on to “UPPER”.
    browser.press("\u{e004}\u{e004}\u{e004}\u{e004} ").await?;
    browser.until("return document.querySelector('[data-tidied]')?.textContent === 'oats\\ngas'").await?;
    browser.press("\u{e004}\u{e004}\u{e004} ").await?;
    browser.until("return document.querySelector('[data-tidied]')?.textContent === 'OATS\\nGAS'").await?;
    assert_eq!(
        browser.script("return document.querySelector('[data-tidy]').dataset.tidy").await?,
        serde_json::json!("unlist,upper")
    );
    for _ in 0..12 {
        browser.press("\u{e004}").await?;
        let there =
            browser.script("return document.activeElement.textContent.trim() === 'Take it so'").await?;
        if there == serde_json::json!(true) {
            break;
        }
    }
    browser.press("\u{e007}").await?;
    until("the clipboard", || display.paste_text().filter(|text| text == "OATS\nGAS"));
    browser.until("return document.activeElement.closest('[data-row]')").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}
