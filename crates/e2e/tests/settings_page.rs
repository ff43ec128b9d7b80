//! The console's settings: limits with what they would remove, clearing with its question, orders, rules, secrets. By real
//! keys, and by a pointer where that is what a person would use.

use anyhow::Result;
use serde_json::json;
use thirtyfour::By;
use yadori_e2e::{Browser, Display, Owner, Service, until};

const TAB: &str = "\u{e004}";
const ENTER: &str = "\u{e007}";
const ESCAPE: &str = "\u{e00c}";
const SHIFT: &str = "\u{e008}";
const NULL: &str = "\u{e000}";
const CTRL: &str = "\u{e009}";
const BACKSPACE: &str = "\u{e003}";

fn heads(service: &Service) -> Vec<String> {
    service.list(200).into_iter().map(|row| row.head).collect()
}

/// Goes by Tab to what this selector names.
async fn tab_to(browser: &Browser, selector: &str) -> Result<()> {
    for _ in 0..90 {
        let there = format!("return document.activeElement?.matches({selector:?}) === true");
        if browser.script(&there).await? == json!(true) {
            return Ok(());
        }
        browser.press(TAB).await?;
    }
    anyhow::bail!("Tab does not lead to {selector}")
}

async fn opened(service: &Service) -> Result<Browser> {
    let browser = Browser::console(service).await?;
    browser.until("return document.querySelector('[data-row] [data-summary]')").await?;
    browser.press("k").await?;
    browser.until("return document.querySelector('[data-plan]')?.textContent.includes('There are')").await?;
    Ok(browser)
}

#[tokio::test]
async fn limits_are_tried_while_they_are_typed_asked_about_and_set_by_keys_alone() -> Result<()> {
    let service = Service::without_desk();
    let ids = service.add(&["first", "second", "third", "fourth", "fifth"]);
    service.yadori(&["pin", &ids[0]]);
    let browser = opened(&service).await?;
    tab_to(&browser, "[data-setting='limits.clips']").await?;
    browser.press(format!("{CTRL}a{NULL}0")).await?;
    browser
        .until("return document.querySelector('[data-plan]').textContent.includes('between 1 and')")
        .await?;
    assert_eq!(
        browser.script("return document.activeElement.value").await?,
        json!("0"),
        "what is typed stays"
    );
    browser.press(format!("{BACKSPACE}2")).await?;
    browser
        .until("return document.querySelector('[data-plan]').textContent.includes('Would let 2 clips go')")
        .await?;
    browser.press(ENTER).await?;
    browser.until("return document.activeElement?.hasAttribute('data-no')").await?;
    // The focus stays inside, letters do nothing, and Escape leaves everything as it is.
    browser.press(format!("{TAB}{TAB}{TAB}h")).await?;
    assert_eq!(
        browser
            .script("return document.querySelector('[data-question]').contains(document.activeElement)")
            .await?,
        json!(true)
    );
    assert!(browser.script("return location.hash").await? == json!("#/settings"));
    browser.press(ESCAPE).await?;
    browser.until("return !document.querySelector('[data-question]')").await?;
    assert_eq!(
        browser
            .script("return [document.activeElement.dataset.setting, document.activeElement.value]")
            .await?,
        json!(["limits.clips", "2"]),
        "the focus is where it was, with what was typed"
    );
    assert_eq!(heads(&service).len(), 5);
    // The safe answer is the one that Enter gives.
    browser.press(ENTER).await?;
    browser.until("return document.activeElement?.hasAttribute('data-no')").await?;
    browser.press(ENTER).await?;
    browser.until("return !document.querySelector('[data-question]')").await?;
    assert_eq!(heads(&service).len(), 5);
    browser.press(ENTER).await?;
    browser.until("return document.activeElement?.hasAttribute('data-no')").await?;
    browser.press(format!("{TAB}{ENTER}")).await?;
    until("two to have gone", || (heads(&service) == ["fifth", "fourth", "first"]).then_some(()));
    browser.until("return document.querySelector('[data-setting=\"limits.clips\"]').value === '2'").await?;
    assert!(std::fs::read_to_string(service.home().join("config.toml"))?.contains("clips = 2"));
    Ok(())
}

