//! A hub that this device serves for its person's other devices, beside the service: with a home and a database of its own.

use std::net::{IpAddr, Ipv4Addr, SocketAddr, UdpSocket};
use std::path::{Path, PathBuf};
use std::time::Duration;

use tokio_util::sync::CancellationToken;
use yadori_hub::run::{RunError, invite};
use yadori_hub::settings::{SettingsError, resolve};

use crate::state::app::Shared;
use crate::state::exchanging::Hosted;

/// After what kept it from starting, as when its port is taken.
const AGAIN: Duration = Duration::from_secs(10);
/// For how long an invitation to itself holds, in days.
const DAYS: u32 = 1;

/// Why a hub of one's own gives no invitation.
#[derive(Debug, thiserror::Error)]
pub(crate) enum HostError {
    /// Its settings.
    #[error(transparent)]
    Settings(#[from] SettingsError),
    /// Its records.
    #[error(transparent)]
    Run(#[from] RunError),
}

/// The home of the hub.
pub(crate) fn home_in(data: &Path) -> PathBuf {
    data.join("hub")
}

/// The address by which other machines reach this one, where it answers at all of them.
pub(crate) fn outward(listen: SocketAddr) -> IpAddr {
    let unspecified = listen.ip().is_unspecified();
    if !unspecified {
        return listen.ip();
    }
    // Nothing is sent: the system only says from where it would be (to an address for documents, RFC 5737).
    let asked = UdpSocket::bind((Ipv4Addr::UNSPECIFIED, 0)).and_then(|socket| {
        socket.connect((Ipv4Addr::new(192, 0, 2, 1), 9))?;
        socket.local_addr()
    });
    asked.map_or(Ipv4Addr::LOCALHOST.into(), |address| address.ip())
}

/// `https://0.0.0.0:8930#…` as other machines need it.
fn reached(address: &str, listen: SocketAddr) -> String {
    let any = SocketAddr::new(listen.ip(), 0).to_string();
    let any = any.trim_end_matches('0');
    let there = SocketAddr::new(outward(listen), 0).to_string();
    address.replacen(any, there.trim_end_matches('0'), 1)
}

/// Serves the hub until the service ends; what keeps it from answering is told, and tried again.
pub(crate) async fn run(app: Shared, data: PathBuf, listen: SocketAddr) {
    let home = home_in(&data);
    app.exchange.change(|now| now.hosted = Some(Hosted::Starting));
    while !app.shutdown.is_cancelled() {
        let stand = |hosted| {
            app.exchange.change(|now| now.hosted = Some(hosted));
            app.health.touch();
        };
        let ended = CancellationToken::new();
        let served = async {
            std::fs::create_dir_all(&home).map_err(RunError::System)?;
            let settings = resolve(&home, Some(listen))?;
            let ready = |address: &str| {
                tracing::info!("a hub is served at {listen}");
                stand(Hosted::At(reached(address, listen)));
            };
            yadori_hub::run::run(settings, ended.clone(), ready).await?;
            Ok::<(), HostError>(())
        };
        let stopping = async {
            app.shutdown.cancelled().await;
            ended.cancel();
        };
        let (outcome, ()) = tokio::join!(
            async {
                let outcome = served.await;
                ended.cancel();
                outcome
            },
            async {
                tokio::select! { () = stopping => {}, () = ended.cancelled() => {} }
            }
        );
        if let Err(why) = outcome {
            tracing::warn!("the hub is not served: {why}");
            stand(Hosted::Not(format!("the hub is not served: {why}")));
        }
        tokio::select! {
            () = tokio::time::sleep(AGAIN) => {}
            () = app.shutdown.cancelled() => {}
        }
    }
}

/// Words with which this device may bring its own group to its own hub.
///
/// # Errors
/// When the hub's records can't be written.
pub(crate) async fn invited(data: &Path) -> Result<String, HostError> {
    let settings = resolve(&home_in(data), None)?;
    Ok(invite(&settings, DAYS).await?)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn other_machines_are_given_an_address_that_they_can_reach() {
        let key = "#0123456789abcdef0123456789abcdef";
        let on = |listen: &str| listen.parse::<SocketAddr>().unwrap();
        let given = format!("https://10.0.0.5:8930{key}");
        assert_eq!(reached(&given, on("10.0.0.5:8930")), given);
        let any = reached(&format!("https://0.0.0.0:8930{key}"), on("0.0.0.0:8930"));
        assert!(!any.contains("0.0.0.0") && any.ends_with(&format!(":8930{key}")), "{any}");
    }
}
