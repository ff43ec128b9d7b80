//! Whom to believe: who proves to have the one key.

use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, OnceLock};

use hyper_rustls::{HttpsConnector, HttpsConnectorBuilder};
use hyper_util::client::legacy::connect::HttpConnector;
use rustls::client::danger::{HandshakeSignatureValid, ServerCertVerified, ServerCertVerifier};
use rustls::crypto::{WebPkiSupportedAlgorithms, verify_tls12_signature, verify_tls13_signature};
use rustls::{CertificateError, ClientConfig, DigitallySignedStruct, Error, SignatureScheme};
use rustls_pki_types::{CertificateDer, ServerName, UnixTime};

use crate::pin::Pin;

#[derive(Debug, Default)]
struct Known {
    pin: OnceLock<Pin>,
    other: AtomicBool,
}

/// The key that is believed: one that was pinned before, or the first that is met.
#[derive(Clone, Debug, Default)]
pub struct Pinned(Arc<Known>);

impl Pinned {
    /// This key and no other.
    pub fn to(pin: Pin) -> Self {
        let known = Known::default();
        let _ = known.pin.set(pin);
        Self(Arc::new(known))
    }

    /// The key, once it is known.
    pub fn pin(&self) -> Option<Pin> {
        self.0.pin.get().copied()
    }

    /// Another one was met, and not believed.
    pub fn met_another(&self) -> bool {
        self.0.other.load(Ordering::Relaxed)
    }

    fn believes(&self, pin: Pin) -> bool {
        let believed = *self.0.pin.get_or_init(|| pin) == pin;
        self.0.other.store(!believed, Ordering::Relaxed);
        believed
    }
}

#[derive(Debug)]
struct ByPin {
    pinned: Pinned,
    algorithms: WebPkiSupportedAlgorithms,
}

impl ServerCertVerifier for ByPin {
    fn verify_server_cert(
        &self,
        certificate: &CertificateDer<'_>,
        _: &[CertificateDer<'_>],
        _: &ServerName<'_>,
        _: &[u8],
        _: UnixTime,
    ) -> Result<ServerCertVerified, Error> {
        // Names, dates and authorities say nothing here: the key does, and the handshake proves that it is there.
        let pin = Pin::of(certificate).ok_or(CertificateError::BadEncoding)?;
        if self.pinned.believes(pin) {
            Ok(ServerCertVerified::assertion())
        } else {
            Err(CertificateError::ApplicationVerificationFailure.into())
        }
    }

    fn verify_tls12_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        verify_tls12_signature(message, certificate, signed, &self.algorithms)
    }

    fn verify_tls13_signature(
        &self,
        message: &[u8],
        certificate: &CertificateDer<'_>,
        signed: &DigitallySignedStruct,
    ) -> Result<HandshakeSignatureValid, Error> {
        verify_tls13_signature(message, certificate, signed, &self.algorithms)
    }

    fn supported_verify_schemes(&self) -> Vec<SignatureScheme> {
        self.algorithms.supported_schemes()
    }
}

/// Connects by TLS 1.3 where the address says `https`, and believes what is pinned; in the clear where it says `http`.
///
/// # Errors
/// When TLS can't be had at all.
pub fn connector(pinned: Pinned, mut tcp: HttpConnector) -> Result<HttpsConnector<HttpConnector>, Error> {
    let provider = Arc::new(rustls::crypto::ring::default_provider());
    let verifier = ByPin { pinned, algorithms: provider.signature_verification_algorithms };
    let config = ClientConfig::builder_with_provider(provider)
        .with_protocol_versions(&[&rustls::version::TLS13])?
        .dangerous()
        .with_custom_certificate_verifier(Arc::new(verifier))
        .with_no_client_auth();
    tcp.enforce_http(false);
    Ok(HttpsConnectorBuilder::new()
        .with_tls_config(config)
        .https_or_http()
        .enable_http1()
        .wrap_connector(tcp))
}
