//! A headless browser with a driver of its own.

use crate::cdp::{Cdp, TakeLog};
use anyhow::{Context, Result, bail};
use fantoccini::actions::{InputSource, KeyAction, KeyActions};
use fantoccini::elements::Element;
use fantoccini::wd::Capabilities;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use nix::sys::signal::{Signal, killpg};
use nix::unistd::Pid;
use serde_json::{Value, json};
use std::process::Stdio;
use std::time::Duration;
use tempfile::TempDir;
use tokio::io::{AsyncBufReadExt, BufReader};
use tokio::process::{Child, Command};

/// Width and height of a window, CSS pixels.
pub type Size = (u32, u32);
/// An old laptop.
pub const DESK: Size = (1280, 800);
/// A phone.
pub const PHONE: Size = (390, 844);

/// How long anything on the page is waited for.
const PATIENCE: Duration = Duration::from_secs(25);
/// How often a driver is started again that ended at once.
const STARTS: usize = 4;

/// A browser and its driver; both end with it.
pub struct Browser {
    /// The session.
    pub client: Client,
    driver: Child,
    _profile: TempDir,
}

impl Browser {
    /// Starts a browser of `size`, with reduced motion.
    ///
    /// # Errors
    /// Where Debian's chromium or chromium-driver is not there, or does not start.
    pub async fn start(size: Size) -> Result<Self> {
        let mut started = Self::driver().await;
        // The port that a driver finds free may be taken by another process before it listens on
        // it.
        for _ in 0..STARTS {
            if started.is_ok() {
                break;
            }
            tokio::time::sleep(Duration::from_millis(200)).await;
            started = Self::driver().await;
        }
        let (driver, port) = started?;
        let profile = tempfile::tempdir()?;
        let client = ClientBuilder::new(HttpConnector::new())
            .capabilities(capabilities(&profile.path().display().to_string()))
            .connect(&format!("http://127.0.0.1:{port}"))
            .await?;
        let browser = Self {
            client,
            driver,
            _profile: profile,
        };
        browser.resize(size).await?;
        browser.motion(false).await?;
        Ok(browser)
    }

    /// A running driver, and the port that it listens on.
    async fn driver() -> Result<(Child, u16)> {
        // A process group of its own, killed with this process even when that is killed.
        let mut driver = Command::new("setpriv")
            .args(["--pdeathsig", "KILL", "chromedriver", "--port=0"])
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .process_group(0)
            .kill_on_drop(true)
            .spawn()
            .context("chromedriver does not start; `cargo xtask test` installs it")?;
        let mut lines =
            BufReader::new(driver.stdout.take().context("the driver's output")?).lines();
        let port = loop {
            let line = lines
                .next_line()
                .await?
                .context("chromedriver ended before it told its port")?;
            if let Some((_, port)) = line.split_once("started successfully on port ") {
                break port.trim_end_matches('.').parse::<u16>().ok();
            }
        };
        let port = port.context("chromedriver told no port")?;
        tokio::spawn(async move { while let Ok(Some(_)) = lines.next_line().await {} });
        Ok((driver, port))
    }

    /// Whether the person wants motion; a browser starts without.
    ///
    /// # Errors
    /// Where the browser fails.
    pub async fn motion(&self, wanted: bool) -> Result<()> {
        let motion = if wanted { "no-preference" } else { "reduce" };
        let media = json!({"features": [{"name": "prefers-reduced-motion", "value": motion},
            {"name": "prefers-color-scheme", "value": "light"}]});
        self.cdp("Emulation.setEmulatedMedia", media).await
    }

    /// Shows the page as it is printed, on paper of a width in CSS pixels, 96 an inch.
    ///
    /// # Errors
    /// Where the browser fails.
    pub async fn on_paper(&self, width: u32) -> Result<()> {
        self.cdp("Emulation.setEmulatedMedia", json!({"media": "print"}))
            .await?;
        self.resize((width, 1000)).await
    }

