//! Every panel of Chains, for everybody.

use anyhow::Result;
use ash_pond_e2e::{DESK, OVERFLOWING, PHONE, Stage};
use serde_json::json;

#[tokio::test(flavor = "multi_thread")]
async fn no_panel_of_chains_bars_anybody_in_either_theme_or_on_a_phone() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.look_at("Direct DC").await?;
    for theme in ["day", "blackout"] {
        stage
            .browser
            .wait(&format!(":root[data-theme={theme}]"))
            .await?;
        for panel in ["build", "findings", "gauges", "compare", "walk"] {
            stage
                .browser
                .click(&format!("[data-test={panel}-door]"))
                .await?;
            let name = if panel == "gauges" { "gauge" } else { panel };
            stage
                .browser
                .wait(&format!("[data-test^={name}]:not([data-test$=door])"))
                .await?;
            stage.browser.rests().await?;
            assert_eq!(
                stage.browser.barriers().await?,
                Vec::<String>::new(),
                "{panel}, {theme}"
            );
        }
        stage.browser.click("[data-test=theme]").await?;
    }
    stage.browser.resize(PHONE).await?;
    let wide = "return document.documentElement.scrollWidth > document.documentElement.clientWidth";
    for panel in ["build", "findings", "gauges", "compare", "walk"] {
        stage
            .browser
            .run(&format!(
                "document.querySelector('[data-test={panel}-door]').click()"
            ))
            .await?;
        stage.browser.rests().await?;
        assert_eq!(stage.browser.run(OVERFLOWING).await?, json!([]), "{panel}");
        assert_eq!(stage.browser.run(wide).await?, json!(false), "{panel}");
    }
    Ok(())
}
