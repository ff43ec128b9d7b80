//! Who answers: a certificate that was given, or one of this server's own.

use std::io::{self, Write};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::time::SystemTime;

use rcgen::{
    BasicConstraints, CertificateParams, DistinguishedName, DnType, ExtendedKeyUsagePurpose, IsCa, Issuer,
    KeyPair, KeyUsagePurpose,
};
use rustls::ServerConfig;
use rustls_pki_types::pem::PemObject;
use rustls_pki_types::{CertificateDer, PrivateKeyDer};
use time::{Duration, OffsetDateTime};

use crate::pin::Pin;

/// For how long a certificate of its own holds: as long as browsers take one. It is made anew, with its key, at each start.
const HOLDS: Duration = Duration::days(397);
/// For how long its authority holds.
const AUTHORITY_HOLDS: Duration = Duration::days(3_650);
/// Clocks differ.
const BEFORE: Duration = Duration::days(2);

/// Why there is no certificate.
#[derive(Debug, thiserror::Error)]
pub enum IdentityError {
    /// A file.
    #[error("{0} can't be read or written: {1}")]
    File(PathBuf, io::Error),
    /// It is none.
    #[error("{0} holds no {1} in PEM")]
    Malformed(PathBuf, &'static str),
    /// The key is another one's, or of a kind that is not known.
    #[error("the key does not belong to the certificate: {0}")]
    Mismatch(rustls::Error),
    /// It could not be made.
    #[error("no certificate can be made: {0}")]
    Making(#[from] rcgen::Error),
}

/// A certificate with its key.
#[derive(Debug)]
pub struct Identity {
    config: Arc<ServerConfig>,
    pin: Pin,
    authority: Option<Vec<u8>>,
    certificate: Vec<u8>,
}

impl Identity {
    /// One that was given: a chain and its key, each in PEM.
    ///
    /// # Errors
    /// When they can't be read, or do not belong together.
    pub fn given(certificate: &Path, key: &Path) -> Result<Self, IdentityError> {
        let chain = read_chain(certificate)?;
        let key = PrivateKeyDer::from_pem_slice(&read(key)?)
            .map_err(|_| IdentityError::Malformed(key.to_owned(), "private key"))?;
        Self::of(chain, key, None).map_err(|why| match why {
            None => IdentityError::Malformed(certificate.to_owned(), "certificate"),
            Some(why) => IdentityError::Mismatch(why),
        })
    }

    /// One of this server's own, from a directory that is for this user alone: an authority and a key, made once and kept,
    /// and a certificate for these names and addresses, made anew each time.
    ///
    /// # Errors
    /// When the files can't be read or written.
    pub fn of_its_own(dir: &Path, names: &[String], now: SystemTime) -> Result<Self, IdentityError> {
        std::fs::create_dir_all(dir).map_err(|why| IdentityError::File(dir.to_owned(), why))?;
        let now = OffsetDateTime::from(now);
        let above = key_in(&dir.join("authority.key"))?;
        let authority = dir.join("authority.pem");
        if !authority.exists() {
            let mut params = authority_params();
            (params.not_before, params.not_after) = (now - BEFORE, now + AUTHORITY_HOLDS);
            write_private(&authority, params.self_signed(&above)?.pem().as_bytes())?;
        }
        let root = read_chain(&authority)?.remove(0);
        let key = key_in(&dir.join("server.key"))?;
        let mut params = CertificateParams::new(names.to_vec())?;
        params.distinguished_name = called("Yadori");
        (params.not_before, params.not_after) = (now - BEFORE, now + HOLDS);
        params.extended_key_usages = vec![ExtendedKeyUsagePurpose::ServerAuth];
        params.key_usages = vec![KeyUsagePurpose::DigitalSignature];
        params.use_authority_key_identifier_extension = true;
        let certificate = params.signed_by(&key, &Issuer::from_params(&authority_params(), &above))?;
        let own = PrivateKeyDer::Pkcs8(key.serialize_der().into());
        let chain = vec![certificate.der().clone(), root.clone()];
        Self::of(chain, own, Some(root.to_vec())).map_err(|why| match why {
            None => IdentityError::Malformed(authority, "certificate"),
            Some(why) => IdentityError::Mismatch(why),
        })
    }

    fn of(
        chain: Vec<CertificateDer<'static>>,
        key: PrivateKeyDer<'static>,
        authority: Option<Vec<u8>>,
    ) -> Result<Self, Option<rustls::Error>> {
        let pin = chain.first().and_then(Pin::of).ok_or(None)?;
        let certificate = chain.first().map(|one| one.to_vec()).unwrap_or_default();
        let provider = Arc::new(rustls::crypto::ring::default_provider());
        let mut config = ServerConfig::builder_with_provider(provider)
            .with_protocol_versions(&[&rustls::version::TLS13])
            .map_err(Some)?
            .with_no_client_auth()
            .with_single_cert(chain, key)
            .map_err(Some)?;
        config.alpn_protocols = vec![b"http/1.1".to_vec()];
        Ok(Self { config: Arc::new(config), pin, authority, certificate })
    }

    /// The pin of its key.
    pub fn pin(&self) -> Pin {
        self.pin
    }

    /// The certificate that is shown, in DER.
    pub fn certificate(&self) -> &[u8] {
        &self.certificate
    }

    /// The certificate of its own authority, in DER, for those who are to trust it.
    pub fn authority(&self) -> Option<&[u8]> {
        self.authority.as_deref()
    }

    pub(crate) fn config(&self) -> Arc<ServerConfig> {
        Arc::clone(&self.config)
    }
}

fn called(name: &str) -> DistinguishedName {
    let mut called = DistinguishedName::new();
    called.push(DnType::CommonName, name);
    called
}

fn authority_params() -> CertificateParams {
    let mut params = CertificateParams::default();
    params.distinguished_name = called("Yadori of this device");
    params.is_ca = IsCa::Ca(BasicConstraints::Constrained(0));
    params.key_usages = vec![KeyUsagePurpose::KeyCertSign, KeyUsagePurpose::CrlSign];
    params
}

fn read(path: &Path) -> Result<Vec<u8>, IdentityError> {
    std::fs::read(path).map_err(|why| IdentityError::File(path.to_owned(), why))
}

fn read_chain(path: &Path) -> Result<Vec<CertificateDer<'static>>, IdentityError> {
    let malformed = || IdentityError::Malformed(path.to_owned(), "certificate");
    let bytes = read(path)?;
    let chain: Result<Vec<_>, _> = CertificateDer::pem_slice_iter(&bytes).collect();
    let chain = chain.map_err(|_| malformed())?;
    if chain.is_empty() { Err(malformed()) } else { Ok(chain) }
}

/// The key in a file, made if there is none.
fn key_in(path: &Path) -> Result<KeyPair, IdentityError> {
    if !path.exists() {
        write_private(path, KeyPair::generate()?.serialize_pem().as_bytes())?;
    }
    let text = String::from_utf8(read(path)?);
    let key = text.ok().and_then(|text| KeyPair::from_pem(&text).ok());
    key.ok_or_else(|| IdentityError::Malformed(path.to_owned(), "private key"))
}

/// Written whole, for this user alone.
fn write_private(path: &Path, bytes: &[u8]) -> Result<(), IdentityError> {
    let beside = path.with_extension("new");
    let written = || {
        let mut file =
            std::fs::OpenOptions::new().write(true).create(true).truncate(true).mode(0o600).open(&beside)?;
        file.write_all(bytes)?;
        file.sync_all()?;
        std::fs::rename(&beside, path)
    };
    written().map_err(|why| IdentityError::File(path.to_owned(), why))
}
