//! The door for phones: the console over TLS, beyond this computer, where its owner has switched that on.

use std::fmt::Write;
use std::net::SocketAddr;
use std::path::Path;
use std::time::{Duration, SystemTime};

use sha2::{Digest, Sha256};
use tokio::net::TcpListener;
use yadori_tls::{Identity, IdentityError, SecureListener};

use crate::home::settings::phone::PhoneDoor;
use crate::hosting::outward;
use crate::http::server::{Phones, serve_phones};
use crate::http::{self, Context};
use crate::state::phones::{PhonesAt, PhonesNow};

/// After what kept it from opening, as when its port is taken.
const AGAIN: Duration = Duration::from_secs(10);

/// SHA-256 of a certificate, as phones show it.
fn fingerprint(certificate: &[u8]) -> String {
    Sha256::digest(certificate).iter().enumerate().fold(String::new(), |mut all, (at, byte)| {
        let _ = write!(all, "{}{byte:02X}", if at == 0 { "" } else { ":" });
        all
    })
}

/// Names and addresses that phones may reach this computer by.
fn names(listen: SocketAddr) -> Vec<String> {
    let host = rustix::system::uname().nodename().to_string_lossy().into_owned();
    let mut names = vec![outward(listen).to_string(), "127.0.0.1".into(), "localhost".into()];
    let fits = |name: &&String| {
        !name.is_empty() && name.bytes().all(|one| one.is_ascii_alphanumeric() || one == b'-')
    };
    if let Some(host) = Some(&host).filter(fits) {
        names.extend([host.clone(), format!("{host}.local")]);
    }
    names.sort();
    names.dedup();
    names
}

/// Why phones do not come in.
#[derive(Debug, thiserror::Error)]
enum DoorError {
    #[error(transparent)]
    Identity(#[from] IdentityError),
    #[error(
        "{0} can't be listened on: {1}; choose another address under [phone], or end what holds this one"
    )]
    Listening(SocketAddr, std::io::Error),
    #[error("the certificate could not be made")]
    Broken,
}

fn identity(door: &PhoneDoor, data: &Path) -> Result<(Identity, String), IdentityError> {
    let identity = match &door.certificate {
        Some((certificate, key)) => Identity::given(certificate, key),
        None => Identity::of_its_own(&data.join("phone"), &names(door.listen), SystemTime::now()),
    }?;
    let shown = fingerprint(identity.authority().unwrap_or_else(|| identity.certificate()));
    Ok((identity, shown))
}

/// How often it is looked whether this computer is reached by another address, as after it was taken elsewhere.
const LOOK: Duration = Duration::from_secs(30);

/// Ends when this computer is reached by another address than before.
async fn moved(listen: SocketAddr) {
    let before = outward(listen);
    while outward(listen) == before {
        tokio::time::sleep(LOOK).await;
    }
}

/// Lets phones in until the service ends; what keeps them out is told, and tried again.
pub(crate) async fn run(context: Context, door: PhoneDoor) {
    let app = context.app.clone();
    loop {
        let why = match open(&context, &door).await {
            Ok(()) if app.shutdown.is_cancelled() => return,
            // At another address, with a certificate for it.
            Ok(()) => continue,
            Err(why) => why.to_string(),
        };
        tracing::warn!("phones are not let in: {why}");
        app.phones.are(PhonesNow::Not(why));
        tokio::select! {
            () = tokio::time::sleep(AGAIN) => {}
            () = app.shutdown.cancelled() => return,
        }
    }
}

async fn open(context: &Context, door: &PhoneDoor) -> Result<(), DoorError> {
    let (of, data) = (door.clone(), context.home.data.clone());
    let made = tokio::task::spawn_blocking(move || identity(&of, &data)).await;
    let (identity, fingerprint) = made.map_err(|_| DoorError::Broken)??;
    let taken = |why| DoorError::Listening(door.listen, why);
    let listener = TcpListener::bind(door.listen).await.map_err(taken)?;
    let port = listener.local_addr().map_err(taken)?.port();
    let listener = SecureListener::on(listener, &identity).map_err(taken)?;
    let address = format!("https://{}", SocketAddr::new(outward(door.listen), port));
    tracing::info!("phones are let in at {address}");
    let authority = identity.authority().map(<[u8]>::to_vec);
    context.app.phones.are(PhonesNow::At(PhonesAt { address, fingerprint, authority }));
    let router = http::over_tls(context.clone());
    let ended = context.app.shutdown.child_token();
    let serving = serve_phones(Phones::at(listener), router, ended.clone());
    tokio::pin!(serving);
    tokio::select! {
        () = &mut serving => {}
        () = moved(door.listen) => {
            ended.cancel();
            serving.await;
        }
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fingerprint_is_shown_as_phones_show_it() {
        // SHA-256 of "abc" (FIPS 180-4).
        let shown = fingerprint(b"abc");
        assert!(shown.starts_with("BA:78:16:BF:8F:01:CF:EA:"), "{shown}");
        assert_eq!(shown.len(), 95);
    }

    #[test]
    fn the_certificate_bears_the_names_by_which_this_computer_is_reached() {
        let names = names(SocketAddr::from(([127, 0, 0, 1], 8940)));
        assert!(names.contains(&"127.0.0.1".to_owned()) && names.contains(&"localhost".to_owned()));
    }
}
