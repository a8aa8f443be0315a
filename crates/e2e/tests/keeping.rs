//! What is kept, and from whom: many pages at once, a page of another site, two windows on one
//! test, copies.

use anyhow::Result;
use ash_pond_e2e::{DESK, Stage};
use serde_json::json;
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};

#[tokio::test(flavor = "multi_thread")]
async fn the_eighth_page_is_no_worse_than_the_first_and_all_hear_of_a_change() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let client = &stage.browser.client;
    let first = client.window().await?;
    for _ in 0..7 {
        let page = client.new_window(true).await?;
        client.switch_to_window(page.handle).await?;
        stage.go("/site").await?;
        stage
            .browser
            .text_until("h1", |text| text == "Hollin Lock")
            .await?;
    }
    // The last one changes something; the first one, behind all others, hears of it.
    let rename = "const done = arguments[0]; (async () => { const at = \
        '/api/sites/hollin-lock/elements/site/site'; \
        const it = await (await fetch(at)).json(); it.body.name = 'Upper Lock'; \
        const headers = {'content-type': 'application/json', 'if-match': String(it.revision)}; \
        done((await fetch(at, {method: 'PUT', headers, body: JSON.stringify(it.body)})).status) \
        })()";
    assert_eq!(client.execute_async(rename, Vec::new()).await?, json!(200));
    stage
        .browser
        .text_until("h1", |text| text == "Upper Lock")
        .await?;
    client.switch_to_window(first).await?;
    stage.go("/site").await?;
    stage
        .browser
        .text_until("h1", |text| text == "Upper Lock")
        .await?;
    // Where the page that held the stream goes, another one takes its place.
    let back = rename.replace("Upper", "Lower");
    client.execute_async(&back, Vec::new()).await?;
    stage
        .browser
        .text_until("h1", |text| text == "Lower Lock")
        .await?;
    Ok(())
}

