//! TLS for use from other machines: a certificate that is made here once, or a given one.

use anyhow::{Context, Result, bail};
use sha2::{Digest as _, Sha256};
use std::fmt::Write as _;
use std::fs::File;
use std::io::Write as _;
use std::os::unix::fs::OpenOptionsExt as _;
use std::path::Path;
use std::sync::Arc;
use tokio_rustls::TlsAcceptor;
use tokio_rustls::rustls::ServerConfig;
use tokio_rustls::rustls::crypto::ring;
use tokio_rustls::rustls::pki_types::pem::PemObject as _;
use tokio_rustls::rustls::pki_types::{CertificateDer, PrivateKeyDer};

/// The certificate that was made here, the names that it is for, and its key, within the data
/// folder.
const MADE: [&str; 3] = ["tls-certificate.pem", "tls-names.txt", "tls-key.pem"];

/// What speaks TLS for a listener.
#[derive(Clone)]
pub struct Tls {
    acceptor: TlsAcceptor,
    fingerprint: Arc<str>,
}

impl Tls {
    /// With a given certificate (a chain of PEM blocks, its own first) and its key.
    ///
    /// # Errors
    /// Where one of them cannot be read, or they do not belong together.
    pub fn given(certificate: &Path, key: &Path) -> Result<Self> {
        let chain: Vec<CertificateDer<'static>> = CertificateDer::pem_file_iter(certificate)
            .and_then(Iterator::collect)
            .with_context(|| {
                format!(
                    "{} holds no certificate that can be read",
                    certificate.display()
                )
            })?;
        let key = PrivateKeyDer::from_pem_file(key)
            .with_context(|| format!("{} holds no private key that can be read", key.display()))?;
        Self::of(chain, key)
    }

    /// With a certificate of this program's own for `names`, made where there is none for them yet
    /// in the folder.
    ///
    /// # Errors
    /// Where it cannot be made, written or read.
    pub fn own(folder: &Path, names: &[String]) -> Result<Self> {
        let [certificate, known, key] = MADE.map(|it| folder.join(it));
        let wanted = names.join("\n");
        let is_there = certificate.exists() && key.exists();
        // Once made it stays, so that its fingerprint does: but a name that is new needs one that
        // says it.
        let had = std::fs::read_to_string(&known).unwrap_or_default();
        let covers = names.iter().all(|name| had.lines().any(|it| it == name));
        if !is_there || !covers {
            let mut parameters = rcgen::CertificateParams::new(names.to_vec())
                .context("a name cannot be certified")?;
            parameters
                .distinguished_name
                .push(rcgen::DnType::CommonName, "Ash Pond");
            let pair = rcgen::KeyPair::generate()?;
            let made = parameters.self_signed(&pair)?;
            secret(&key, pair.serialize_pem().as_bytes())?;
            secret(&certificate, made.pem().as_bytes())?;
            secret(&known, wanted.as_bytes())?;
        }
        Self::given(&certificate, &key)
    }

    fn of(chain: Vec<CertificateDer<'static>>, key: PrivateKeyDer<'static>) -> Result<Self> {
        let Some(first) = chain.first() else {
            bail!("the file holds no certificate")
        };
        let mut fingerprint = String::new();
        for (index, byte) in Sha256::digest(first.as_ref()).iter().enumerate() {
            let _ = write!(
                fingerprint,
                "{}{byte:02X}",
                if index == 0 { "" } else { ":" }
            );
        }
        let mut config = ServerConfig::builder_with_provider(Arc::new(ring::default_provider()))
            .with_safe_default_protocol_versions()?
            .with_no_client_auth()
            .with_single_cert(chain, key)
            .context("the certificate and the key do not belong together")?;
        config.alpn_protocols = vec![b"http/1.1".to_vec()];
        Ok(Self {
            acceptor: TlsAcceptor::from(Arc::new(config)),
            fingerprint: fingerprint.into(),
        })
    }

    pub(crate) fn acceptor(&self) -> &TlsAcceptor {
        &self.acceptor
    }

    /// The SHA-256 of the certificate, in pairs of hexadecimal digits with colons between, as
    /// browsers show it.
    pub fn fingerprint(&self) -> &str {
        &self.fingerprint
    }
}

/// Writes a file that nobody else reads; what was there before stays until it is whole.
pub(crate) fn secret(path: &Path, bytes: &[u8]) -> Result<()> {
    let part = path.with_added_extension("part");
    drop(std::fs::remove_file(&part));
    let mut file = File::options()
        .write(true)
        .create_new(true)
        .mode(0o600)
        .open(&part)?;
    file.write_all(bytes)?;
    file.sync_all()?;
    Ok(std::fs::rename(&part, path)?)
}