    /// Sets the size of the page, which outlives navigation.
    ///
    /// # Errors
    /// Where the browser fails.
    pub async fn resize(&self, (width, height): Size) -> Result<()> {
        let size =
            json!({"width": width, "height": height, "deviceScaleFactor": 1, "mobile": false});
        self.cdp("Emulation.setDeviceMetricsOverride", size).await
    }

    async fn cdp(&self, command: &'static str, params: Value) -> Result<()> {
        self.client.issue_cmd(Cdp { command, params }).await?;
        Ok(())
    }

    /// Waits for an element.
    ///
    /// # Errors
    /// Where it does not come.
    pub async fn wait(&self, css: &str) -> Result<Element> {
        let found = self
            .client
            .wait()
            .at_most(PATIENCE)
            .for_element(Locator::Css(css))
            .await;
        found.with_context(|| format!("{css} does not come"))
    }

    /// The text of an element.
    ///
    /// # Errors
    /// Where it is not there.
    pub async fn text(&self, css: &str) -> Result<String> {
        loop {
            match self.wait(css).await?.text().await {
                // What is drawn anew between finding and reading is found again.
                Err(error) if error.is_stale_element_reference() => {}
                other => return Ok(other?),
            }
        }
    }

    /// Waits until the text of an element satisfies `good`, and tells it.
    ///
    /// # Errors
    /// With the last text, where it does not come to be.
    pub async fn text_until(&self, css: &str, good: impl Fn(&str) -> bool) -> Result<String> {
        let end = tokio::time::Instant::now() + PATIENCE;
        loop {
            let text = self.text(css).await?;
            if good(&text) {
                return Ok(text);
            }
            if tokio::time::Instant::now() > end {
                bail!("{css} stays at {text:?}");
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    /// Runs a script in the page and tells what it returns.
    ///
    /// # Errors
    /// Where the script fails.
    pub async fn run(&self, script: &str) -> Result<Value> {
        Ok(self.client.execute(script, Vec::new()).await?)
    }

    /// Runs an asynchronous script again and again until what it tells is `good`; tells that.
    ///
    /// # Errors
    /// Where it never is.
    pub async fn run_until(&self, script: &str, good: impl Fn(&Value) -> bool) -> Result<Value> {
        let end = tokio::time::Instant::now() + PATIENCE;
        loop {
            let told = self.run_async(script).await?;
            if good(&told) {
                return Ok(told);
            }
            if tokio::time::Instant::now() > end {
                bail!("the script stays at {told}");
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
    }

    /// Types a new number into a field, as a person does: all of the old one replaced.
    ///
    /// # Errors
    /// Where the field is not there.
    pub async fn fill(&self, css: &str, text: &str) -> Result<()> {
        self.click(css).await?;
        let field = self.wait(css).await?;
        self.run(&format!("document.querySelector({css:?}).select()"))
            .await?;
        field.send_keys(text).await?;
        Ok(())
    }

    /// Types into a field and presses Enter.
    ///
    /// # Errors
    /// Where the field is not there.
    pub async fn enter(&self, css: &str, text: &str) -> Result<()> {
        self.fill(css, &format!("{text}\u{e007}")).await
    }

    /// What a field holds.
    ///
    /// # Errors
    /// Where the field is not there.
    pub async fn value(&self, css: &str) -> Result<String> {
        loop {
            match self.wait(css).await?.prop("value").await {
                Err(error) if error.is_stale_element_reference() => {}
                other => return Ok(other?.unwrap_or_default()),
            }
        }
    }

    /// Waits until a field shows a text.
    ///
    /// # Errors
    /// With what it shows, where it does not come to.
    pub async fn shows(&self, css: &str, text: &str) -> Result<()> {
        let end = tokio::time::Instant::now() + PATIENCE;
        while self.value(css).await? != text {
            if tokio::time::Instant::now() > end {
                bail!("{css} shows {:?} and not {text:?}", self.value(css).await?);
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Ok(())
    }

    /// Clicks an element, brought into view first.
    ///
    /// # Errors
    /// Where it does not come, or cannot be clicked.
    pub async fn click(&self, css: &str) -> Result<()> {
        let end = tokio::time::Instant::now() + PATIENCE;
        loop {
            let found = self.wait(css).await?;
            self.at_rest(css).await?;
            match found.click().await {
                Ok(()) => return Ok(()),
                // What is drawn anew between looking and clicking is looked for again.
                Err(error)
                    if error.is_stale_element_reference() && tokio::time::Instant::now() < end => {}
                Err(error) => return Err(error.into()),
            }
        }
    }

    /// Brings an element into sight and waits until it rests there: a click goes to a place, and
    /// what is loaded above it may move it away in between.
    async fn at_rest(&self, css: &str) -> Result<()> {
        let script = r#"
            const [css, done] = arguments;
            const spot = () => {
              const it = document.querySelector(css);
              it?.scrollIntoView({ block: "center" });
              const at = it?.getBoundingClientRect();
              return at ? `${at.x} ${at.y} ${at.width}` : "";
            };
            let last = spot(), same = 0, looked = 0;
            const look = () => {
              const now = spot();
              same = now === last ? same + 1 : 0;
              last = now;
              if (same >= 3 || (looked += 1) > 100) done(null);
              else requestAnimationFrame(look);
            };
            requestAnimationFrame(look);
        "#;
        self.client.execute_async(script, vec![json!(css)]).await?;
        Ok(())
    }

    /// Waits until the page rests: nothing is asked of the server, nothing moves, and what is drawn
    /// has been the same for a dozen frames.
    ///
    /// # Errors
    /// Where it does not come to rest.
    pub async fn rests(&self) -> Result<()> {
        let script = r#"
            const done = arguments[0];
            const root = document.documentElement;
            const ends = (it) => it.effect?.getComputedTiming().endTime !== Infinity;
            const moves = () =>
              document.getAnimations().some((it) => it.playState === "running" && ends(it));
            let last = "", same = 0, looked = 0;
            const look = () => {
              const now = `${root.scrollHeight} ${document.body.innerHTML.length}`;
              const busy = root.hasAttribute("data-asking") || moves() ||
                document.querySelector("[data-test=looking]");
              same = !busy && now === last ? same + 1 : 0;
              last = now;
              if (same >= 12) done(true);
              else if ((looked += 1) > 1200) done(false);
              else requestAnimationFrame(look);
            };
            document.fonts.ready.then(() => requestAnimationFrame(look));
        "#;
        if self.run_async(script).await? != json!(true) {
            bail!("the page does not come to rest");
        }
        Ok(())
    }

    /// Waits until nothing matches.
    ///
    /// # Errors
    /// Where something still does.
    pub async fn gone(&self, css: &str) -> Result<()> {
        let end = tokio::time::Instant::now() + PATIENCE;
        while !self.client.find_all(Locator::Css(css)).await?.is_empty() {
            if tokio::time::Instant::now() > end {
                bail!("{css} is still there");
            }
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Ok(())
    }

    /// Runs a script that ends when it calls its last argument.
    ///
    /// # Errors
    /// Where the browser fails.
    pub async fn run_async(&self, script: &str) -> Result<Value> {
        Ok(self.client.execute_async(script, Vec::new()).await?)
    }

    /// Serious and critical violations that axe-core finds in the page as it stands.
    ///
    /// # Errors
    /// Where axe-core is not installed or fails.
    pub async fn barriers(&self) -> Result<Vec<String>> {
        let file = concat!(
            env!("CARGO_MANIFEST_DIR"),
            "/../../web/node_modules/axe-core/axe.min.js"
        );
        self.run(
            &std::fs::read_to_string(file)
                .context("axe-core is not there; `cargo xtask test` installs it")?,
        )
        .await?;
        let ask = "const done = arguments[0]; axe.run(document, {resultTypes: \
            ['violations']}).then((it) => done(it.violations \
            .filter((found) => ['serious', 'critical'].includes(found.impact)) \
            .map((found) => found.id + ': ' + found.nodes.slice(0, 4).map((node) => \
            node.target.join(' ') + ' ' + (node.any[0]?.message ?? '')).join('; '))), \
            (error) => done(['axe fails: ' + error]))";
        let found = self.client.execute_async(ask, Vec::new()).await?;
        Ok(found
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(|it| it.as_str().map(str::to_owned))
            .collect())
    }

    /// Presses keys on the page: a character each, with Ctrl held where asked.
    ///
    /// # Errors
    /// Where the browser fails.
    pub async fn press(&self, key: char, ctrl: bool) -> Result<()> {
        const CTRL: char = '\u{e009}';
        let mut actions = KeyActions::new("keys".into());
        if ctrl {
            actions = actions.then(KeyAction::Down { value: CTRL });
        }
        actions = actions
            .then(KeyAction::Down { value: key })
            .then(KeyAction::Up { value: key });
        if ctrl {
            actions = actions.then(KeyAction::Up { value: CTRL });
        }
        self.client.perform_actions(actions).await?;
        Ok(())
    }

    /// What the console holds that is severe, errors and refusals of the content policy among it.
    ///
    /// # Errors
    /// Where the driver fails.
    pub async fn severe(&self) -> Result<Vec<String>> {
        let log = self.client.issue_cmd(TakeLog("browser")).await?;
        let entries = log.as_array().into_iter().flatten();
        Ok(entries
            .filter(|it| it["level"] == "SEVERE")
            .map(|it| it["message"].to_string())
            .collect())
    }

    /// Addresses outside this machine that the page asked for.
    ///
    /// # Errors
    /// Where the driver fails.
    pub async fn foreign_requests(&self) -> Result<Vec<String>> {
        let log = self.client.issue_cmd(TakeLog("performance")).await?;
        let entries = log
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(|it| it["message"].as_str());
        let messages = entries.filter_map(|text| serde_json::from_str::<Value>(text).ok());
        let asked = messages.filter(|it| it["message"]["method"] == "Network.requestWillBeSent");
        let addresses = asked.filter_map(|it| {
            it["message"]["params"]["request"]["url"]
                .as_str()
                .map(str::to_owned)
        });
        let web = |it: &String| {
            ["http:", "https:", "ws:", "wss:"]
                .iter()
                .any(|scheme| it.starts_with(scheme))
        };
        Ok(addresses
            .filter(web)
            .filter(|it| !it.contains("//127.0.0.1:"))
            .collect())
    }

    /// Writes a picture of the page, the same bytes each time.
    ///
    /// # Errors
    /// Where the page does not come to rest.
    pub async fn picture(&self) -> Result<Vec<u8>> {
        self.run("document.documentElement.dataset.shot = ''; document.activeElement?.blur()")
            .await?;
        self.client
            .execute_async(
                "document.fonts.ready.then(() => requestAnimationFrame(() => arguments[0]()))",
                Vec::new(),
            )
            .await?;
        Ok(self.client.screenshot().await?)
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        if let Some(id) = self.driver.id().and_then(|id| i32::try_from(id).ok()) {
            let _ = killpg(Pid::from_raw(id), Signal::SIGKILL);
        }
    }
}

fn capabilities(profile: &str) -> Capabilities {
    let arguments = [
        "--headless",
        "--no-sandbox",
        "--disable-gpu",
        "--disable-quic",
        "--no-first-run",
        "--disable-background-networking",
        "--disable-component-update",
        "--disable-sync",
        "--remote-debugging-pipe",
        "--font-render-hinting=none",
        "--force-color-profile=srgb",
        "--hide-scrollbars",
        &format!("--user-data-dir={profile}"),
    ];
    let all = json!({
        "goog:chromeOptions": { "args": arguments },
        "goog:loggingPrefs": { "browser": "ALL", "performance": "ALL" },
    });
    all.as_object().cloned().unwrap_or_default()
}