#[tokio::test]
async fn clearing_asks_says_what_goes_and_is_taken_back() -> Result<()> {
    let service = Service::without_desk();
    let ids = service.add(&["https://huts.example/1", "oats", "https://huts.example/2"]);
    service.yadori(&["pin", &ids[2]]);
    let browser = opened(&service).await?;
    tab_to(&browser, "[data-kind]").await?;
    browser.press("l").await?;
    tab_to(&browser, "[data-clear-now]").await?;
    browser.press(ENTER).await?;
    browser.until("return document.activeElement?.hasAttribute('data-no')").await?;
    let words = browser.script("return document.querySelector('[data-question]').textContent").await?;
    let words = words.as_str().unwrap_or_default();
    assert!(
        words.contains("Clear 1 clip?")
            && words.contains("1 favorite stay")
            && words.contains("huts.example/1"),
        "{words}"
    );
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    // Another copy of the kind comes while it is asked: it stays.
    service.add(&["https://huts.example/3"]);
    browser.press(format!("{TAB}{ENTER}")).await?;
    until("it to be cleared", || {
        (heads(&service) == ["https://huts.example/3", "https://huts.example/2", "oats"]).then_some(())
    });
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('Cleared 1 clip')")
        .await?;
    browser.until("return document.activeElement?.hasAttribute('data-clear-now')").await?;
    browser.script("[...document.querySelectorAll('[data-toast] button')].find((one) => one.textContent.includes('Undo')).click()").await?;
    until("it to be back", || (heads(&service).len() == 4).then_some(()));
    Ok(())
}

#[tokio::test]
async fn orders_rules_and_secrets_are_made_tried_and_removed() -> Result<()> {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    service.add(&["oats"]);
    let browser = opened(&service).await?;
    tab_to(&browser, "[data-order-on]").await?;
    browser.press(format!("daily 25:00{ENTER}")).await?;
    browser
        .until("return document.querySelector('[data-toast]')?.textContent.includes('daily 18:30')")
        .await?;
    assert_eq!(
        browser.script("return document.querySelector('[data-order-on]').value").await?,
        json!("daily 25:00"),
        "what was typed stays"
    );
    browser.press(format!("{CTRL}a{NULL}daily 04:00{ENTER}")).await?;
    browser.until("return document.querySelector('[data-orders] li')?.textContent.includes('next')").await?;
    tab_to(&browser, "[data-rule=content]").await?;
    browser.press(format!("meadow{ENTER}")).await?;
    browser
        .until("return document.querySelector('[data-rules] ol')?.textContent.includes('/meadow/')")
        .await?;
    // It is changed in its place; what stood in the form meanwhile comes back.
    browser.press(format!("{SHIFT}{TAB}{TAB}{TAB}{NULL}half typed")).await?;
    browser.until("return document.activeElement.dataset.rule === 'program' && document.activeElement.value === 'half typed'").await?;
    browser.press(format!("{SHIFT}{TAB}{TAB}{NULL}")).await?;
    browser.until("return document.activeElement.ariaLabel === 'Change rule 1'").await?;
    browser.press(ENTER).await?;
    browser
        .until(
            "return document.activeElement.dataset.rule === 'program' && document.activeElement.value === ''",
        )
        .await?;
    browser.press(format!("{TAB}{TAB}{TAB}{CTRL}a{NULL}mead{ENTER}")).await?;
    browser.until("return document.querySelector('[data-rules] ol')?.textContent.includes('/mead/')").await?;
    browser.until("return document.querySelector('[data-rule=program]').value === 'half typed'").await?;
    assert_eq!(
        browser.script("return document.querySelectorAll('[data-rules] ol li').length").await?,
        json!(1)
    );
    tab_to(&browser, "[data-try-text]").await?;
    browser.press("down in the Meadow").await?;
    browser.until("return document.querySelector('[data-tried]')?.textContent.includes('Rule 1 decides: it would not be recorded')").await?;
    let owner = Owner::on(&display);
    owner.copy_text("the meadow of the north");
    until("the rule to have decided", || {
        service.yadori(&["rules"]).contains("once since the start").then_some(())
    });
    // A secret: masked, told when it ends, pinned only after a question.
    let token = format!("ghp_{}", "Ab3".repeat(12));
    display.copy_text(&token);
    browser.press(format!("{SHIFT}{TAB}{NULL}")).await?;
    browser.script("document.activeElement.blur(); location.hash = '#/history'").await?;
    browser
        .until("return document.querySelector('[data-row]')?.textContent.includes('in memory alone until')")
        .await?;
    let shown = browser.script("return document.body.textContent").await?;
    assert!(!shown.as_str().unwrap_or_default().contains(&token));
    browser.script("document.getElementById('list').focus()").await?;
    browser.press("\u{e011}p").await?;
    browser
        .until("return document.querySelector('[data-question]')?.textContent.includes('Pin a secret')")
        .await?;
    browser.press(ENTER).await?;
    browser.until("return !document.querySelector('[data-question]')").await?;
    assert!(service.list(1)[0].kept.is_none());
    browser.press("p").await?;
    browser.until("return document.activeElement?.hasAttribute('data-no')").await?;
    browser.press(format!("{TAB}{ENTER}")).await?;
    until("it to be pinned", || {
        service.list(2).iter().any(|row| row.kept.is_some() && row.until.is_none()).then_some(())
    });
    Ok(())
}

