//! A stage for tests that drive the real interface: a server of its own in a fresh folder,
//! and a headless browser that is gone when the test is, even when it is killed.

pub mod browser;
pub mod cdp;
pub mod server;

pub use browser::{Browser, DESK, PHONE, Size};
pub use server::Server;

use anyhow::Result;

/// Elements whose box leaves the page sideways, and texts that are cut off by their own box.
pub const OVERFLOWING: &str = r"
    const wide = document.documentElement.clientWidth;
    const found = [];
    for (const it of document.querySelectorAll('body *')) {
        const box = it.getBoundingClientRect();
        // The views are one row that is moved sideways by itself.
        if (it.closest('.said, nav[aria-label=Views] a') || box.width === 0 || box.height === 0) continue;
        if (box.right <= wide + 1 && box.left >= -1) continue;
        const span = Math.round(box.left) + '–' + Math.round(box.right);
        found.push(it.tagName + '.' + it.getAttribute('class') + ' ' + span);
    }
    if (document.documentElement.scrollWidth > wide) found.push('the page scrolls sideways');
    return found;
";

/// A server with the demo site and a browser that looks at it.
pub struct Stage {
    /// The browser.
    pub browser: Browser,
    /// The server.
    pub server: Server,
}

impl Stage {
    /// Sets the stage: the demo site, the browser at `size`, the Chains view loaded.
    ///
    /// # Errors
    /// Where the server or the browser does not start.
    pub async fn set(size: Size) -> Result<Self> {
        let server = Server::start().await?;
        let browser = Browser::start(size).await?;
        let stage = Self { browser, server };
        stage.go("/chains").await?;
        stage.browser.wait("[data-test=fall]").await?;
        Ok(stage)
    }

    /// Looks at exactly one arrangement in Chains, by its name.
    ///
    /// # Errors
    /// Where there is none of that name, or others stay beside it.
    pub async fn look_at(&self, label: &str) -> Result<()> {
        self.browser.wait("[data-test=way]").await?;
        let script = format!(
            "const all = [...document.querySelectorAll('[data-test=way]')]; const it = \
            all.find((way) => way.textContent.includes({label:?})); \
             if (it.getAttribute('aria-pressed') === 'false') it.click();"
        );
        self.browser.run(&script).await?;
        let others = format!(
            "const all = [...document.querySelectorAll('[data-test=way][aria-pressed=true]')]; \
             const other = all.find((way) => !way.textContent.includes({label:?})); \
             other?.click(); return all.length;"
        );
        for _ in 0..100 {
            if self.browser.run(&others).await? == serde_json::json!(1) {
                return Ok(());
            }
            tokio::time::sleep(std::time::Duration::from_millis(50)).await;
        }
        anyhow::bail!("{label} does not stand alone")
    }

    /// Makes another site of a plan's text, and opens it at a path.
    ///
    /// # Errors
    /// Where the server does not take the plan, or the browser fails.
    pub async fn open(&self, plan: &str, path: &str) -> Result<()> {
        let make = format!(
            "const done = arguments[0]; fetch('/api/sites', {{method: 'POST', headers: \
            {{'content-type': 'application/json'}}, body: JSON.stringify({plan})}}).then((it) => \
            it.json()).then((it) => done(it.id ?? it))"
        );
        let made = self.browser.run_async(&make).await?;
        let Some(id) = made.as_str() else {
            anyhow::bail!("no site was made: {made}")
        };
        self.go(&format!("{path}?site={id}")).await
    }

    /// Goes to a path of the application.
    ///
    /// # Errors
    /// Where the browser fails.
    pub async fn go(&self, path: &str) -> Result<()> {
        self.browser
            .client
            .goto(&format!("{}{path}", self.server.address()))
            .await?;
        Ok(())
    }
}
