//! A line between a device and a hub that breaks off, stands still, or is slow, as it is told.

use std::io::{Read, Write};
use std::net::{Shutdown, TcpListener, TcpStream};
use std::sync::atomic::{AtomicBool, AtomicU8, Ordering};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;

/// What a line is like.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Weather {
    /// Everything passes.
    Fair,
    /// Connections break off, at once and after a few bytes.
    Cut,
    /// Connections stand, and nothing passes (half-open).
    Still,
    /// A little passes at a time.
    Slow,
}

const ALL: [Weather; 4] = [Weather::Fair, Weather::Cut, Weather::Still, Weather::Slow];

/// The line. Ends with its owner.
#[derive(Debug)]
pub struct Line {
    /// Where it begins, such as `http://127.0.0.1:41000`.
    pub address: String,
    weather: Arc<AtomicU8>,
    open: Arc<Mutex<Vec<TcpStream>>>,
    ended: Arc<AtomicBool>,
}

impl Line {
    /// A line to a hub.
    ///
    /// # Panics
    /// When no port is free.
    pub fn to(hub: &str) -> Self {
        let hub = hub.trim_start_matches("http://").to_owned();
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let address = format!("http://{}", listener.local_addr().expect("its address"));
        let (weather, open, ended) =
            (Arc::new(AtomicU8::new(0)), Arc::default(), Arc::new(AtomicBool::new(false)));
        let line = Self { address, weather, open, ended };
        let (weather, open, ended) = (line.weather.clone(), line.open.clone(), line.ended.clone());
        std::thread::spawn(move || {
            for from in listener.incoming().map_while(Result::ok) {
                if ended.load(Ordering::SeqCst) {
                    return;
                }
                let Ok(to) = TcpStream::connect(&hub) else { continue };
                let _ = (from.set_nodelay(true), to.set_nodelay(true));
                let both = [(&from, &to), (&to, &from)]
                    .map(|(a, b)| Some((a.try_clone().ok()?, b.try_clone().ok()?)));
                open.lock().unwrap_or_else(PoisonError::into_inner).extend([from, to]);
                for (a, b) in both.into_iter().flatten() {
                    let weather = weather.clone();
                    std::thread::spawn(move || carry(a, b, &weather));
                }
            }
        });
        line
    }

    /// The weather turns: connections that are open feel it as well.
    pub fn be(&self, weather: Weather) {
        let place = ALL.iter().position(|one| *one == weather).unwrap_or(0);
        self.weather.store(u8::try_from(place).unwrap_or(0), Ordering::SeqCst);
        if matches!(weather, Weather::Cut | Weather::Fair) {
            // What stood still is given up.
            for one in self.open.lock().unwrap_or_else(PoisonError::into_inner).drain(..) {
                let _ = one.shutdown(Shutdown::Both);
            }
        }
    }
}

impl Drop for Line {
    fn drop(&mut self) {
        self.ended.store(true, Ordering::SeqCst);
        self.be(Weather::Cut);
        let _ = TcpStream::connect(self.address.trim_start_matches("http://"));
    }
}

fn carry(mut from: TcpStream, mut to: TcpStream, weather: &AtomicU8) {
    let mut bytes = [0; 2_048];
    let mut carried = 0;
    while let Ok(count @ 1..) = from.read(&mut bytes) {
        loop {
            match ALL[usize::from(weather.load(Ordering::SeqCst)) % ALL.len()] {
                Weather::Fair => {}
                Weather::Cut if carried < 600 => {}
                Weather::Cut => {
                    let _ = (from.shutdown(Shutdown::Both), to.shutdown(Shutdown::Both));
                    return;
                }
                // Looked at again until it passes.
                Weather::Still => {
                    std::thread::sleep(Duration::from_millis(20));
                    continue;
                }
                Weather::Slow => std::thread::sleep(Duration::from_millis(40)),
            }
            break;
        }
        if to.write_all(&bytes[..count]).is_err() {
            break;
        }
        carried += count;
    }
    let _ = to.shutdown(Shutdown::Write);
}
