//! A form in a browser's window on a display, to be filled by chords.

use anyhow::Result;

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
        display.run("openbox", &[]);
        let keyboard = Keyboard::of(&display)?;
        until("the window manager", || keyboard.has_manager().ok()?.then_some(()));
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
            let last = format!(
                "return document.getElementById('f{}').value === {:?}",
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