/// Clicks what this selector names.
async fn press(browser: &Browser, selector: &str) -> Result<()> {
    browser.until(&format!("return document.querySelector({selector:?})")).await?;
    browser.driver.find(By::Css(selector)).await?.click().await?;
    Ok(())
}

const GROUND: &str = "return getComputedStyle(document.body).backgroundColor";

#[tokio::test]
async fn the_console_is_light_or_dark_and_counts_hours_as_the_settings_say_at_once() -> Result<()> {
    let service = Service::without_desk();
    service.add(&["oats 12 kg"]);
    let browser = opened(&service).await?;
    browser.dark(true).await?;
    let dark = browser.script(GROUND).await?;
    browser.dark(false).await?;
    let light = browser.script(GROUND).await?;
    assert_ne!(dark, light);
    let is = async |ground: &serde_json::Value| browser.until(&format!("{GROUND} === {ground}")).await;
    press(&browser, "[data-setting='look.theme']").await?;
    browser.press(format!("{CTRL}a{NULL}green{ENTER}")).await?;
    browser.until("return document.body.textContent.includes('it must be system, light or dark')").await?;
    assert_eq!(browser.script("return document.activeElement.value").await?, json!("green"));
    browser.press(format!("{CTRL}a{NULL}dark{ENTER}")).await?;
    is(&dark).await?;
    // The same when it is opened anew, before anything is asked of the service.
    browser.driver.refresh().await?;
    browser.until("return document.documentElement.dataset.theme === 'lodge-night'").await?;
    is(&dark).await?;
    service.yadori(&["settings", "set", "look.theme", "light"]);
    is(&light).await?;
    browser.dark(true).await?;
    is(&light).await?;
    // What is being typed stays while it changes.
    browser.until("return document.querySelector(\"[data-setting='look.hours']\")").await?;
    press(&browser, "[data-setting='look.hours']").await?;
    browser.press(format!("{CTRL}a{NULL}1")).await?;
    service.yadori(&["settings", "set", "look.theme", "system"]);
    is(&dark).await?;
    browser.press(format!("2{ENTER}")).await?;
    until("the setting", || {
        service.yadori(&["settings"]).contains("look.hours          12  (set)").then_some(())
    });
    press(&browser, "nav a[href='#/history']").await?;
    browser
        .until("return /\\d:\\d\\d [AP]M/i.test(document.querySelector('[data-row]')?.textContent)")
        .await?;
    service.yadori(&["settings", "set", "look.hours", "24"]);
    browser.until("return !/[AP]M/i.test(document.querySelector('[data-row]')?.textContent)").await?;
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    Ok(())
}

/// Listens to what the page plays: the loudest that it has heard, from 0 to 1.
const LISTEN: &str = "\
    const connect = AudioNode.prototype.connect; window.loudest = 0; \
    AudioNode.prototype.connect = function (to, ...rest) { \
        if (to instanceof AudioDestinationNode) { \
            const ear = new AnalyserNode(to.context, { fftSize: 32768 }); \
            const heard = new Float32Array(32768); \
            connect.call(this, ear); \
            const listen = () => { ear.getFloatTimeDomainData(heard); \
                heard.forEach((one) => { window.loudest = Math.max(window.loudest, Math.abs(one)); }); \
                setTimeout(listen, 20); }; \
            listen(); \
        } \
        return connect.call(this, to, ...rest); }";

#[tokio::test]
async fn a_copy_is_heard_where_that_is_wished() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let owner = Owner::on(&display);
    owner.copy_text("before");
    service.await_clip("before");
    let browser = opened(&service).await?;
    browser.script(LISTEN).await?;
    owner.copy_text("in silence");
    service.await_clip("in silence");
    assert_eq!(browser.script("return window.loudest").await?, json!(0));
    // It is heard as it is chosen, and then at a copy.
    press(&browser, "[data-sound]").await?;
    let heard = "return window.loudest > 0.05 && window.loudest < 0.4";
    browser.until(heard).await?;
    browser.until("return localStorage.getItem('yadori.prefs').includes('\"sound\":true')").await?;
    browser.until("window.loudest = 0; return new Promise((done) => setTimeout(() => done(window.loudest === 0), 100))").await?;
    owner.copy_text("a gust from the north");
    browser.until(heard).await?;
    browser.press(" ").await?;
    browser.until("return localStorage.getItem('yadori.prefs').includes('\"sound\":false')").await?;
    Ok(())
}