/// A page of another site, on another port, that tries to change what is kept here.
async fn foreign(target: &str) -> Result<String> {
    let page = format!(
        "<!doctype html><title>elsewhere</title><script>window.tried = (async () => {{ \
         const kinds = [undefined, 'text/plain', 'application/json']; const told = []; \
         for (const kind of kinds) for (const mode of ['no-cors', 'cors']) {{ \
           const headers = kind ? {{'content-type': kind}} : {{}}; \
           const body = JSON.stringify({{name: 'taken over'}}); \
           for (const at of ['/api/sites/hollin-lock/copy', '/api/sites/hollin-lock/undo']) \
             told.push(await fetch('{target}' + at, {{method: 'POST', mode, headers, \
             body}}).then((it) => it.type + it.status, () => 'refused')); \
         }} return told; }})()</script>\
         <form method=post enctype=text/plain action='{target}/api/sites/hollin-lock/undo' \
         target=_blank><input name=a></form>"
    );
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await?;
    let address = listener.local_addr()?;
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            let _ = stream.read(&mut [0; 4096]).await;
            let head = format!(
                "HTTP/1.1 200 OK\r\ncontent-type: text/html\r\ncontent-length: {}\r\n\r\n",
                page.len()
            );
            let _ = stream.write_all((head + &page).as_bytes()).await;
        }
    });
    Ok(format!("http://{address}/"))
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_of_another_site_changes_nothing() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let client = &stage.browser.client;
    // Something that could be undone.
    let rename = "const done = arguments[0]; (async () => { const at = \
        '/api/sites/hollin-lock/elements/site/site'; \
        const it = await (await fetch(at)).json(); it.body.name = 'Upper Lock'; \
        const headers = {'content-type': 'application/json', 'if-match': String(it.revision)}; \
        done((await fetch(at, {method: 'PUT', headers, body: JSON.stringify(it.body)})).status) \
        })()";
    assert_eq!(client.execute_async(rename, Vec::new()).await?, json!(200));
    client
        .goto(&foreign(&stage.server.address()).await?)
        .await?;
    let tried = "const done = arguments[0]; window.tried.then((told) => { \
        document.forms[0].submit(); setTimeout(() => done(told), 500); })";
    let told = client.execute_async(tried, Vec::new()).await?;
    // What it is told is nothing, or that it was refused.
    assert!(told.as_array().is_some_and(|it| it.len() == 12), "{told}");
    stage.go("/site").await?;
    stage
        .browser
        .text_until("h1", |text| text == "Upper Lock")
        .await?;
    let sites = "const done = arguments[0]; fetch('/api/sites').then((it) => it.json()).then((it) \
        => done(it.sites.length))";
    assert_eq!(client.execute_async(sites, Vec::new()).await?, json!(1));
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_copy_of_everything_is_taken_along_and_brought_back() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    stage.go("/site").await?;
    stage.browser.wait("[data-test=backup]").await?;
    // Taken along, then something is changed, then it is given back by the field for files.
    let script = "const done = arguments[0]; (async () => { \
        const copy = await (await \
        fetch(document.querySelector('[data-test=backup]').href)).blob(); \
        await fetch('/api/sites/hollin-lock/copy', {method: 'POST', headers: {'content-type': \
        'application/json'}, body: JSON.stringify({name: 'Lower Lock'})}); \
        const given = new DataTransfer(); given.items.add(new File([copy], 'pond.sqlite')); \
        const input = document.querySelector('[data-test=restore]'); input.files = given.files; \
        input.dispatchEvent(new Event('change')); \
        done((await (await fetch('/api/sites')).json()).sites.length) })()";
    assert_eq!(
        stage
            .browser
            .client
            .execute_async(script, Vec::new())
            .await?,
        json!(2)
    );
    stage
        .browser
        .text_until(".ask", |text| {
            text.contains("pond.sqlite takes the place of every site")
        })
        .await?;
    assert_eq!(stage.browser.barriers().await?, Vec::<String>::new());
    stage.browser.click("[data-test=restore-yes]").await?;
    stage
        .browser
        .text_until("[data-test=restored]", |text| {
            text.starts_with("Back: Hollin Lock.")
        })
        .await?;
    let sites = "const done = arguments[0]; fetch('/api/sites').then((it) => it.json()).then((it) \
        => done(it.sites.length))";
    assert_eq!(
        stage
            .browser
            .client
            .execute_async(sites, Vec::new())
            .await?,
        json!(1)
    );
    // What is none of ours is refused, and everything stays.
    let strange = "const given = new DataTransfer(); given.items.add(new File(['a letter'], \
        'letter.sqlite')); \
        const input = document.querySelector('[data-test=restore]'); input.files = given.files; \
        input.dispatchEvent(new Event('change'))";
    stage.browser.run(strange).await?;
    stage.browser.click("[data-test=restore-yes]").await?;
    stage
        .browser
        .text_until(".copies .trouble", |text| text.contains("database"))
        .await?;
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_site_goes_into_a_file_and_opens_beside_itself() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/site").await?;
    browser
        .text_until("h1", |text| text == "Hollin Lock")
        .await?;
    // The file that the door gives, put where a person would choose it.
    let carry = "const done = arguments[0]; (async () => { \
        const it = await fetch(document.querySelector('[data-test=archive]').href); \
        const files = new DataTransfer(); files.items.add(new File([await it.blob()], \
        'lock.zip')); \
        const input = document.querySelector('[data-test=file]'); input.files = files.files; \
        input.dispatchEvent(new Event('change', {bubbles: true})); done(it.status) })()";
    assert_eq!(
        browser.client.execute_async(carry, Vec::new()).await?,
        json!(200)
    );
    let all = "return document.querySelectorAll('[data-test=a-site]').length";
    let opened = "return localStorage.getItem('ash-pond.site')";
    for _ in 0..200 {
        if browser.run(all).await? == json!(2)
            && browser.run(opened).await? == json!("hollin-lock-2")
        {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert_eq!(browser.run(all).await?, json!(2));
    assert_eq!(
        browser.run(opened).await?,
        json!("hollin-lock-2"),
        "it is the one that is open now"
    );
    // What is no archive says so, and nothing is lost.
    let bad = carry.replace("[await it.blob()]", "['PK']");
    browser.client.execute_async(&bad, Vec::new()).await?;
    browser
        .text_until("[role=alert]", |text| text.contains("no archive of a site"))
        .await?;
    assert_eq!(browser.run(all).await?, json!(2));
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_meter_shows_is_kept_and_drawn() -> Result<()> {
    let stage = Stage::set(DESK).await?;
    let browser = &stage.browser;
    stage.go("/site").await?;
    browser.wait("[data-test=records]").await?;
    browser
        .run("document.querySelectorAll('[data-test=records]')[1].click()")
        .await?;
    // It is written within seconds, whether or not anybody looks.
    let mut drawn = json!(null);
    for _ in 0..300 {
        drawn = browser
            .run(
                "return [...document.querySelectorAll('.readings svg')].map((it) => \
                it.getAttribute('aria-label'))[0]",
            )
            .await?;
        if drawn.as_str().is_some_and(|it| !it.contains("nothing")) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    assert!(
        drawn
            .as_str()
            .is_some_and(|it| it.contains(" V") || it.contains('%') || it.contains(" A")),
        "{drawn}"
    );
    assert_eq!(browser.barriers().await?, Vec::<String>::new());
    // Another meter is added where it listens; one on another machine is refused with why, and what
    // was typed stays.
    browser
        .fill("[aria-label='name of a meter']", "Shed monitor")
        .await?;
    browser
        .enter("[aria-label='where it listens']", "192.168.1.7:5020")
        .await?;
    browser
        .text_until(".readings [role=alert]", |text| {
            text.contains("on another machine")
        })
        .await?;
    assert_eq!(
        browser.value("[aria-label='name of a meter']").await?,
        "Shed monitor"
    );
    browser
        .enter("[aria-label='where it listens']", "127.0.0.1:1")
        .await?;
    browser.wait("[aria-label='remove Shed monitor']").await?;
    browser.click("[aria-label='remove Shed monitor']").await?;
    browser.gone("[aria-label='remove Shed monitor']").await?;
    // For how long is a choice, and one that cannot be is refused with why.
    browser
        .enter("[aria-label='how long every reading is kept, days']", "900")
        .await?;
    browser
        .text_until(".readings [role=alert]", |text| {
            text.contains("at least as long")
        })
        .await?;
    browser
        .enter("[aria-label='how long every reading is kept, days']", "14")
        .await?;
    browser
        .wait("[aria-label='how long every reading is kept, days']")
        .await?;
    let stored = "const done = arguments[0]; fetch('/api/readings').then((it) => it.json()).then((it) \
        => done(it.kept.all_days))";
    browser.run_until(stored, |it| *it == json!(14)).await?;
    stage.go("/site").await?;
    browser.wait("[data-test=records]").await?;
    let kept = "arguments[0](document.querySelector(\"[aria-label='how long every reading is kept, \
        days']\")?.value ?? null)";
    browser.run_until(kept, |it| *it == json!("14")).await?;
    Ok(())
}
