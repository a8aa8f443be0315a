//! A server that other machines reach: passphrases, sessions, guests, names, TLS; and one that is
//! held up or asked to stop.

use crate::common;

use ash_pond::access::{Access, Role, passphrases, set_passphrase};
use ash_pond::app::{AppState, app};
use ash_pond::serve;
use ash_pond::tls::Tls;
use ash_pond_core::site::plan::Plan;
use ash_pond_store::Store;
use axum::body::Body;
use axum::extract::ConnectInfo;
use axum::http::{Request, StatusCode, header};
use common::{Api, Reply, SITE, assert_problem};
use serde_json::{Value, json};
use std::net::SocketAddr;
use std::os::unix::fs::PermissionsExt as _;
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::net::{TcpListener, TcpStream};

const OWNER: &str = "four plain words here";
const GUEST: &str = "come in and look around";

fn guarded() -> Api {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    store
        .create_site(&Plan::parse(ash_pond::DEMO_PLAN).unwrap())
        .unwrap();
    set_passphrase(folder.path(), Role::Owner, Some(OWNER)).unwrap();
    set_passphrase(folder.path(), Role::Guest, Some(GUEST)).unwrap();
    let mut state = AppState::new(store);
    state.access = Some(Arc::new(
        Access::of(folder.path(), "AB:CD").unwrap().unwrap(),
    ));
    state.names = ["cupboard.local".to_owned()].into();
    Api {
        router: app(state),
        _folder: folder,
    }
}

async fn asked(
    api: &Api,
    from: u8,
    method: &str,
    path: &str,
    body: Option<Value>,
    cookie: &str,
) -> Reply {
    let mut request = Request::builder()
        .method(method)
        .uri(path)
        .header(header::HOST, "cupboard.local:8787");
    if !cookie.is_empty() {
        request = request.header(header::COOKIE, format!("other=1; {cookie}"));
    }
    if body.is_some() {
        request = request.header(header::CONTENT_TYPE, "application/json");
    }
    let body = body.map_or_else(Body::empty, |it| Body::from(it.to_string()));
    let mut request = request.body(body).unwrap();
    request
        .extensions_mut()
        .insert(ConnectInfo(SocketAddr::from(([192, 168, 1, from], 4000))));
    api.send(request).await
}

async fn signed_in(api: &Api, from: u8, passphrase: &str) -> Result<String, Reply> {
    let reply = asked(
        api,
        from,
        "POST",
        "/api/session",
        Some(json!({"passphrase": passphrase})),
        "",
    )
    .await;
    if reply.status != StatusCode::NO_CONTENT {
        return Err(reply);
    }
    let cookie = reply.headers[header::SET_COOKIE].to_str().unwrap();
    for word in [
        "HttpOnly",
        "Secure",
        "SameSite=Strict",
        "Max-Age=43200",
        "Path=/",
    ] {
        assert!(cookie.contains(word), "{cookie}");
    }
    Ok(cookie.split(';').next().unwrap().to_owned())
}