#[tokio::test]
async fn whether_it_starts_with_the_desktop_is_seen_and_changed_on_the_page() -> Result<()> {
    let person = tempfile::tempdir()?;
    let folder = person.path().join("autostart");
    let config = person.path().to_string_lossy().into_owned();
    let service = Service::configured_among(
        "",
        &[("XDG_CONFIG_HOME", &config), ("XDG_RUNTIME_DIR", &config), ("XDG_CURRENT_DESKTOP", "")],
    );
    service.add(&["oats 12 kg"]);
    let browser = opened(&service).await?;
    let says = async |words: &str| {
        let said =
            format!("return document.querySelector('[data-autostart]')?.textContent.includes({words:?})");
        browser.until(&said).await
    };
    says("it does not").await?;
    press(&browser, "#autostart").await?;
    let entry = folder.join("yadorid.desktop");
    says(&entry.to_string_lossy()).await?;
    let text = std::fs::read_to_string(&entry)?;
    assert!(text.contains("yadorid") && text.contains(&*service.home().to_string_lossy()), "{text}");
    browser
        .until("return document.activeElement?.id === 'autostart' && document.activeElement.checked")
        .await?;
    browser.press(" ").await?;
    says("it does not").await?;
    assert!(!entry.exists());
    // What somebody else has put there is left alone, and that is said.
    std::fs::write(&entry, "[Desktop Entry]\nExec=own\n")?;
    browser.driver.refresh().await?;
    says(&entry.to_string_lossy()).await?;
    press(&browser, "#autostart").await?;
    browser.until("return document.body.textContent.includes('was not written by')").await?;
    browser.until("return document.querySelector('#autostart').checked").await?;
    assert_eq!(std::fs::read_to_string(&entry)?, "[Desktop Entry]\nExec=own\n");
    Ok(())
}

#[tokio::test]
async fn the_history_is_shown_as_the_settings_say_in_every_window() -> Result<()> {
    let service = Service::without_desk();
    for n in 0..9 {
        service.yadori(&["add", &format!("bunk {n}")]);
    }
    let browser = opened(&service).await?;
    // By keys, on the page.
    press(&browser, "[data-setting='look.order']").await?;
    browser.press(format!("{CTRL}a{NULL}oldest{ENTER}")).await?;
    until("the order in the file", || {
        let file = std::fs::read_to_string(service.home().join("config.toml")).ok()?;
        file.contains("order = \"oldest\"").then_some(())
    });
    let first = |bunk: u32, of: usize| {
        format!(
            "return document.querySelector('[role=treegrid]')?.ariaRowCount === '{of}' && \
             document.querySelector('[aria-posinset=\"1\"] [data-summary]')?.textContent === 'bunk {bunk}'"
        )
    };
    browser.script("location.hash = '#/'").await?;
    browser.until(&first(0, 9)).await?;
    // From elsewhere, at once.
    service.yadori(&["settings", "set", "look.shown", "4"]);
    browser.until(&first(5, 4)).await?;
    // This window shows it otherwise; another one begins as the settings say.
    press(&browser, "[data-order]").await?;
    browser.until(&first(8, 4)).await?;
    let other = Browser::console(&service).await?;
    other.until(&first(5, 4)).await?;
    service.yadori(&["settings", "set", "look.shown", "all"]);
    browser.until(&first(8, 9)).await?;
    other.until(&first(0, 9)).await?;
    // What comes stands at the end there, and what is copied again goes to it.
    let last = |bunk: u32, of: usize| {
        format!(
            "return document.querySelector('[aria-posinset=\"{of}\"] [data-summary]')?.textContent === 'bunk {bunk}'"
        )
    };
    for (bunk, of) in [(9, 10), (0, 10)] {
        service.yadori(&["add", &format!("bunk {bunk}")]);
        other.until(&last(bunk, of)).await?;
    }
    other.until(&first(1, 10)).await?;
    service.yadori(&["remove", "1"]);
    other.until(&last(9, 9)).await?;
    assert_eq!(other.errors().await?, Vec::<String>::new());
    for (value, words) in [("0", "1 on"), ("-3", "1 on"), ("some", "must be all")] {
        let refused = service.client(&["settings", "set", "look.shown", "--", value]);
        let said = String::from_utf8_lossy(&refused.stderr).into_owned();
        assert!(!refused.status.success() && said.contains(words), "{said}");
    }
    Ok(())
}
