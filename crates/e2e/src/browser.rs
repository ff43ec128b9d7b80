//! A real Chromium, driven by WebDriver: headless, or with a window on a display.

use std::process::{Child, Command, Stdio};
use std::time::Duration;

use anyhow::{Context, Result};
use serde_json::{Value, json};
use tempfile::TempDir;
use thirtyfour::prelude::*;

use crate::until;

/// A browser of its own. Ends with its driver when dropped.
#[derive(Debug)]
pub struct Browser {
    /// The session.
    pub driver: WebDriver,
    chromedriver: Child,
    profile: TempDir,
}

/// The console's pages, as the fragment of its address names them.
pub const PAGES: [&str; 11] = [
    "history",
    "favorites",
    "drawers",
    "batches",
    "hand",
    "pick",
    "insight",
    "acts",
    "devices",
    "settings",
    "help",
];

impl Browser {
    /// Starts a browser: with a window when a display is given, headless otherwise.
    pub async fn start(display: Option<&str>) -> Result<Self> {
        Self::start_as(display, None).await
    }

    /// The same without a window, with a home of its own: it trusts those authorities alone that stand there.
    pub async fn at_home(home: &std::path::Path) -> Result<Self> {
        Self::start_as(None, Some(home)).await
    }

    async fn start_as(display: Option<&str>, home: Option<&std::path::Path>) -> Result<Self> {
        // The port is free a moment ago; nobody else on this machine hurries to take it.
        let port = std::net::TcpListener::bind("127.0.0.1:0")?.local_addr()?.port();
        let mut command = Command::new("chromedriver");
        command
            .arg(format!("--port={port}"))
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::null());
        match display {
            Some(display) => command.env("DISPLAY", display),
            None => command.env_remove("DISPLAY"),
        };
        if let Some(home) = home {
            command.env("HOME", home);
        }
        let chromedriver = command.spawn()?;
        until("chromedriver", || std::net::TcpStream::connect(("127.0.0.1", port)).ok());
        let profile = tempfile::Builder::new().prefix("yadori-browser-").tempdir()?;
        let mut wishes = DesiredCapabilities::chrome();
        let data = format!("--user-data-dir={}", profile.path().display());
        let mut flags = vec![
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--window-size=1280,800",
            "--disable-dev-shm-usage",
            &data,
        ];
        if display.is_none() {
            flags.push("--headless");
        }
        for flag in flags {
            wishes.add_arg(flag)?;
        }
        // Nobody vouches for what the tests serve over TLS, unless that is what is tested.
        wishes.set("acceptInsecureCerts", home.is_none())?;
        wishes.set("goog:loggingPrefs", json!({ "browser": "ALL" }))?;
        let driver = WebDriver::new(format!("http://127.0.0.1:{port}"), wishes).await?;
        let browser = Self { driver, chromedriver, profile };
        // Errors of scripts, of the console and of the page's policy, from the first moment of every page.
        let gather = "window.__errors = []; const push = (text) => window.__errors.push(String(text)); \
            /* Delivered with the next frame: by design of ResizeObserver, no mistake. */ \
            const isLoop = (text) => String(text).includes('ResizeObserver loop'); \
            const before = console.error; console.error = (...parts) => { push(parts.join(' ')); before(...parts); }; \
            addEventListener('error', (event) => isLoop(event.message) || push(event.message)); \
            addEventListener('unhandledrejection', (event) => push(event.reason)); \
            addEventListener('securitypolicyviolation', (event) => push('policy: ' + event.violatedDirective + ' ' + event.blockedURI));";
        browser.cdp("Page.enable", json!({})).await?;
        browser.cdp("Page.addScriptToEvaluateOnNewDocument", json!({ "source": gather })).await?;
        if display.is_none() {
            browser.size(1280, 800, false).await?;
        }
        Ok(browser)
    }

    /// A browser signed in to a service, its console open and past the first start.
    pub async fn console(service: &crate::Service) -> Result<Self> {
        Self::console_on(service, None).await
    }

    /// The same, with a window when a display is given.
    pub async fn console_on(service: &crate::Service, display: Option<&str>) -> Result<Self> {
        let browser = Self::start(display).await?;
        browser.enter(service).await?;
        Ok(browser)
    }

    /// Signs in, and passes the first start.
    pub async fn enter(&self, service: &crate::Service) -> Result<()> {
        self.driver.goto(service.sign_in_link()).await?;
        self.until("return document.querySelector('#list[aria-busy=false]')").await?;
        self.script(
            "[...document.querySelectorAll('[data-welcome] button')].find((one) => one.textContent === 'Skip')?.click()",
        )
        .await?;
        self.until("return !document.querySelector('[data-welcome]')").await?;
        Ok(())
    }

    /// What has the focus: the id of its clip when it is a row, its name otherwise.
    pub async fn focus(&self) -> Result<String> {
        let found = self
            .script(
                "const at = document.activeElement; return at === document.body ? 'nothing' : at.dataset.id ?? \
                 (at.id || at.ariaLabel || at.textContent.trim().slice(0, 40))",
            )
            .await?;
        Ok(found.as_str().unwrap_or_default().to_owned())
    }

    /// Words of a row, by what the accessibility tree calls it.
    pub async fn name_of_focus(&self) -> Result<String> {
        let found = self.script("return document.activeElement.ariaLabel ?? ''").await?;
        Ok(found.as_str().unwrap_or_default().to_owned())
    }

    /// The page's size in pixels, and whether it is a telephone's.
    pub async fn size(&self, width: u32, height: u32, mobile: bool) -> Result<()> {
        let wish = json!({ "width": width, "height": height, "deviceScaleFactor": 1, "mobile": mobile });
        self.cdp("Emulation.setDeviceMetricsOverride", wish).await?;
        Ok(())
    }

    /// Whether the person prefers a dark page. Motion is asked to be still, so that pictures and checks see what stays.
    pub async fn dark(&self, dark: bool) -> Result<()> {
        let value = if dark { "dark" } else { "light" };
        self.cdp(
            "Emulation.setEmulatedMedia",
            json!({ "features": [
            { "name": "prefers-color-scheme", "value": value },
            { "name": "prefers-reduced-motion", "value": "reduce" },
        ] }),
        )
        .await?;
        Ok(())
    }

    /// Whether one uses a finger: what is touched must be large enough for it.
    pub async fn touch(&self, touch: bool) -> Result<()> {
        self.cdp("Emulation.setTouchEmulationEnabled", json!({ "enabled": touch })).await?;
        Ok(())
    }

    /// Taps on what a selector finds, in its middle.
    pub async fn tap(&self, selector: &str) -> Result<()> {
        let script = format!(
            "const one = document.querySelector({selector:?}); one?.scrollIntoView({{ block: 'nearest' }}); \
             const box = one?.getBoundingClientRect(); return box && box.width ? [box.x + box.width / 2, box.y + box.height / 2] : null"
        );
        let at = self.until(&script).await?;
        let points = json!([{ "x": at[0], "y": at[1] }]);
        self.cdp("Input.dispatchTouchEvent", json!({ "type": "touchStart", "touchPoints": points })).await?;
        self.cdp("Input.dispatchTouchEvent", json!({ "type": "touchEnd", "touchPoints": [] })).await?;
        Ok(())
    }

    /// A command of the browser's own protocol.
    pub async fn cdp(&self, name: &str, parameters: Value) -> Result<Value> {
        Ok(self.driver.cdp().send_raw(name, parameters).await?)
    }

    /// Seconds that the page's main thread has worked since `Performance.enable`.
    pub async fn worked(&self) -> Result<f64> {
        let found = self.cdp("Performance.getMetrics", json!({})).await?;
        let all = found["metrics"].as_array().map(Vec::as_slice).unwrap_or_default();
        let task = all.iter().find(|one| one["name"] == json!("TaskDuration"));
        task.and_then(|one| one["value"].as_f64()).context("TaskDuration")
    }

    /// What a script gives back.
    pub async fn script(&self, script: &str) -> Result<Value> {
        Ok(self.driver.execute(script, Vec::new()).await?.json().clone())
    }

    /// Waits until a script gives back something true.
    pub async fn until(&self, script: &str) -> Result<Value> {
        let end = std::time::Instant::now() + crate::PATIENCE;
        loop {
            let found = self.script(script).await?;
            let truthy =
                !matches!(found, Value::Null | Value::Bool(false)) && found != json!("") && found != json!(0);
            if truthy {
                return Ok(found);
            }
            anyhow::ensure!(
                std::time::Instant::now() < end,
                "did not come about: {script}\n{}",
                self.driver.source().await?
            );
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
    }

    /// Waits until the buttons of the unfolded clip have been where they are for longer than a person needs to see them there: a
    /// press on one that has just moved does nothing.
    pub async fn at_rest(&self) -> Result<()> {
        let script = "const box = document.querySelector('[aria-expanded=true] [aria-label=\"What can be done\"]').getBoundingClientRect(), at = [box.top, box.height].join(); \
            if (window.__at !== at) { window.__at = at; window.__since = performance.now(); } return performance.now() - window.__since > 350";
        self.until(script).await?;
        Ok(())
    }

    /// What axe-core finds wrong with the page: all of its rules, best practices included.
    pub async fn faults(&self) -> Result<Vec<String>> {
        let path = concat!(env!("CARGO_MANIFEST_DIR"), "/../../console/node_modules/axe-core/axe.min.js");
        let axe = std::fs::read_to_string(path)?;
        self.cdp("Page.setBypassCSP", json!({ "enabled": true })).await?;
        self.script(&format!("if (!window.axe) {{ {axe} }}")).await?;
        let found = self
            .driver
            .execute_async(
                "const done = arguments[0]; axe.run(document, { resultTypes: ['violations'] }).then((all) => \
                 done(all.violations.map((one) => one.id + ': ' + one.nodes.map((node) => node.html.slice(0, 200)).join(' | '))))",
                Vec::new(),
            )
            .await?;
        Ok(serde_json::from_value(found.json().clone())?)
    }

    /// Presses keys where the focus is.
    pub async fn press(&self, keys: impl AsRef<str>) -> Result<()> {
        self.driver.active_element().await?.send_keys(keys.as_ref()).await?;
        Ok(())
    }

    /// What the page wrote to its console at the level of errors.
    pub async fn errors(&self) -> Result<Vec<String>> {
        let text = self.script("return JSON.stringify(window.__errors ?? [])").await?;
        Ok(serde_json::from_str(text.as_str().unwrap_or("[]"))?)
    }

    /// A picture of the page as PNG.
    pub async fn picture(&self, path: &std::path::Path) -> Result<()> {
        Ok(self.driver.screenshot(path).await?)
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        // The session is not asked to end, since nobody may answer: chromedriver and its browser are ended instead, so
        // that a failed test leaves neither behind, nor the browser's profile.
        let _ = self.driver.clone().leak();
        let parent = self.chromedriver.id().to_string();
        let found =
            Command::new("pgrep").args(["-P", &parent]).output().map(|done| done.stdout).unwrap_or_default();
        let browsers: Vec<String> =
            String::from_utf8_lossy(&found).split_whitespace().map(str::to_owned).collect();
        let _ = Command::new("kill").arg("-TERM").args(&browsers).stderr(Stdio::null()).status();
        let end = std::time::Instant::now() + Duration::from_secs(5);
        let runs = |pid: &String| {
            std::fs::read_to_string(format!("/proc/{pid}/stat")).is_ok_and(|stat| !stat.contains(") Z "))
        };
        while browsers.iter().any(runs) && std::time::Instant::now() < end {
            std::thread::yield_now();
        }
        let _ = Command::new("kill").arg("-KILL").args(&browsers).stderr(Stdio::null()).status();
        let _ = self.chromedriver.kill();
        let _ = self.chromedriver.wait();
        // Helpers of the browser may still be writing there.
        while std::fs::remove_dir_all(self.profile.path()).is_err()
            && self.profile.path().exists()
            && std::time::Instant::now() < end
        {
            std::thread::yield_now();
        }
    }
}