#[tokio::test]
async fn nobody_gets_in_without_a_passphrase_and_guests_only_look() {
    let api = guarded();
    let plan = format!("{SITE}/plan");
    let question = json!({"arrangements": ["camera-direct"]});
    let undo = format!("{SITE}/undo");
    assert_problem(
        &asked(&api, 7, "GET", &plan, None, "").await,
        StatusCode::UNAUTHORIZED,
        "session",
        "passphrase",
    );
    let forged = "ash-pond-session=0123";
    assert_eq!(
        asked(&api, 7, "GET", &plan, None, forged).await.status,
        StatusCode::UNAUTHORIZED
    );
    let now = asked(&api, 7, "GET", "/api/session", None, "").await.body;
    assert_eq!(
        now,
        json!({"guarded": true, "role": null, "fingerprint": "AB:CD"})
    );

    let guest = signed_in(&api, 7, GUEST).await.unwrap();
    assert_eq!(
        asked(&api, 7, "GET", "/api/session", None, &guest)
            .await
            .body["role"],
        "guest"
    );
    assert_eq!(
        asked(&api, 7, "GET", &plan, None, &guest).await.status,
        StatusCode::OK
    );
    let looked = asked(
        &api,
        7,
        "POST",
        &format!("{SITE}/evaluate"),
        Some(question),
        &guest,
    )
    .await;
    assert_eq!(looked.status, StatusCode::OK);
    for (method, path) in [
        ("POST", undo.as_str()),
        ("DELETE", SITE),
        ("POST", "/api/sites"),
        ("POST", &format!("{SITE}/tests/x/use")),
        ("POST", &format!("{SITE}/walk/readings")),
        ("GET", "/api/backup"),
        ("GET", &format!("{SITE}/archive")),
        ("POST", "/api/archives"),
        ("GET", "/api/sessions"),
    ] {
        let reply = asked(&api, 7, method, path, None, &guest).await;
        assert_problem(&reply, StatusCode::FORBIDDEN, "guest", "only the owner");
    }

    let owner = signed_in(&api, 8, OWNER).await.unwrap();
    assert_eq!(
        asked(&api, 8, "POST", &undo, None, &owner).await.status,
        StatusCode::CONFLICT,
        "nothing to undo"
    );
    let list = asked(&api, 8, "GET", "/api/sessions", None, &owner)
        .await
        .body["sessions"]
        .clone();
    assert_eq!(
        (&list[0]["yours"], &list[0]["from"], &list[1]["role"]),
        (&json!(true), &json!("192.168.1.8"), &json!("guest"))
    );
    let path = format!("/api/sessions/{}", list[1]["id"]);
    assert_eq!(
        asked(&api, 8, "DELETE", &path, None, &owner).await.status,
        StatusCode::NO_CONTENT
    );
    assert_eq!(
        asked(&api, 7, "GET", &plan, None, &guest).await.status,
        StatusCode::UNAUTHORIZED,
        "it was ended"
    );
    let out = asked(&api, 8, "DELETE", "/api/session", None, &owner).await;
    assert!(
        out.headers[header::SET_COOKIE]
            .to_str()
            .unwrap()
            .contains("Max-Age=0")
    );
    assert_eq!(
        asked(&api, 8, "GET", &plan, None, &owner).await.status,
        StatusCode::UNAUTHORIZED
    );
}

#[tokio::test]
async fn tries_are_limited_by_address_and_right_ones_do_not_count() {
    let api = guarded();
    for _ in 0..5 {
        signed_in(&api, 9, OWNER).await.unwrap();
    }
    for _ in 0..5 {
        let reply = signed_in(&api, 9, "a wrong passphrase").await.unwrap_err();
        assert_problem(
            &reply,
            StatusCode::UNAUTHORIZED,
            "passphrase",
            "not the passphrase",
        );
    }
    let reply = signed_in(&api, 9, OWNER).await.unwrap_err();
    assert_problem(&reply, StatusCode::TOO_MANY_REQUESTS, "tries", "wait");
    assert!(
        signed_in(&api, 10, OWNER).await.is_ok(),
        "another address is not shut out"
    );
}

#[tokio::test]
async fn its_names_are_those_that_it_is_served_under() {
    let api = guarded();
    let under = async |host: &str, from: [u8; 4]| {
        let mut request = Request::builder()
            .uri("/api/health")
            .header(header::HOST, host)
            .body(Body::empty())
            .unwrap();
        request
            .extensions_mut()
            .insert(ConnectInfo(SocketAddr::from((from, 4000))));
        api.send(request).await.status
    };
    assert_eq!(
        under("cupboard.local:8787", [192, 168, 1, 7]).await,
        StatusCode::OK
    );
    assert_eq!(
        under("localhost:8787", [127, 0, 0, 1]).await,
        StatusCode::OK
    );
    assert_eq!(
        under("localhost:8787", [192, 168, 1, 7]).await,
        StatusCode::MISDIRECTED_REQUEST
    );
    assert_eq!(
        under("example.org", [192, 168, 1, 7]).await,
        StatusCode::MISDIRECTED_REQUEST
    );
}

#[test]
fn passphrases_are_kept_as_what_cannot_be_read_back() {
    let folder = tempfile::tempdir().unwrap();
    assert!(
        set_passphrase(folder.path(), Role::Owner, Some("short"))
            .unwrap_err()
            .to_string()
            .contains("12 letters")
    );
    assert!(Access::of(folder.path(), "").unwrap().is_none());
    set_passphrase(folder.path(), Role::Owner, Some(OWNER)).unwrap();
    let file = folder.path().join("access.json");
    let text = std::fs::read_to_string(&file).unwrap();
    assert!(
        text.contains("$argon2id$") && !text.contains("four plain"),
        "{text}"
    );
    assert_eq!(
        std::fs::metadata(&file).unwrap().permissions().mode() & 0o777,
        0o600
    );
    set_passphrase(folder.path(), Role::Guest, Some(GUEST)).unwrap();
    assert_eq!(passphrases(folder.path()).unwrap(), (true, true));
    set_passphrase(folder.path(), Role::Owner, None).unwrap();
    assert_eq!(passphrases(folder.path()).unwrap(), (false, true));
    std::fs::write(&file, "{").unwrap();
    assert!(
        Access::of(folder.path(), "").is_err(),
        "what cannot be read lets nobody in"
    );
}

