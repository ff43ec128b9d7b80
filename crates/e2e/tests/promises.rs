//! The console keeps its promises: no key goes astray, nothing that is typed is lost, nothing moves under a hand. Real
//! keys and pointers, real copies arriving, another client acting.

use anyhow::Result;
use serde_json::json;
use yadori_e2e::pointer::Pointer;
use yadori_e2e::{Browser, Display, Service, until};

const DOWN: &str = "\u{e015}";
const UP: &str = "\u{e013}";
const ENTER: &str = "\u{e007}";
const ESCAPE: &str = "\u{e00c}";
const CONTROL_ENTER: &str = "\u{e009}\u{e007}\u{e000}";
const DELETE: &str = "\u{e017}";

fn texts(count: usize) -> Vec<String> {
    (0..count).map(|n| format!("clip {n}")).collect()
}

fn borrowed(texts: &[String]) -> Vec<&str> {
    texts.iter().map(String::as_str).collect()
}

async fn rows(browser: &Browser, count: usize) -> Result<()> {
    browser.until(&format!("return document.querySelectorAll('[data-summary]').length === {count}")).await?;
    Ok(())
}

#[tokio::test]
async fn what_is_typed_into_stays_whatever_happens_to_its_clip_and_no_letter_of_it_acts() -> Result<()> {
    let service = Service::without_desk();
    let ids = service.add(&["one", "two", "three"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 3).await?;
    browser.press(DOWN).await?;
    browser.press(DOWN).await?;
    browser.press("t").await?;
    browser.until("return document.activeElement.ariaLabel === 'Title'").await?;
    browser.press("Peb").await?;
    // It is copied again, and something else is, while the letters go on.
    service.add(&["two"]);
    browser.press("pe").await?;
    service.yadori(&["add", "four"]);
    browser.until("return document.querySelector('[data-unseen]')").await?;
    browser.press("dub").await?;
    assert_eq!(browser.script("return document.activeElement.value").await?, json!("Pebpedub"));
    assert_eq!(service.acts(), []);
    browser.press(ENTER).await?;
    until("the title", || service.acts().first().is_some_and(|act| act.0 == "title").then_some(()));
    browser.until("return document.activeElement.ariaLabel?.includes('Pebpedub')").await?;

    // The editor: its clip is removed under it. What was typed stays, with the caret where it was.
    browser.press("e").await?;
    browser.until("return document.activeElement.tagName === 'TEXTAREA'").await?;
    browser.press(" keep").await?;
    browser.press("\u{e012}\u{e012}").await?;
    let area = browser.script("return document.activeElement.id = 'the-same'").await?;
    service.yadori(&["add", "two"]);
    browser
        .until("return document.querySelector('[data-note]')?.textContent.includes('copied again')")
        .await?;
    service.yadori(&["remove", &ids[1]]);
    browser.until("return document.querySelector('[data-note]')?.textContent.includes('removed')").await?;
    browser.press("pdb").await?;
    assert_eq!(browser.script("return document.activeElement.id").await?, area);
    assert_eq!(browser.script("return document.activeElement.value").await?, json!("two kepdbep"));
    assert_eq!(browser.script("return document.activeElement.selectionStart").await?, json!(9));
    assert_eq!(service.acts().first().map(|act| act.0.clone()), Some("remove".into()));
    // Esc has no place to keep them in, and lets go of nothing; the words can become a clip of their own.
    browser.press(ESCAPE).await?;
    assert_eq!(browser.script("return document.activeElement.id").await?, area);
    browser.press(CONTROL_ENTER).await?;
    service.await_clip("two kepdbep");
    browser.until("return !document.querySelector('[data-editor]')").await?;
    assert_ne!(browser.focus().await?, "nothing");
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn keys_pressed_while_a_page_opens_go_to_where_one_was_going_in_order() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let ids = service.add(&["oats", "gas", "bunks"]);
    service.yadori(&["pin", &ids[0], &ids[1]]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 3).await?;
    let before = service.acts();
    browser.press(DOWN).await?;
    for page in ["?", "i", "a"] {
        browser.press(format!("{page}/pdbunks")).await?;
        assert_eq!(browser.focus().await?, "search", "{page}");
        assert_eq!(browser.script("return document.activeElement.value").await?, json!("pdbunks"), "{page}");
        browser.press(format!("{ESCAPE}{ESCAPE}")).await?;
        assert_eq!(service.acts(), before);
    }
    // Favorites, the second one, taken: in one go.
    browser.press(format!("f{DOWN}{DOWN}{ENTER}")).await?;
    let second = service.yadori(&["list", "-f"]).lines().nth(1).unwrap_or_default().to_owned();
    until("the take", || display.paste_text().filter(|text| second.contains(text.as_str())));
    // To a drawer that has to be read first, by its name.
    service.yadori(&["drawer", "new", "Huts"]);
    service.yadori(&["drawer", "put", "Huts", &ids[2]]);
    browser.until("return document.querySelector('[data-drawers] a')").await?;
    browser.press("j").await?;
    browser.press(format!("hut{ENTER}")).await?;
    browser.press(format!("{DOWN}{ENTER}")).await?;
    until("the take from the drawer", || display.paste_text().filter(|text| text == "bunks"));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn enter_takes_what_belongs_to_the_query_that_stands_in_the_field() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let all: Vec<String> =
        (0..16).flat_map(|n| [format!("oats sack {n}x"), format!("gas bottle {n}x")]).collect();
    service.add(&borrowed(&all));
    let browser = Browser::console(&service).await?;
    browser.press("/").await?;
    for n in 0..16 {
        browser.press(format!("oats {n}x")).await?;
        service.yadori(&["add", &format!("oats, an arrival, {n}x")]);
        // Another query and Enter in one go, faster than any answer.
        browser.press(format!("{ESCAPE}gas \"{n}x\"{ENTER}")).await?;
        // A pattern with a word boundary would be shorter to ask for: `1x` is in `11x`, and the newest wins.
        let wanted = all.iter().rev().find(|text| text.starts_with("gas") && text.contains(&format!("{n}x")));
        let wanted = wanted.cloned().unwrap_or_default();
        until(&wanted, || display.paste_text().filter(|text| *text == wanted));
        browser.press(ESCAPE).await?;
        browser.until("return document.getElementById('search').value === ''").await?;
    }
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn acts_on_several_are_about_all_that_are_chosen_and_say_how_many() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["one", "two", "three", "four"]);
    service.yadori(&["drawer", "new", "Huts"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 4).await?;
    let top = "return document.querySelector('[aria-posinset=\"3\"]').getBoundingClientRect().top";
    let before = browser.script(top).await?;
    browser.press(format!("{DOWN}s{DOWN}s{DOWN}s")).await?;
    browser.until("return document.querySelector('[data-chosen=\"3\"]')").await?;
    assert_eq!(browser.script(top).await?, before, "choosing moves no row");
    browser.press("d").await?;
    browser.until("return document.activeElement.ariaLabel === 'Which drawer for 3 clips'").await?;
    browser.press(format!("Hu{ENTER}")).await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('Put 3 clips into Huts')")
        .await?;
    assert_eq!(service.yadori(&["list", "--drawer", "Huts"]).lines().count(), 3);
    browser.until("return document.activeElement.closest('#list')").await?;
    browser.press(format!("s{UP}s")).await?;
    browser.press("c").await?;
    browser
        .until("return document.activeElement.closest('[role=toolbar]')?.ariaLabel === 'Color of 2 clips'")
        .await?;
    browser.press(ENTER).await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('Colored 2 clips blue')")
        .await?;
    browser.press(format!("s{UP}sb")).await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('Brought 2 clips')")
        .await?;
    // What is done to one alone says so, and drops nothing.
    browser.press(format!("s{DOWN}s")).await?;
    browser.press("t").await?;
    browser.until("return document.querySelector('[data-toast]')?.textContent.includes('one clip at a time; 2 clips are chosen')").await?;
    assert_eq!(
        browser.script("return document.querySelector('[data-chosen]').dataset.chosen").await?,
        json!("2")
    );
    browser.press(DELETE).await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('Removed 2 clips')")
        .await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn undo_takes_back_the_act_that_is_meant_and_never_one_unseen() -> Result<()> {
    let service = Service::without_desk();
    let ids = service.add(&["one", "two", "three"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 3).await?;
    browser.press(format!("{DOWN}p")).await?;
    browser.until("return document.querySelector('[data-toast] button')").await?;
    // Another client acts after that: the button of the message is about the message, and so is U.
    service.yadori(&["title", &ids[0], "By another"]);
    browser.press("u").await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('Taken back: pinned')")
        .await?;
    assert_eq!(service.acts(), [("title".to_owned(), "one".to_owned())]);
    // Nothing is left that was done here: what U would take back is said, and asked.
    browser.press("u").await?;
    browser.until("return document.querySelector('[data-toast]')?.textContent.includes('not in this window: titled')").await?;
    assert_eq!(service.acts().len(), 1);
    browser.press("?").await?;
    browser.press("u").await?;
    browser.press("u").await?;
    until("the title is taken back", || service.acts().is_empty().then_some(()));
    // On a page that does not show what was done, it is said first.
    browser.press("h").await?;
    browser.press(format!("{DOWN}p")).await?;
    until("the pin", || (service.acts().len() == 1).then_some(()));
    browser.press("?u").await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('Take it back?')")
        .await?;
    assert_eq!(service.acts().len(), 1);
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

/// The place of a row on the screen.
fn top_of(id: &str) -> String {
    format!("return document.querySelector('[data-id=\"{id}\"]')?.getBoundingClientRect().top")
}

#[tokio::test]
async fn nothing_moves_around_the_focus_or_at_the_edge_whatever_arrives() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let all = texts(80);
    let ids = service.add(&borrowed(&all));
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-summary]').length > 9").await?;
    // Scrolled; what stands at the upper edge is copied again.
    browser.script("document.getElementById('list').scrollTop = 1500").await?;
    let edge = "return document.elementFromPoint(500, 200)?.closest('[data-id]')?.dataset.id ?? ''";
    let first = browser.until(edge).await?;
    let place = ids.iter().position(|id| json!(id) == first).unwrap();
    let under =
        browser.script("return document.elementFromPoint(500, 400).closest('[data-id]').dataset.id").await?;
    service.add(&[&all[place], "an arrival"]);
    browser.until("return document.querySelector('[data-unseen]')?.textContent.includes('2 new')").await?;
    assert_eq!(browser.script("return document.getElementById('list').scrollTop").await?, json!(1500));
    assert_eq!(
        browser.script("return document.elementFromPoint(500, 400).closest('[data-id]').dataset.id").await?,
        under
    );
    browser.script("document.querySelector('[data-unseen]').click()").await?;
    browser.until("return document.querySelector('[aria-posinset=\"1\"] [data-summary]')?.textContent === 'an arrival'").await?;

    // Only 50 are shown; the last of them is selected, and pushed out by an arrival.
    browser.script("const most = document.querySelector('select'); most.value = '50'; most.dispatchEvent(new Event('change', { bubbles: true }))").await?;
    browser.until("return document.querySelector('[role=treegrid]').ariaRowCount === '50'").await?;
    browser.script("document.getElementById('list').focus()").await?;
    browser.press("\u{e010}").await?;
    browser.until("return document.activeElement.ariaPosInSet === '50'").await?;
    let last = browser.focus().await?;
    let at = browser.script(&top_of(&last)).await?;
    service.add(&["one more", "and another"]);
    browser.until("return document.querySelector('[data-unseen]')?.textContent.includes('2 new')").await?;
    assert_eq!(browser.focus().await?, last);
    assert_eq!(browser.script(&top_of(&last)).await?, at);
    // It is copied again itself, and still has selection, focus and place.
    let text = &all[ids.iter().position(|id| *id == last).unwrap()];
    service.add(&[text]);
    browser.until("return document.querySelector('[data-unseen]')?.textContent.includes('3 new')").await?;
    assert_eq!(browser.focus().await?, last);
    assert_eq!(browser.script(&top_of(&last)).await?, at);
    browser.press(ENTER).await?;
    until("the take", || display.paste_text().filter(|pasted| pasted == text));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn nothing_moves_under_a_pointer_that_rests_and_a_click_hits_what_was_pointed_at() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let ids = service.add(&["one", "two", "three"]);
    service.yadori(&["pin", &ids[0], &ids[1], &ids[2]]);
    let browser = Browser::console_on(&service, Some(&display.name())).await?;
    rows(&browser, 3).await?;
    let pointer = Pointer::of(&display)?;
    // Fewer rows than the view: each arrival would shift the one that is about to be clicked.
    let selector = format!("[data-id='{}']", ids[1]);
    pointer.move_to(browser.place_of(&selector).await?)?;
    browser.until(&format!("return document.querySelector(\"{selector}:hover\")")).await?;
    for n in 0..5 {
        service.add(&[&format!("arrival {n}")]);
    }
    browser.until("return document.querySelector('[data-unseen]')?.textContent.includes('5 new')").await?;
    pointer.click(1)?;
    browser.until(&format!("return document.querySelector(\"{selector}\")?.ariaExpanded === 'true'")).await?;
    // Take is one click at the row.
    let third = format!("[data-id='{}']", ids[2]);
    pointer.move_to(browser.place_of(&third).await?)?;
    pointer.move_to(browser.place_of(&format!("{third} .take")).await?)?;
    pointer.click(1)?;
    until("the take", || display.paste_text().filter(|text| text == "three"));

    // Among favorites: one is pinned elsewhere, under the pointer and while another is dragged.
    browser.script("document.querySelector('nav a[href=\"#/favorites\"]').click()").await?;
    browser
        .until("return document.querySelectorAll('[data-kept=favorites] [data-row]').length === 3")
        .await?;
    let order = || -> Vec<String> {
        let list = service.yadori(&["list", "-f"]);
        list.lines()
            .filter_map(|line| {
                ["one", "two", "three", "zero"]
                    .into_iter()
                    .find(|word| line.contains(word))
                    .map(str::to_owned)
            })
            .collect()
    };
    let (first, last) = (order()[0].clone(), order()[2].clone());
    pointer.move_to(browser.place_of("[data-kept] [aria-posinset='3'] [role=img]").await?)?;
    pointer.press()?;
    let (x, y) = browser.place_of("[data-kept] [aria-posinset='1']").await?;
    pointer.move_to((x, y - 4))?;
    browser.until("return document.querySelector('[data-kept] .drop-before')").await?;
    let zero = service.add(&["zero"]);
    service.yadori(&["pin", &zero[0]]);
    browser.until("return document.querySelector('[data-unseen]')").await?;
    assert_eq!(
        browser.script("return document.querySelectorAll('[data-kept] [data-row]').length").await?,
        json!(3)
    );
    let over = "addEventListener('dragover', () => (window.__over = true))";
    browser.script(over).await?;
    pointer.move_to((x + 9, y - 2))?;
    browser.until("return window.__over").await?;
    pointer.release()?;
    until("the drag ends where it was meant to", || {
        let now = order();
        let at = |word: &String| now.iter().position(|one| one == word);
        (at(&last) < at(&first)).then_some(())
    });
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_finger_that_comes_down_as_the_list_moves_does_nothing_and_says_so() -> Result<()> {
    let service = Service::without_desk();
    service.add(&borrowed(&texts(6)));
    let browser = Browser::console(&service).await?;
    browser.size(390, 844, true).await?;
    browser.touch(true).await?;
    rows(&browser, 6).await?;
    // A finger that comes too late for this, on a busy machine, unfolds a row as it should; then it is tried again.
    for n in 7..12 {
        let watch = format!(
            "const done = arguments[0]; const look = () => document.querySelectorAll('[data-summary], [aria-expanded=true]').length === {n} && done(1); \
             new MutationObserver(look).observe(document.getElementById('list'), {{ childList: true, subtree: true }}); look()"
        );
        let moving = browser.driver.execute_async(watch, Vec::new());
        let adding = async {
            service.add(&[&format!("it moves {n}")]);
            Ok::<(), anyhow::Error>(())
        };
        let (moved, added) = tokio::join!(moving, adding);
        moved?;
        added?;
        browser.tap("[aria-posinset='3'] [role=img]").await?;
        let done = browser
            .until("return document.body.textContent.includes('just as you touched it') ? 'nothing' : document.querySelector('[aria-expanded=true]') ? 'unfolded' : null")
            .await?;
        if done == json!("nothing") {
            break;
        }
        assert!(n < 11, "no finger was fast enough");
        browser.press(ESCAPE.repeat(2)).await?;
    }
    assert_eq!(
        browser.script("return document.querySelector('[aria-expanded=true], [aria-selected=true]')").await?,
        json!(null)
    );
    // It stays now, whatever comes; the next touch does what it is about.
    service.add(&["and waits"]);
    browser.until("return document.querySelector('[data-unseen]')").await?;
    let third = browser.script("return document.querySelector('[aria-posinset=\"3\"]').dataset.id").await?;
    browser.tap("[aria-posinset='3'] [role=img]").await?;
    browser.until(&format!("return document.querySelector('[data-id={third}][aria-expanded=true]')")).await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn what_another_client_does_moves_no_button_under_a_press() -> Result<()> {
    let service = Service::without_desk();
    let ids = service.add(&["one", "two"]);
    let browser = Browser::console(&service).await?;
    browser.size(1280, 800, false).await?;
    rows(&browser, 2).await?;
    browser.press(format!("{DOWN} ")).await?;
    let group = "[aria-label='What can be done']";
    browser.until(&format!("return document.querySelector(\"{group}\")")).await?;
    let places = format!(
        "return JSON.stringify([...document.querySelectorAll(\"{group} button\")].map((one) => [one.offsetLeft, one.offsetTop]))"
    );
    // Pinned, brought up again and unpinned by another: every button stays where it is.
    let before = browser.script(&places).await?;
    for act in ["pin", "unpin"] {
        service.yadori(&[act, &ids[1]]);
        let word = if act == "pin" { "Unpin" } else { "Pin" };
        browser
            .until(&format!("return [...document.querySelectorAll(\"{group} button\")].some((one) => one.textContent.trim().startsWith('{word}'))"))
            .await?;
        assert_eq!(browser.script(&places).await?, before, "after {act}");
    }
    // A title needs a line of its own: whoever presses as it comes meant what was there before. A press that comes too late
    // for this, on a busy machine, does what the button says; then it is tried again.
    let button = format!("{group} button:nth-last-child(2)");
    let middle = format!(
        "const box = document.querySelector(\"{button}\").getBoundingClientRect(); return [Math.round(box.x + box.width / 2), Math.round(box.y + box.height / 2)]"
    );
    for n in 0..5 {
        if n > 0 {
            service.yadori(&["title", &ids[1], "--none"]);
        }
        browser.until("return !document.querySelector('[aria-expanded=true] p.font-medium')").await?;
        let (x, y): (i64, i64) = serde_json::from_value(browser.script(&middle).await?)?;
        browser.driver.action_chain().move_to(x, y).perform().await?;
        let watch = "const done = arguments[0]; const look = () => document.querySelector('[aria-expanded=true] p.font-medium') && done(1); new MutationObserver(look).observe(document.getElementById('list'), { childList: true, subtree: true }); look()";
        let (came, ()) = tokio::join!(browser.driver.execute_async(watch, Vec::new()), async {
            service.yadori(&["title", &ids[1], "A title"]);
        });
        came?;
        let acts = service.acts().len();
        browser.script(&format!("window.__clicked = ''; document.querySelector(\"{group}\").addEventListener('click', (event) => (window.__clicked = event.target.textContent), {{ once: true }})")).await?;
        browser.driver.action_chain().click().perform().await?;
        let done = browser
            .until("return document.body.textContent.includes('just as you pressed') ? 'nothing' : window.__clicked")
            .await?;
        if done == json!("nothing") {
            assert_eq!(service.acts().len(), acts);
            break;
        }
        assert!(n < 4, "no press was fast enough: {done}");
        browser.press(ESCAPE).await?;
    }
    // The next press does what its button says.
    let (x, y): (i64, i64) = serde_json::from_value(browser.script(&middle).await?)?;
    browser.driver.action_chain().move_to(x, y).click().perform().await?;
    until("it is brought up", || service.acts().first().is_some_and(|act| act.0 == "bring-up").then_some(()));
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_picker_that_is_open_means_what_it_shows_whatever_becomes_of_the_drawers() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["one"]);
    for name in ["Alpha", "Beta", "Gamma"] {
        service.yadori(&["drawer", "new", name]);
    }
    let browser = Browser::console(&service).await?;
    rows(&browser, 1).await?;
    browser.until("return document.querySelectorAll('[data-drawers] a').length === 3").await?;
    browser.press(format!("{DOWN}d")).await?;
    browser.until("return document.querySelectorAll('[data-picker] [role=option]').length === 3").await?;
    browser.press(DOWN).await?;
    let marked = "return document.querySelector('[data-picker] [aria-selected=true]').textContent";
    let wanted = browser.script(marked).await?.as_str().unwrap_or_default().to_owned();
    service.yadori(&["drawer", "new", "Aardvark"]);
    service.yadori(&["drawer", "remove", "Alpha"]);
    browser.until("return [...document.querySelectorAll('[data-drawers] a')].some((one) => one.textContent.includes('Aardvark'))").await?;
    assert_eq!(browser.script(marked).await?, json!(wanted));
    browser.press(ENTER).await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('Put 1 clip into')")
        .await?;
    let name = ["Beta", "Gamma", "Alpha"].into_iter().find(|name| wanted.contains(name)).unwrap();
    assert_eq!(service.yadori(&["list", "--drawer", name]).lines().count(), 1);
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn words_are_safe_in_the_browser_while_the_service_is_away_and_in_the_service_after() -> Result<()> {
    let mut service = Service::at_a_port();
    let ids = service.add(&["Bring boots."]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 1).await?;
    browser.press(format!("{DOWN}e")).await?;
    browser.until("return document.activeElement.tagName === 'TEXTAREA'").await?;
    service.stop();
    browser.until("return document.querySelector('[data-lamp=broken]')").await?;
    browser.press(" And socks.").await?;
    browser.until("return document.querySelector('[data-only-here]')").await?;
    browser.press(ESCAPE).await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('kept in this browser')")
        .await?;
    browser.until("return !document.querySelector('[data-editor]')").await?;
    // Even a page that is read anew has them; the service gets them as soon as it is there.
    service.start_again();
    service.await_records();
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('safe in the service')")
        .await?;
    let draft = |id: &str| {
        let socket = service.home().join("run/yadori.sock");
        Service::curl(&[
            "--unix-socket",
            socket.to_str().unwrap(),
            &format!("http://y/api/v1/clips/{id}/draft"),
        ])
    };
    assert_eq!(draft(&ids[0]).1["text"], json!("Bring boots. And socks."));
    // A title that is half typed outlives a click elsewhere and a page that is read anew.
    browser.script("document.getElementById('list').focus()").await?;
    browser.press("t").await?;
    browser.until("return document.activeElement.ariaLabel === 'Title'").await?;
    browser.press("Half a ti").await?;
    browser.driver.refresh().await?;
    browser.until("return document.querySelector('#list[aria-busy=false] [data-summary]')").await?;
    browser.script("document.getElementById('list').focus()").await?;
    browser.press("t").await?;
    browser.until("return document.activeElement.value === 'Half a ti'").await?;
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn a_drawer_that_is_gone_is_shown_as_gone_and_what_comes_back_is_not_announced_as_copied() -> Result<()>
{
    let service = Service::without_desk();
    let ids = service.add(&["one", "two"]);
    for name in ["Huts", "Office"] {
        service.yadori(&["drawer", "new", name]);
    }
    service.yadori(&["drawer", "put", "Huts", &ids[0]]);
    let browser = Browser::console(&service).await?;
    browser.until("return document.querySelectorAll('[data-drawers] a').length === 2").await?;
    browser.script("[...document.querySelectorAll('[data-drawers] a')].find((one) => one.textContent.includes('Huts')).click()").await?;
    browser.until("return document.querySelector('h1').textContent === 'Huts' && document.querySelectorAll('[data-row]').length === 1").await?;
    service.yadori(&["drawer", "remove", "Huts"]);
    browser.until("return document.querySelector('h1').textContent.includes('gone') && document.body.textContent.includes('This drawer was removed')").await?;
    let buttons =
        "return [...document.querySelectorAll('main button')].map((one) => one.textContent.trim()).join()";
    assert!(
        !browser.script(buttons).await?.as_str().unwrap_or_default().contains("drawer"),
        "its buttons stay"
    );
    // Another one, by its address: it is that one.
    let other =
        browser.script("return document.querySelector('[data-drawers] a').getAttribute('href')").await?;
    browser.script(&format!("location.hash = {other}")).await?;
    browser.until("return document.querySelector('h1').textContent === 'Office'").await?;
    browser.script("location.hash = '#/drawer/ffffffffffffffffffffffffffffffff'").await?;
    browser.until("return document.querySelector('h1').textContent.includes('gone')").await?;
    assert!(!browser.script(buttons).await?.as_str().unwrap_or_default().contains("Change drawer"));

    browser.press("h").await?;
    rows(&browser, 2).await?;
    service.yadori(&["remove", &ids[1]]);
    rows(&browser, 1).await?;
    browser.script("window.__said = []; new MutationObserver(() => window.__said.push(document.querySelector('[data-said]').textContent)).observe(document.querySelector('[data-said]'), { childList: true, characterData: true, subtree: true })").await?;
    service.yadori(&["undo"]);
    rows(&browser, 2).await?;
    service.add(&["three"]);
    browser.until("return window.__said.some((one) => one.startsWith('Copied: three'))").await?;
    assert_eq!(
        browser.script("return window.__said.some((one) => one.includes('two'))").await?,
        json!(false)
    );
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}

#[tokio::test]
async fn letters_that_follow_a_key_are_typed_into_what_it_opens_before_its_text_is_there() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["one", "two"]);
    let browser = Browser::console(&service).await?;
    rows(&browser, 2).await?;
    for (keys, wanted) in [("epbdcs", "twopbdcs"), ("tpbdcs", "pbdcs")] {
        browser.press(DOWN).await?;
        browser.press(UP).await?;
        browser.press(keys).await?;
        browser.until(&format!("return document.activeElement.value === '{wanted}'")).await?;
        assert_eq!(service.acts(), []);
        browser.press(ESCAPE).await?;
        browser.until("return document.activeElement.closest('#list')").await?;
        browser.press(ESCAPE).await?;
    }
    assert_eq!(browser.errors().await?, Vec::<String>::new());
    Ok(())
}
