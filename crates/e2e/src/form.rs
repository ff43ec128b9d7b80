//! A form in a browser's window on a display, to be filled by chords.

use std::time::{Duration, Instant};

use anyhow::{Context, Result};

use crate::keyboard::Keyboard;
use crate::{Browser, Display, Service, until};

/// A form, a service that hears chords, and a person's keyboard.
#[derive(Debug)]
pub struct Form {
    /// The service.
    pub service: Service,
    /// The browser with the form.
    pub browser: Browser,
    /// What the person presses.
    pub keyboard: Keyboard,
    /// The display that all of it is on.
    pub display: Display,
}

impl Form {
    /// Opens a form with so many fields in a window in front, the cursor in the first.
    pub async fn open(fields: usize) -> Result<Self> {
        Self::with_settings(fields, "").await
    }

    /// The same, with this configuration of the service.
    pub async fn with_settings(fields: usize, configuration: &str) -> Result<Self> {
        let mut display = Display::start();
        let keyboard = Keyboard::managed(&mut display)?;
        let browser = Browser::start(Some(&display.name())).await?;
        let service = Service::configured_on(&display.name(), configuration);
        let inputs: String = (0..fields).map(|n| format!("<input id=f{n}>")).collect();
        browser
            .driver
            .goto(format!("data:text/html,<title>form</title>{inputs}<button>Send</button>"))
            .await?;
        let form = Self { service, browser, keyboard, display };
        form.front()?;
        form.browser.script("document.getElementById('f0').focus()").await?;
        Ok(form)
    }

    /// One field, and the browser of a person at work, which runs already: the picker is its page, in a window of its own.
    pub async fn with_picker_page() -> Result<(Self, tempfile::TempDir)> {
        let profile = tempfile::Builder::new().prefix("yadori-browser-").tempdir()?;
        let data = format!("--user-data-dir={}", profile.path().display());
        let words =
            format!("'chromium', '--no-sandbox', '{data}', '--app={{page}}', '--window-size=760,620'");
        let mut form = Self::with_settings(1, &format!("[picker]\ncommand = [{words}]\n")).await?;
        let usual = ["--no-sandbox", "--disable-gpu", "--no-first-run", "--disable-dev-shm-usage", &data];
        form.display.run("chromium", &[&usual[..], &["data:text/html,<title>at work</title>"]].concat());
        form.keyboard.focus("the browser", |window| window.title.starts_with("at work"))?;
        form.front()?;
        Ok((form, profile))
    }

    /// True while a picker is open, in either form.
    pub fn picker_is_open(&self) -> bool {
        let is_picker = |title: &str| title == "Yadori" || title.contains("Picker");
        self.keyboard.windows().is_ok_and(|all| all.iter().any(|window| is_picker(&window.title)))
    }

    /// Opens the picker by its chord and types these letters, fifteen a second from the instant of the chord, then presses
    /// keys. What is wanted stands in the field then, and nothing else.
    ///
    /// # Errors
    /// Something else stands there.
    pub async fn picks(&self, letters: &str, keys: &[&str], wanted: &str) -> Result<()> {
        self.front()?;
        let began = Instant::now();
        self.keyboard.press("ctrl+alt+y")?;
        for (n, letter) in (0u32..).zip(letters.chars()) {
            let at = Duration::from_secs(1) * n / 15;
            until("the next key", || (began.elapsed() >= at).then_some(()));
            self.keyboard.press(&if letter == ' ' { "space".to_owned() } else { letter.to_string() })?;
        }
        for key in keys {
            self.keyboard.press(key)?;
        }
        self.holds(wanted).await?;
        until("the picker to close", || (!self.picker_is_open()).then_some(()));
        Ok(())
    }

    /// So many runs of [`Form::picks`], with letters that find one clip among many.
    ///
    /// # Errors
    /// A key went astray in one of them.
    pub async fn picks_often(&self, runs: usize) -> Result<()> {
        let words = ["kestrel", "stone ford", "oats", "gas bottle", "bunks", "ridge path", "larch"];
        let texts: Vec<String> =
            words.iter().flat_map(|word| (0..5).map(move |n| format!("{word} number {n}"))).collect();
        self.service.add(&texts.iter().map(String::as_str).collect::<Vec<_>>());
        for run in 0..runs {
            let (word, n) = (words[run * 3 % words.len()], run % 5);
            // Some are found by their words, some by keys that move.
            let (letters, keys) = match run % 3 {
                0 => (format!("{word} number {n}"), vec!["Return"]),
                1 => (word.to_owned(), [vec!["Down"; 4 - n], vec!["Return"]].concat()),
                _ => (format!("{n} {word}"), vec!["Return"]),
            };
            let wanted = format!("{word} number {n}");
            self.picks(&letters, &keys, &wanted).await.with_context(|| format!("in run {run}: {letters}"))?;
        }
        anyhow::ensure!(self.keyboard.keys_down()? == 0, "keys are still down");
        Ok(())
    }

    /// Brings it to the front.
    pub fn front(&self) -> Result<()> {
        self.keyboard.focus("the form", |window| window.title.starts_with("form"))?;
        Ok(())
    }

    /// What stands in the fields.
    pub async fn values(&self) -> Result<Vec<String>> {
        let found = self
            .browser
            .script("return [...document.querySelectorAll('input')].map((one) => one.value)")
            .await?;
        Ok(serde_json::from_value(found)?)
    }

    /// Fills so many fields by one chord, a press for each, as often as is wanted: of a batch that presses Tab after each item.
    ///
    /// # Errors
    /// Something else stands in a field.
    pub async fn fill_by_chord(&self, fields: usize, times: usize) -> Result<()> {
        let texts: Vec<String> =
            (1..=fields).map(|n| format!("field {n}: Hütte №{n} “{}”", n * 37)).collect();
        let text = texts.join("\n");
        self.service.yadori(&["batch", "new", "--text", &text, "--split", "lines", "--after", "tab"]);
        for time in 0..times {
            let empty = "for (const one of document.querySelectorAll('input')) one.value = ''; document.getElementById('f0').focus()";
            self.browser.script(empty).await?;
            self.service.yadori(&["batch", "again"]);
            for _ in 0..fields {
                self.keyboard.press("ctrl+alt+n")?;
            }
            // The Tab behind the last item has come as well: it must not move on from what is focused next.
            let last = format!(
                "const last = document.getElementById('f{}'); return last.value === {:?} && document.activeElement !== last",
                fields - 1,
                texts[fields - 1]
            );
            let there = self.browser.until(&last).await;
            let values = self.values().await?;
            let hitch = self.service.status().and_then(|status| status.hitch);
            anyhow::ensure!(
                there.is_ok() && values == texts,
                "in turn {time} the fields hold {values:?}; {hitch:?}"
            );
        }
        Ok(())
    }

    /// Waits until the first field holds this, and empties it.
    pub async fn holds(&self, wanted: &str) -> Result<()> {
        let script = format!(
            "const one = document.getElementById('f0'); if (one.value !== {wanted:?}) return null; one.value = ''; return true"
        );
        if self.browser.until(&script).await.is_err() {
            anyhow::bail!(
                "{wanted:?} was wanted, and this is there: {:?}; {:?}",
                self.values().await?,
                self.service.status().and_then(|status| status.hitch)
            );
        }
        Ok(())
    }
}
