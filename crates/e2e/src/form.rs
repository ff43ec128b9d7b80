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
        let mut display = Display::start();
        display.run("openbox", &[]);
        let keyboard = Keyboard::of(&display)?;
        until("the window manager", || keyboard.has_manager().ok()?.then_some(()));
        let service = Service::on(&display.name());
        let browser = Browser::start(Some(&display.name())).await?;
        let inputs: String = (0..fields).map(|n| format!("<input id=f{n}>")).collect();
        browser.driver.goto(format!("data:text/html,<title>form</title>{inputs}")).await?;
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
