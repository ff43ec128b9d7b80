//! The console is for everyone: by keys alone, by pointer, by touch, with a screen reader, at any zoom, in forced colors,
//! whatever the texts are.

use anyhow::Result;
use serde_json::{Value, json};
use yadori_e2e::pointer::Pointer;
use yadori_e2e::{Browser, Display, PAGES, Service, until};

const DOWN: &str = "\u{e015}";
const ENTER: &str = "\u{e007}";
const ESCAPE: &str = "\u{e00c}";
const DELETE: &str = "\u{e017}";
const HOME: &str = "\u{e011}";
const END: &str = "\u{e010}";
const PAGE_DOWN: &str = "\u{e00f}";
const SHIFT: &str = "\u{e008}";
const ALT: &str = "\u{e00a}";
const NULL: &str = "\u{e000}";

async fn rows(browser: &Browser, count: usize) -> Result<()> {
    browser
        .until(&format!("return document.querySelectorAll('[data-row] [data-summary]').length === {count}"))
        .await?;
    Ok(())
}

#[tokio::test]
async fn keys_in_fields_do_what_they_do_in_any_field() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats", "gas"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 2).await?;
    browser.press("/").await?;
    browser.press(format!("oats{HOME}x{END}y{SHIFT}{HOME}{NULL}")).await?;
    let field = "const one = document.getElementById('search'); return [one.value, one.selectionStart, one.selectionEnd]";
    assert_eq!(browser.script(field).await?, json!(["xoatsy", 0, 6]));
    // Arrows on “show all” belong to it.
    browser.press(ESCAPE).await?;
    browser.script("document.querySelector('select').focus()").await?;
    browser.press(DOWN).await?;
    assert_eq!(browser.script("return document.activeElement.tagName").await?, json!("SELECT"));
    assert_eq!(
        browser.script("return document.querySelector('[data-id][tabindex=\"0\"]')").await?,
        json!(null)
    );
    // Enter and Esc that end a composition end nothing else.
    browser.press("").await.ok();
    browser.script("document.getElementById('search').focus()").await?;
    browser.press("gas").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '1 match'").await?;
    let compose = json!({ "text": "にほん", "selectionStart": 3, "selectionEnd": 3 });
    browser.cdp("Input.imeSetComposition", compose).await?;
    for key in ["Enter", "Escape"] {
        let press = json!({ "type": "rawKeyDown", "key": key, "code": key, "windowsVirtualKeyCode": 229 });
        browser.cdp("Input.dispatchKeyEvent", press).await?;
    }
    assert_eq!(browser.script("return document.getElementById('search').value").await?, json!("gasにほん"));
    assert_eq!(browser.script("return document.querySelector('[data-toast]')").await?, json!(null));
    // Letters by their place on a keyboard of another alphabet.
    browser.cdp("Input.insertText", json!({ "text": "" })).await?;
    browser.script("document.querySelector('[aria-label=\"Clear the search\"]').click()").await?;
    rows(&browser, 2).await?;
    browser.script("document.getElementById('list').focus()").await?;
    browser.press(DOWN).await?;
    for kind in ["rawKeyDown", "keyUp"] {
        browser.cdp("Input.dispatchKeyEvent", json!({ "type": kind, "key": "з", "code": "KeyP" })).await?;
    }
    until("the pin", || service.acts().first().is_some_and(|act| act.0 == "pin").then_some(()));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn the_focus_is_never_on_nothing_and_always_in_sight() -> Result<()> {
    let service = Service::without_desk();
    let all: Vec<String> = (0..40).map(|n| format!("clip {n}")).collect();
    service.add(&all.iter().map(String::as_str).collect::<Vec<_>>());
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 9").await?;
    let esc2 = format!("{ESCAPE}{ESCAPE}");
    let rename = format!("Huts{ENTER}");
    let steps: Vec<(&str, String)> = vec![
        ("down", DOWN.into()),
        ("bring up", "b".into()),
        ("unfold", " ".into()),
        ("fold", ESCAPE.into()),
        ("let go", ESCAPE.into()),
        ("last", END.into()),
        ("unfold at the end", " ".into()),
        ("color", "c".into()),
        ("pick", ENTER.into()),
        ("drawer", "d".into()),
        ("a new one", rename),
        ("title", "t".into()),
        ("left", ESCAPE.into()),
        ("edit", "e".into()),
        ("later", ESCAPE.into()),
        ("choose", "s".into()),
        ("let go of it", esc2.clone()),
        ("remove", DELETE.into()),
        ("undo", "u".into()),
        ("redo", format!("{SHIFT}u{NULL}")),
        ("insight", "i".into()),
        ("acts", "a".into()),
        ("help", "?".into()),
        ("favorites", "f".into()),
        ("jump", "j".into()),
        ("into it", format!("hut{ENTER}")),
        ("its clip", DOWN.into()),
        ("unpin", "p".into()),
        ("jump again", "j".into()),
        ("not", ESCAPE.into()),
        ("history", "h".into()),
        ("search", "/".into()),
        ("found", "clip 1".into()),
        ("into what was found", format!("{DOWN}{DOWN}")),
        ("out", esc2),
    ];
    for (what, keys) in steps {
        browser.press(&keys).await?;
        // Whatever the step leads to has come about once nothing changes for two frames.
        for _ in 0..6 {
            browser
                .driver
                .execute_async("const done = arguments[0]; requestAnimationFrame(() => requestAnimationFrame(() => done(true)))", Vec::new())
                .await?;
            let focus = browser.focus().await?;
            assert!(focus != "nothing" && focus != "rest", "after {what}: {focus}");
        }
        let sight = browser
            .script(
                "const one = document.activeElement, box = one.getBoundingClientRect(), list = document.getElementById('list'); \
                 if (!one.closest('[data-id]')) return true; const outer = list.getBoundingClientRect(); \
                 return box.height > outer.height || (box.top >= outer.top - 1 && box.bottom <= outer.bottom + 1)",
            )
            .await?;
        assert_eq!(sight, json!(true), "after {what} the focus is out of sight");
    }
    // A drawer is made, renamed and removed; a divider too.
    browser.press("j").await?;
    browser.press(format!("Office{ENTER}")).await?;
    browser.until("return document.querySelector('h1').textContent === 'Office'").await?;
    for (button, keys) in [
        ("Add divider", format!("Numbers{ENTER}")),
        ("Change drawer", format!("Warden{ENTER}")),
        ("Change drawer", ESCAPE.into()),
    ] {
        browser.script(&format!("const one = [...document.querySelectorAll('main button')].find((one) => one.textContent.trim() === '{button}'); one.focus(); one.click()")).await?;
        browser.until("return document.activeElement.tagName === 'INPUT'").await?;
        browser.press(&keys).await?;
        browser.until("return document.activeElement.closest('#list, [data-id]')").await?;
    }
    browser.until("return document.querySelector('h1').textContent === 'Warden'").await?;
    browser.script("const one = [...document.querySelectorAll('main button')].find((one) => one.textContent.trim() === 'Change drawer'); one.focus(); one.click()").await?;
    browser.script("const one = [...document.querySelectorAll('main button')].find((one) => one.textContent.trim() === 'Remove drawer'); one.focus(); one.click()").await?;
    browser.until("return document.querySelector('h1').textContent === 'Favorites'").await?;
    assert_ne!(browser.focus().await?, "nothing");
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn every_key_does_its_act_among_favorites_as_in_the_history() -> Result<()> {
    let service = Service::without_desk();
    let all: Vec<String> = (0..30).map(|n| format!("clip {n}")).collect();
    let ids = service.add(&all.iter().map(String::as_str).collect::<Vec<_>>());
    let mut pin = vec!["pin"];
    pin.extend(ids.iter().map(String::as_str));
    service.yadori(&pin);
    let dir = tempfile::tempdir()?;
    let picture = dir.path().join("map.png");
    image::RgbImage::from_pixel(64, 40, image::Rgb([90, 120, 160])).save(&picture)?;
    service.yadori(&["add", "--file", picture.to_str().unwrap()]);
    let browser = Browser::console(&service).await?;
    // What can't be edited says so at once.
    browser.until("return document.querySelector('[data-row]')").await?;
    browser.press(format!("{DOWN}e")).await?;
    browser.until("return document.querySelector('[data-toast]')?.textContent.includes(\"A picture can't be edited\")").await?;
    browser.press("f").await?;
    browser.until("return document.querySelector('[role=treegrid]').ariaRowCount === '30' && document.querySelectorAll('[data-summary]').length > 5").await?;
    browser.press(format!("{DOWN}{PAGE_DOWN}")).await?;
    let at = "return Number(document.activeElement.ariaPosInSet)";
    assert!(browser.script(at).await?.as_u64() > Some(5));
    browser.press(END).await?;
    assert_eq!(browser.script(at).await?, json!(30));
    browser.press("b").await?;
    until("brought up", || service.acts().first().is_some_and(|act| act.0 == "bring-up").then_some(()));
    browser.press(format!("s{SHIFT}\u{e013}\u{e013}{NULL}")).await?;
    browser.until("return document.querySelector('[data-chosen=\"3\"]')").await?;
    browser.press("c").await?;
    browser.until("return document.activeElement.closest('[role=toolbar]')").await?;
    browser.press(ENTER).await?;
    until("colored", || service.acts().first().is_some_and(|act| act.0 == "color").then_some(()));
    // Searching inside: only what is kept here is found.
    browser.press("/").await?;
    assert_eq!(
        browser.script("return document.activeElement.placeholder").await?,
        json!("Search in Favorites")
    );
    service.add(&["clip 7, not a favorite"]);
    browser.press("\"clip 7\"").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '1 match'").await?;
    // Moving ten places by keys keeps the focus on what moves.
    browser.press(format!("{ESCAPE}{ESCAPE}")).await?;
    browser.until("return document.querySelector('[role=treegrid]').ariaRowCount === '30'").await?;
    browser.press(HOME).await?;
    let id = browser.focus().await?;
    for n in 2..=11 {
        browser.press(format!("{ALT}{DOWN}{NULL}")).await?;
        browser.until(&format!("return document.activeElement.dataset.id === '{id}' && document.activeElement.ariaPosInSet === '{n}'")).await?;
    }
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_clip_is_dropped_into_a_drawer_and_onto_the_favorites_and_a_drawer_at_the_end() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["one", "two, a longer text\nwith a second line\nto rest on"]);
    for name in ["Alpha", "Beta"] {
        service.yadori(&["drawer", "new", name]);
    }
    let browser = Browser::console_on(&service, Some(&display.name())).await?;
    rows(&browser, 2).await?;
    browser.until("return document.querySelectorAll('[data-drawers] a').length === 2").await?;
    browser.script("addEventListener('dragover', () => (window.__over = (window.__over ?? 0) + 1))").await?;
    let pointer = Pointer::of(&display)?;
    let drag = async |from: &str, to: &str, shown: &str| -> Result<()> {
        pointer.move_to(browser.place_of(from).await?)?;
        pointer.press()?;
        let (x, y) = browser.place_of(to).await?;
        pointer.move_to((x, y))?;
        browser.until(&format!("return document.querySelector({shown:?})")).await?;
        browser.script("window.__over = 0").await?;
        pointer.move_to((x + 5, y + 3))?;
        browser.until("return window.__over").await?;
        pointer.release()
    };
    drag("[aria-posinset='2'] [role=img]", "[data-drawers] li:first-of-type a", ".drop-here").await?;
    until("in the drawer", || {
        (service.yadori(&["list", "--drawer", "Alpha"]).lines().count() == 1).then_some(())
    });
    drag("[aria-posinset='1'] [role=img]", "nav a[href='#/favorites']", ".drop-here").await?;
    until("among the favorites", || service.yadori(&["list", "-f"]).contains("two").then_some(()));
    // A drawer to the end: the place shows while one drags.
    pointer.move_to(browser.place_of("[data-drawers] li:first-of-type a").await?)?;
    pointer.press()?;
    let (x, y) = browser.place_of("[data-drawers] li:nth-of-type(2) a").await?;
    pointer.move_to((x, y))?;
    browser.until("return document.querySelector('[data-last-drawer]')").await?;
    let (x, y) = browser.place_of("[data-last-drawer]").await?;
    pointer.move_to((x, y))?;
    browser.until("return document.querySelector('[data-last-drawer].border-primary')").await?;
    browser.script("window.__over = 0").await?;
    pointer.move_to((x + 4, y + 2))?;
    // More than one word of the browser's that it may be dropped here: the last one counts.
    browser.until("return window.__over > 2").await?;
    pointer.release()?;
    until("the order of drawers", || {
        let list = service.yadori(&["drawer", "list"]);
        (list.find("Beta") < list.find("Alpha")).then_some(())
    });
    // The whole of a clip shows while one points at it, stays while one points at that, and goes with Esc.
    browser.script("document.getElementById('list').focus()").await?;
    browser.press(END).await?;
    pointer.move_to(browser.place_of("[aria-posinset='1'] [data-summary]").await?)?;
    browser
        .until("return document.querySelector('[data-preview]')?.textContent.includes('to rest on')")
        .await?;
    let clear = "const a = document.querySelector('[data-preview]').getBoundingClientRect(), b = document.querySelector('[data-id][tabindex=\"0\"]').getBoundingClientRect(); \
                 return a.bottom <= b.top + 1 || a.top >= b.bottom - 1 || a.left >= b.right";
    assert_eq!(browser.script(clear).await?, json!(true), "it covers the selected row");
    pointer.move_to(browser.place_of("[data-preview]").await?)?;
    browser.until("return document.querySelector('[data-preview]:hover')").await?;
    // Longer than the grace that it has when the pointer leaves the row.
    browser.driver.execute_async("setTimeout(arguments[0], 600)", Vec::new()).await?;
    assert_ne!(browser.script("return document.querySelector('[data-preview]')").await?, json!(null));
    browser.press(ESCAPE).await?;
    browser.until("return !document.querySelector('[data-preview]')").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn targets_are_large_enough_and_everything_can_be_done_by_touch() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let ids = service.add(&["one", "two", "three"]);
    service.yadori(&["pin", &ids[0], &ids[1], &ids[2]]);
    service.yadori(&["drawer", "new", "Huts"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 3).await?;
    let small = |least: u32| {
        format!(
            "return [...document.querySelectorAll('button, a, select, summary, input:not([type=checkbox], [type=file])')].filter((one) => {{ \
             const box = one.getBoundingClientRect(); return box.width > 0 && getComputedStyle(one).visibility === 'visible' && !one.closest('.sr-only, .skip, label') \
             && (box.width < {least} - 0.6 || box.height < {least} - 0.6); }}).map((one) => one.outerHTML.slice(0, 120))"
        )
    };
    let pages = ["#/history", "#/favorites", "#/insight", "#/acts", "#/settings", "#/help"];
    for page in pages {
        browser.script(&format!("location.hash = '{page}'")).await?;
        browser.until("return document.querySelector('[data-row], [data-tried], [data-acts], [data-limits], [data-insight] button')").await?;
        assert_eq!(browser.script(&small(24)).await?, json!([]), "{page}");
    }
    browser.size(390, 844, true).await?;
    browser.touch(true).await?;
    for page in ["#/history", "#/favorites", "#/settings", "#/drawers"] {
        browser.script(&format!("location.hash = '{page}'")).await?;
        browser
            .until("return document.querySelector('[data-row], [data-limits], h1#drawers-of-page')")
            .await?;
        assert_eq!(browser.script(&small(44)).await?, json!([]), "{page}");
    }
    // Take, unfold, move, put into a drawer, make a drawer: by taps alone.
    browser.tap("a[href='#/history']").await.ok();
    browser.tap(".bottom a[href='#/history']").await?;
    rows(&browser, 3).await?;
    browser.tap("[aria-posinset='2'] .take").await?;
    until("the take", || display.paste_text().filter(|text| text == "two"));
    browser.tap(".bottom a[href='#/favorites']").await?;
    browser.until("return document.querySelector('[data-kept] [aria-posinset=\"3\"]')").await?;
    let first = service.yadori(&["list", "-f"]).lines().next().unwrap_or_default().to_owned();
    browser.tap("[data-kept] [aria-posinset='1'] [role=img]").await?;
    browser.until("return [...document.querySelectorAll('[data-id] button')].some((one) => one.textContent.trim() === 'To the end' && (one.id = 'to-the-end'))").await?;
    browser.tap("#to-the-end").await?;
    until("it is the last", || {
        (service.yadori(&["list", "-f"]).lines().next() != Some(&*first)).then_some(())
    });
    browser.until("return [...document.querySelectorAll('[data-id] button')].some((one) => one.textContent.trim().startsWith('Drawer') && (one.id = 'a-drawer'))").await?;
    browser.tap("#a-drawer").await?;
    browser.tap("[data-picker] [role=option]").await?;
    until("in the drawer", || {
        (service.yadori(&["list", "--drawer", "Huts"]).lines().count() == 1).then_some(())
    });
    browser.tap(".bottom a[href='#/drawers']").await?;
    browser.until("return [...document.querySelectorAll('main button')].some((one) => one.textContent.trim() === 'Make a drawer' && (one.id = 'make'))").await?;
    browser.tap("#make").await?;
    browser.until("return document.activeElement.tagName === 'INPUT'").await?;
    browser.press(format!("Permits{ENTER}")).await?;
    until("the drawer", || service.yadori(&["drawer", "list"]).contains("Permits").then_some(()));
    browser.until("return document.querySelector('h1').textContent === 'Permits'").await?;
    browser.until("return [...document.querySelectorAll('main button')].some((one) => one.textContent.trim() === 'Change drawer' && (one.id = 'change'))").await?;
    browser.tap("#change").await?;
    browser.until("return [...document.querySelectorAll('main button')].some((one) => one.textContent.trim() === 'Move up' && !one.disabled && (one.id = 'up'))").await?;
    browser.tap("#up").await?;
    until("the order", || {
        let list = service.yadori(&["drawer", "list"]);
        (list.find("Permits") < list.find("Huts")).then_some(())
    });
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

/// The nodes of the accessibility tree with this role.
async fn nodes(browser: &Browser, role: &str) -> Result<Vec<Value>> {
    let tree = browser.cdp("Accessibility.getFullAXTree", json!({})).await?;
    let all = tree["nodes"].as_array().cloned().unwrap_or_default();
    Ok(all
        .into_iter()
        .filter(|node| node["role"]["value"] == json!(role) && node["ignored"] == json!(false))
        .collect())
}

fn property(node: &Value, name: &str) -> Value {
    let all = node["properties"].as_array().cloned().unwrap_or_default();
    all.iter().find(|one| one["name"] == json!(name)).map(|one| one["value"].clone()).unwrap_or(Value::Null)
}

#[tokio::test]
async fn a_screen_reader_is_told_what_the_eye_sees() -> Result<()> {
    let service = Service::without_desk();
    let ids = service.add(&["oats", "https://example.org/", "gas bottle"]);
    service.yadori(&["add", "--program", "Writer", "--", "bunks, eight"]);
    service.yadori(&["pin", &ids[0]]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 4).await?;
    browser.press(format!("{DOWN}{DOWN} ")).await?;
    browser.until("return document.querySelector('[data-words]')").await?;
    browser.script("document.querySelector('[aria-posinset=\"4\"] .choose').click()").await?;
    let grid = nodes(&browser, "treegrid").await?;
    assert_eq!(grid[0]["name"]["value"], json!("History, newest first"));
    let rows: Vec<Value> = nodes(&browser, "row")
        .await?
        .into_iter()
        .filter(|row| row["name"]["value"].as_str().is_some_and(|name| name.contains(", ")))
        .collect();
    let names: Vec<String> =
        rows.iter().map(|row| row["name"]["value"].as_str().unwrap_or_default().to_owned()).collect();
    assert!(names[0].starts_with("1 Text, bunks, eight, from Writer, "), "{names:?}");
    assert!(names.iter().any(|name| name.starts_with("3 Link, https://example.org/")), "{names:?}");
    assert!(names[3].starts_with("4 Text, oats") && names[3].ends_with(", pinned"), "{names:?}");
    // With some chosen, they are what is selected.
    assert_eq!(property(&rows[3], "selected")["value"], json!(true));
    browser.press(format!("{ESCAPE}{ESCAPE}{ESCAPE}")).await.ok();
    browser.script("document.getElementById('list').focus()").await?;
    browser.press(format!("{HOME} ")).await?;
    browser.until("return document.activeElement.ariaExpanded === 'true'").await?;
    let at = browser.script("const one = document.activeElement; return [one.ariaPosInSet, one.ariaSetSize, one.ariaSelected]").await?;
    assert_eq!(at, json!(["1", "4", "true"]));
    // Headings come before what they head, in the order of reading.
    let order = browser.script("return [...document.querySelectorAll('#list h2, #list [data-row]')].map((one) => one.tagName).join()").await?;
    assert!(order.as_str().unwrap_or_default().starts_with("H2,DIV"), "{order}");
    // While one searches, the marked one is told before Enter takes it.
    browser.press("/").await?;
    browser.press("gas").await?;
    browser.until("return document.querySelector('[data-count]').textContent === '1 match' && document.activeElement.getAttribute('aria-activedescendant')").await?;
    let boxes = nodes(&browser, "combobox").await?;
    let field = boxes
        .iter()
        .find(|one| property(one, "activedescendant") != Value::Null)
        .expect("an active descendant");
    assert!(property(field, "activedescendant").to_string().contains(&format!("row-{}", ids[2])), "{field}");
    // Each page has its title and one main heading; charts have names and tables.
    browser.press(ESCAPE).await?;
    for (page, title) in [
        ("history", "History"),
        ("favorites", "Favorites"),
        ("insight", "Insight"),
        ("acts", "Recent acts"),
        ("settings", "Settings"),
        ("help", "Help"),
        ("drawers", "Drawers"),
    ] {
        browser.script(&format!("location.hash = '#/{page}'")).await?;
        browser.until(&format!("return document.title.startsWith('{title} · Yadori')")).await?;
        let heads = browser
            .script("return [...document.querySelectorAll('h1')].map((one) => one.textContent)")
            .await?;
        assert_eq!(heads, json!([title]));
        assert_eq!(browser.script("return document.querySelectorAll('main').length").await?, json!(1));
    }
    browser.script("location.hash = '#/insight'").await?;
    browser.until("return document.querySelectorAll('[role=slider]').length === 2").await?;
    let charts = browser.script("return [...document.querySelectorAll('[role=slider]')].map((one) => one.ariaLabel.split(':')[0])").await?;
    assert_eq!(charts, json!(["Copies by day", "Copies by hour of the day"]));
    let cells = browser.script("return [...document.querySelectorAll('table td')].map((one) => Number(one.textContent)).reduce((a, b) => a + b, 0)").await?;
    assert_eq!(cells, json!(8), "both tables count four");
    // A skip link, and drawers that are one stop of the Tab key.
    for n in 0..30 {
        service.yadori(&["drawer", "new", &format!("Drawer {n}")]);
    }
    browser.until("return document.querySelectorAll('[data-drawers] a').length === 30").await?;
    assert_eq!(
        browser.script("return document.querySelectorAll('[data-drawers] a[tabindex=\"0\"]').length").await?,
        json!(1)
    );
    assert_eq!(
        browser.script("return document.querySelector('a').textContent").await?,
        json!("Skip to the page")
    );
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn it_can_be_used_at_four_times_the_size_with_wide_spacing_and_in_forced_colors() -> Result<()> {
    let service = Service::without_desk();
    service.add(&[
        "oats and much more than fits into one line of a page that is as narrow as this one is",
        "gas",
        "bunks",
    ]);
    service.yadori(&["drawer", "new", "Huts"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 3).await?;
    browser.size(320, 256, false).await?;
    let wide = "return document.documentElement.scrollWidth <= innerWidth";
    for (language, density) in [("ja", "dense"), ("en", "normal")] {
        service.yadori(&["settings", "set", "look.density", density]);
        service.yadori(&["settings", "set", "look.language", language]);
        browser.until(&format!("return document.documentElement.lang === '{language}'")).await?;
        for page in PAGES {
            browser.script(&format!("location.hash = '#/{page}'")).await?;
            browser.until("return document.querySelector('main')?.textContent.length > 3").await?;
            assert_eq!(browser.script(wide).await?, json!(true), "{page} in {language}");
        }
    }
    browser.script("location.hash = '#/history'").await?;
    rows(&browser, 3).await?;
    let list =
        browser.script("return document.getElementById('list').getBoundingClientRect().height").await?;
    assert!(list.as_f64() > Some(90.0), "{list}");
    // The editor and its buttons can be reached; so can the picker's field.
    browser.script("document.getElementById('list').focus()").await?;
    browser.press(format!("{DOWN}e")).await?;
    browser.until("return document.activeElement.tagName === 'TEXTAREA'").await?;
    let seen = "const one = document.activeElement; one.scrollIntoView({ block: 'nearest' }); const box = one.getBoundingClientRect(); \
                const top = document.elementFromPoint(box.x + 5, box.y + box.height / 2); return top === one || one.contains(top)";
    assert_eq!(browser.script(seen).await?, json!(true));
    browser.press("!").await?;
    browser.script("[...document.querySelectorAll('[data-editor] button')].find((one) => one.textContent.startsWith('Save')).focus()").await?;
    assert_eq!(browser.script(seen).await?, json!(true));
    browser.script("document.querySelector('textarea').focus()").await?;
    browser.press(ESCAPE).await?;
    browser.until("return !document.querySelector('[data-editor]')").await?;
    browser.press("d").await?;
    browser.until("return document.activeElement.closest('[data-picker]')").await?;
    assert_eq!(browser.script(seen).await?, json!(true));
    browser.press(ESCAPE).await?;

    // WCAG 1.4.12: nothing is cut off or lies over something else.
    browser.size(1280, 800, false).await?;
    browser.script("const style = new CSSStyleSheet(); style.replaceSync('* { line-height: 1.5 !important; letter-spacing: 0.12em !important; word-spacing: 0.16em !important } p { margin-bottom: 2em !important }'); document.adoptedStyleSheets = [style]").await?;
    let cut = "return [...document.querySelectorAll('[data-row] p, [data-row] time, nav a, .chip, .btn')].filter((one) => one.offsetParent && one.scrollHeight > one.clientHeight + 3 && getComputedStyle(one).overflowY !== 'visible').map((one) => one.outerHTML.slice(0, 100))";
    assert_eq!(browser.script(cut).await?, json!([]));
    let over = "const rows = [...document.querySelectorAll('[data-row]')].map((one) => one.getBoundingClientRect()).sort((a, b) => a.top - b.top); return rows.some((one, n) => n > 0 && one.top < rows[n - 1].bottom - 1)";
    assert_eq!(browser.script(over).await?, json!(false));
    browser.script("document.adoptedStyleSheets = []").await?;
    // Sizes follow the person's own size of letters.
    let height = "return document.querySelector('[aria-posinset=\"2\"]').offsetHeight";
    let before = browser.script(height).await?.as_f64().unwrap_or_default();
    browser
        .script("document.documentElement.style.fontSize = '24px'; window.dispatchEvent(new Event('resize'))")
        .await?;
    browser.until(&format!("{height} > {before} * 1.4")).await?;
    assert_eq!(browser.script(over).await?, json!(false));
    browser
        .script("document.documentElement.style.fontSize = ''; window.dispatchEvent(new Event('resize'))")
        .await?;

    // Forced colors: what is chosen, pressed, selected, focused and lit differs from what is not.
    browser
        .cdp(
            "Emulation.setEmulatedMedia",
            json!({ "features": [{ "name": "forced-colors", "value": "active" }] }),
        )
        .await?;
    browser.script("document.getElementById('list').focus()").await?;
    browser.press(HOME).await?;
    let differ = browser
        .script(
            "const style = (one, what) => getComputedStyle(document.querySelector(one))[what]; return [\
             style('.row.selected', 'borderTopColor') !== style('[aria-posinset=\"3\"] .row', 'borderTopColor') || style('.row.selected', 'borderTopWidth') !== style('[aria-posinset=\"3\"] .row', 'borderTopWidth'),\
             style('.chip.pressed', 'backgroundColor') !== style('.chip:not(.pressed)', 'backgroundColor'),\
             style('.current', 'backgroundColor') !== style('nav a:not(.current)', 'backgroundColor'),\
             style('[data-lamp]', 'outlineStyle') === 'solid',\
             getComputedStyle(document.activeElement).outlineStyle === 'solid']",
        )
        .await?;
    assert_eq!(differ, json!([true, true, true, true, true]));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn the_focus_ring_and_borders_can_be_told_from_what_is_around_them() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 1).await?;
    browser.press(format!("{DOWN} ")).await?;
    browser.until("return document.querySelector('[data-words]')").await?;
    // Contrast of the ring with what is outside of it (its offset is outward) or inside (inward), as WCAG counts it.
    let weak = "const context = new OffscreenCanvas(1, 1).getContext('2d', { willReadFrequently: true }); \
        const rgba = (color) => { context.clearRect(0, 0, 1, 1); context.fillStyle = color; context.fillRect(0, 0, 1, 1); return [...context.getImageData(0, 0, 1, 1).data]; }; \
        const light = ([r, g, b]) => [r, g, b].map((c) => { c /= 255; return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4; }).reduce((sum, c, n) => sum + c * [0.2126, 0.7152, 0.0722][n], 0); \
        const contrast = (a, b) => { const [x, y] = [light(a), light(b)]; return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05); }; \
        const behind = (one) => { for (let at = one; at; at = at.parentElement) { const color = rgba(getComputedStyle(at).backgroundColor); if (color[3] > 250) return color; } return [255, 255, 255]; }; \
        const out = []; \
        for (const one of document.querySelectorAll('button, a, input, select, [data-id], #list')) { \
          if (!one.offsetParent || getComputedStyle(one).visibility !== 'visible' || one.closest('.sr-only, .skip') || one.disabled) continue; \
          one.focus({ focusVisible: true }); if (document.activeElement !== one) continue; \
          const frame = one.id === 'search' ? one.closest('label') : one; const style = getComputedStyle(frame); \
          const outward = parseFloat(style.outlineOffset) >= 0; \
          const ratio = style.outlineStyle === 'none' || parseFloat(style.outlineWidth) < 2 ? 0 : contrast(rgba(style.outlineColor), behind(outward ? frame.parentElement : frame)); \
          if (ratio < 3) out.push(ratio.toFixed(2) + ' ' + one.outerHTML.slice(0, 90)); \
        } \
        for (const one of document.querySelectorAll('.field')) { const ratio = contrast(rgba(getComputedStyle(one).borderTopColor), behind(one.parentElement)); if (ratio < 3) out.push('border ' + ratio.toFixed(2)); } \
        const holder = getComputedStyle(document.getElementById('search'), '::placeholder'); const ratio = contrast(rgba(holder.color), behind(document.getElementById('search'))); if (ratio < 4.5) out.push('placeholder ' + ratio.toFixed(2)); \
        return out";
    for dark in [false, true] {
        browser.dark(dark).await?;
        assert_eq!(browser.script(weak).await?, json!([]), "dark {dark}");
    }
    // Marks in the second line.
    service.yadori(&["add", "--program", "Ledger", "--", "gas"]);
    browser.press("/").await.ok();
    browser.script("document.getElementById('search').focus()").await?;
    browser.press("ledger").await?;
    browser.until("return document.querySelector('.facts mark.match')").await?;
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn texts_of_every_kind_are_shown_as_they_are() -> Result<()> {
    let service = Service::without_desk();
    let long = "w".repeat(200);
    let arabic = "ابدأ من هنا ".repeat(40);
    service.add(&["\u{200b}\u{2063}\u{200b}", &long, &arabic, "invoice \u{202e}gnp.exe", "  \n\t "]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-row] [data-summary]').length === 5").await?;
    let words = browser.script("return [...document.querySelectorAll('[data-row]')].sort((a, b) => a.ariaPosInSet - b.ariaPosInSet).map((one) => one.querySelector('[data-summary]').textContent)").await?;
    assert_eq!(words[0], json!("White space: 5 characters"));
    assert_eq!(words[1], json!("invoice \u{205d}gnp.exe"));
    assert_eq!(words[4], json!("Nothing that can be seen: 3 characters"));
    // A text from right to left shows its beginning: it is laid out from the right, and cut at its end.
    let direction = browser.script("return getComputedStyle(document.querySelector('[aria-posinset=\"3\"] [data-summary]')).direction").await?;
    assert_eq!(direction, json!("rtl"));
    for place in ["3", "4", "2"] {
        browser
            .script(&format!("document.querySelector('[aria-posinset=\"{place}\"] .row').click()"))
            .await?;
        browser
            .until(&format!("return document.querySelector('[aria-posinset=\"{place}\"] [data-words]')"))
            .await?;
        let fits = browser.script("const one = document.querySelector('[data-words]'); return one.scrollWidth <= one.clientWidth && document.documentElement.scrollWidth <= innerWidth").await?;
        assert_eq!(fits, json!(true), "{place}");
    }
    assert_eq!(browser.script("return document.querySelector('.sign').title").await?, json!("U+202E"));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn three_thousand_favorites_and_three_hundred_drawers_stay_usable() -> Result<()> {
    let service = Service::without_desk();
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("many.tar");
    yadori_e2e::many::write_backup(&file, 3_100)?;
    service.yadori(&["restore", file.to_str().unwrap()]);
    let socket = service.home().join("run/yadori.sock");
    let socket = socket.to_str().unwrap();
    let outline = Service::curl(&["--unix-socket", socket, "http://y/api/v1/outline"]).1;
    let ids = outline["ids"].as_str().unwrap();
    let ids: Vec<&str> = (0..ids.len() / 26).map(|n| &ids[n * 26..(n + 1) * 26]).collect();
    let wish = dir.path().join("wish.json");
    std::fs::write(&wish, json!({ "ids": ids, "to": { "place": "favorites" } }).to_string())?;
    let body = format!("@{}", wish.display());
    let kept = Service::curl(&[
        "--unix-socket",
        socket,
        "-H",
        "content-type: application/json",
        "--data-binary",
        &body,
        "http://y/api/v1/keep",
    ]);
    assert_eq!(kept.1["count"], json!(3_100));
    for n in 0..300 {
        service.yadori(&["drawer", "new", &format!("Drawer {n}")]);
    }
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 5").await?;
    browser.press("f").await?;
    browser.until("return Number(document.querySelector('[role=treegrid]').ariaRowCount) > 3000 && document.querySelectorAll('[data-summary]').length > 5").await?;
    assert!(
        browser.script("return document.querySelectorAll('[data-row]').length").await?.as_u64() < Some(80)
    );
    browser.press(END).await?;
    browser.until("return Number(document.activeElement.ariaPosInSet) > 3000 && document.activeElement.querySelector('[data-summary]')").await?;
    // A pin elsewhere: nothing of the favorites is read anew.
    let new = service.add(&["a new one"]);
    browser.script("performance.clearResourceTimings()").await?;
    service.yadori(&["pin", &new[0]]);
    browser.until("return document.querySelector('[data-unseen]')?.textContent.includes('1 change')").await?;
    browser
        .until("return performance.getEntriesByType('resource').some((one) => one.name.endsWith('/drawers'))")
        .await?;
    let read = browser.script("return performance.getEntriesByType('resource').map((one) => new URL(one.name).pathname).filter((one) => /outline|rows|favorites/.test(one))").await?;
    assert_eq!(read, json!([]));
    // A drawer among three hundred: what is marked is in sight, and how many more there are is said.
    browser.press("j").await?;
    browser.until("return document.querySelector('[data-picker] [role=status]')?.textContent.includes('240 more drawers')").await?;
    browser.press(DOWN.repeat(30)).await?;
    let sight = "const one = document.querySelector('[data-picker] [aria-selected=true]'), box = one.getBoundingClientRect(), list = one.parentElement.getBoundingClientRect(); return [box.top >= list.top - 1 && box.bottom <= list.bottom + 1, one.textContent.includes('Drawer 30')]";
    browser.until(&format!("const f = () => {{ {sight} }}; return f()[0]")).await?;
    browser.press("r 299").await?;
    browser.press(ENTER).await?;
    browser.until("return document.querySelector('h1').textContent === 'Drawer 299'").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn axe_finds_nothing_on_any_page_dialog_or_state() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let ids =
        service.add(&["gas", "oats\nand more", "https://example.org/", "Dear {=ask \"Name\"}, thank you."]);
    service.yadori(&["pin", &ids[3], &ids[1]]);
    service.yadori(&["drawer", "new", "Huts", "--color", "green", "--group", "Office"]);
    service.yadori(&["drawer", "put", "Huts", &ids[0]]);
    service.yadori(&["drawer", "divider", "Huts", "Numbers"]);
    let guests = "Hanna\t14 May\nOle\t\nIda";
    service.yadori(&["batch", "new", "--text", guests, "--split", "cells", "--name", "Permits"]);
    service.yadori(&["batch", "next"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 4).await?;
    let drawer =
        browser.until("return document.querySelector('[data-drawers] a')?.getAttribute('href')").await?;
    let drawer = drawer.as_str().unwrap_or_default().to_owned();
    // What opens each state, and what shows that it is open.
    let states = [
        ("history", "", "[data-row]"),
        ("history", "d:[data-row]:D", "[data-picker]"),
        ("history", "d:[data-row]:t", "[aria-label=Title]"),
        ("history", "d:[data-row]:c", "[role=toolbar]"),
        ("history", "d:[data-row]:e", "textarea"),
        ("history", "d:[data-row]:y", "[data-tidy]"),
        ("history", "d:[data-row]:s", "[data-chosen]"),
        ("history", "d:[data-row]:b", "[data-toast]"),
        ("history", "j", "[data-jumping]"),
        ("history?q=oats", "", "mark.match"),
        ("history?q=nothing+at+all", "", "[data-nothing]"),
        ("history?q=kind%3Asong", "", "#search-said:not(.hidden)"),
        ("favorites", "", "[data-kept] [data-row]"),
        ("drawer", "", "[data-kept] h2"),
        ("insight", "", ".uplot canvas"),
        ("acts", "", "[data-acts] li"),
        ("devices", "", "[data-pairing] input"),
        ("settings", "", "[data-limits] .uplot canvas"),
        ("settings", "clear", "[data-question]"),
        ("help", "", "[data-tried]"),
        ("drawers", "", "h1#drawers-of-page"),
        ("batches", "", "[data-items='5']"),
        ("hand", "", "[data-next='2']"),
        ("pick", "", "[data-pick-row] [data-words]"),
        ("pick", "zzz", "[data-pick] [data-empty]"),
        ("pick", "\u{e00a}t\u{e000}", "[data-tidied]"),
        ("pick", "\u{e00a}o\u{e000}", "[data-whole]"),
        ("pick", "\u{e00a}e\u{e000}", "[data-editor] textarea"),
    ];
    for (dark, width) in [(false, 1280), (true, 1280), (false, 390), (true, 390)] {
        browser.dark(dark).await?;
        browser.size(width, 844, width < 500).await?;
        for (page, keys, shown) in states {
            let hash = if page == "drawer" { drawer.clone() } else { format!("#/{page}") };
            browser.script("location.hash = '#/help'").await?;
            browser.until("return document.querySelector('[data-help]')").await?;
            browser.script(&format!("location.hash = '{hash}'")).await?;
            browser
                .until("return !document.querySelector('[data-help]') || location.hash === '#/help'")
                .await?;
            match keys.strip_prefix("d:[data-row]:") {
                Some(key) => {
                    browser.until("return document.querySelector('[data-row] [data-summary]')").await?;
                    browser.script("document.getElementById('list').focus()").await?;
                    browser.press(format!("{HOME}{}", key.to_lowercase())).await?;
                }
                None if keys == "clear" => {
                    browser.until("return document.querySelector('[data-clear-now]')").await?;
                    browser.script("document.querySelector('[data-clear-now]').focus()").await?;
                    browser.press(ENTER).await?;
                }
                None if page == "pick" => {
                    browser.until("return document.querySelector('[data-pick-row] [data-words]')").await?;
                    browser.press(keys).await?;
                }
                None if !keys.is_empty() => browser.press(keys).await?,
                None => {}
            }
            browser.until(&format!("return document.querySelector({shown:?})")).await?;
            assert_eq!(
                browser.faults().await?,
                Vec::<String>::new(),
                "{page} {shown}, dark {dark}, {width} px"
            );
            browser.press(ESCAPE).await.ok();
            browser.press(ESCAPE).await.ok();
        }
        // A text that asks before it is taken.
        browser.script("location.hash = '#/favorites'").await?;
        browser.until("return document.querySelectorAll('[data-kept] [data-row]').length === 2").await?;
        browser.script("document.getElementById('list').focus()").await?;
        let asks = browser.script("return [...document.querySelectorAll('[data-kept] [data-row]')].findIndex((one) => one.textContent.includes('Dear'))").await?;
        browser
            .press(format!("{HOME}{}{ENTER}", DOWN.repeat(usize::try_from(asks.as_u64().unwrap_or(0))?)))
            .await?;
        browser.until("return document.querySelector('[data-asking]')").await?;
        assert_eq!(browser.faults().await?, Vec::<String>::new(), "asking, dark {dark}, {width} px");
        browser.press(ESCAPE).await?;
    }
    Ok(())
}