#[tokio::test]
async fn it_speaks_tls_with_a_certificate_of_its_own_that_stays() {
    use tokio_rustls::rustls::pki_types::pem::PemObject as _;
    use tokio_rustls::rustls::pki_types::{CertificateDer, ServerName};
    use tokio_rustls::rustls::{ClientConfig, RootCertStore, crypto::ring};
    let folder = tempfile::tempdir().unwrap();
    let names = ["cupboard.local".to_owned(), "127.0.0.1".to_owned()];
    let tls = Tls::own(folder.path(), &names).unwrap();
    assert_eq!(
        Tls::own(folder.path(), &names[..1]).unwrap().fingerprint(),
        tls.fingerprint(),
        "it stays"
    );
    assert_eq!(tls.fingerprint().len(), 32 * 3 - 1);
    let key = folder.path().join("tls-key.pem");
    assert_eq!(
        std::fs::metadata(&key).unwrap().permissions().mode() & 0o777,
        0o600
    );
    let certificate = folder.path().join("tls-certificate.pem");
    assert_eq!(
        Tls::given(&certificate, &key).unwrap().fingerprint(),
        tls.fingerprint()
    );
    assert!(Tls::given(&key, &certificate).is_err());

    let store = Store::open(&folder.path().join("data")).unwrap();
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(serve::until(
        listener,
        AppState::new(store),
        Some(tls),
        std::future::pending(),
    ));
    let mut roots = RootCertStore::empty();
    roots
        .add(CertificateDer::from_pem_file(&certificate).unwrap())
        .unwrap();
    let config = ClientConfig::builder_with_provider(Arc::new(ring::default_provider()))
        .with_safe_default_protocol_versions()
        .unwrap()
        .with_root_certificates(roots)
        .with_no_client_auth();
    let connector = tokio_rustls::TlsConnector::from(Arc::new(config));
    let stream = TcpStream::connect(address).await.unwrap();
    let mut stream = connector
        .connect(ServerName::try_from("127.0.0.1").unwrap(), stream)
        .await
        .unwrap();
    stream
        .write_all(b"GET /api/health HTTP/1.1\r\nhost: localhost\r\nconnection: close\r\n\r\n")
        .await
        .unwrap();
    let mut told = String::new();
    stream.read_to_string(&mut told).await.unwrap();
    assert!(
        told.starts_with("HTTP/1.1 200") && told.contains("well"),
        "{told}"
    );
}

async fn health(address: SocketAddr) -> String {
    let mut stream = TcpStream::connect(address).await.unwrap();
    stream
        .write_all(b"GET /api/health HTTP/1.1\r\nhost: localhost\r\nconnection: close\r\n\r\n")
        .await
        .unwrap();
    let mut told = String::new();
    stream.read_to_string(&mut told).await.unwrap();
    told
}

#[tokio::test(flavor = "multi_thread")]
async fn half_a_head_holds_nobody_up_and_a_stop_waits_for_none() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    let (stop, stopped) = tokio::sync::oneshot::channel::<()>();
    let served = tokio::spawn(serve::until(listener, AppState::new(store), None, async {
        drop(stopped.await);
    }));
    let mut halves = Vec::new();
    for _ in 0..serve::MOST_CONNECTIONS + 100 {
        let mut stream = TcpStream::connect(address).await.unwrap();
        stream
            .write_all(b"GET /api/health HTTP/1.1\r\nhost: lo")
            .await
            .unwrap();
        halves.push(stream);
    }
    // All places are taken; they are free again once the heads have had their time.
    let told = tokio::time::timeout(serve::HEADER * 3, health(address))
        .await
        .unwrap();
    assert!(told.starts_with("HTTP/1.1 200"), "{told}");
    halves.truncate(40);
    let mut half = TcpStream::connect(address).await.unwrap();
    half.write_all(b"GET /api/health HTTP/1.1\r\nhost: lo")
        .await
        .unwrap();
    let begun = Instant::now();
    stop.send(()).unwrap();
    served.await.unwrap().unwrap();
    assert!(
        begun.elapsed() < serve::LAST_WORDS + Duration::from_secs(1),
        "it stops within five seconds"
    );
}
