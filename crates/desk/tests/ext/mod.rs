//! A small compositor of the tests' own, with the standing protocol for following the clipboard (`ext-data-control-v1`), and
//! programs inside it that copy and paste.

use std::io::{Read as _, Write as _};
use std::os::fd::{AsFd as _, OwnedFd};
use std::path::{Path, PathBuf};
use std::sync::{Arc, mpsc};
use std::time::Duration;

use wayland_protocols::ext::data_control::v1::server::ext_data_control_device_v1::{
    self as device, ExtDataControlDeviceV1 as Device,
};
use wayland_protocols::ext::data_control::v1::server::ext_data_control_manager_v1::{
    self as manager, ExtDataControlManagerV1 as Manager,
};
use wayland_protocols::ext::data_control::v1::server::ext_data_control_offer_v1::{
    self as offer, ExtDataControlOfferV1 as Offer,
};
use wayland_protocols::ext::data_control::v1::server::ext_data_control_source_v1::{
    self as source, ExtDataControlSourceV1 as Source,
};
use wayland_server::backend::ClientData;
use wayland_server::protocol::wl_seat::{self, WlSeat};
use wayland_server::{
    Client, DataInit, Dispatch, Display, DisplayHandle, GlobalDispatch, ListeningSocket, New, Resource as _,
};

enum Ask {
    Copy(String, Vec<u8>),
    Paste(String, OwnedFd, mpsc::Sender<bool>),
}

/// What is on the clipboard.
#[derive(Clone)]
enum Held {
    Nothing,
    Program(String, Arc<Vec<u8>>),
    Source(Source),
}

struct State {
    display: DisplayHandle,
    devices: Vec<Device>,
    held: Held,
    /// What each source offers.
    offered: Vec<(Source, Vec<String>)>,
}

struct Anybody;
impl ClientData for Anybody {}

impl State {
    fn names(&self) -> Vec<String> {
        match &self.held {
            Held::Nothing => Vec::new(),
            Held::Program(mime, _) => vec![mime.clone()],
            Held::Source(source) => {
                self.offered.iter().find(|one| one.0 == *source).map(|one| one.1.clone()).unwrap_or_default()
            }
        }
    }

    fn tell(&self, device: &Device) {
        let Some(client) = device.client() else { return };
        if matches!(self.held, Held::Nothing) {
            return device.selection(None);
        }
        let offer = client.create_resource::<Offer, Held, Self>(&self.display, 1, self.held.clone()).unwrap();
        device.data_offer(&offer);
        self.names().into_iter().for_each(|name| offer.offer(name));
        device.selection(Some(&offer));
    }

    fn hold(&mut self, held: Held) {
        if let Held::Source(before) = std::mem::replace(&mut self.held, held)
            && before.is_alive()
        {
            before.cancelled();
        }
        self.devices.iter().for_each(|device| self.tell(device));
    }
}

impl GlobalDispatch<WlSeat, ()> for State {
    fn bind(
        _: &mut Self,
        _: &DisplayHandle,
        _: &Client,
        new: New<WlSeat>,
        (): &(),
        init: &mut DataInit<'_, Self>,
    ) {
        init.init(new, ());
    }
}

impl Dispatch<WlSeat, ()> for State {
    fn request(
        _: &mut Self,
        _: &Client,
        _: &WlSeat,
        _: wl_seat::Request,
        (): &(),
        _: &DisplayHandle,
        _: &mut DataInit<'_, Self>,
    ) {
    }
}

impl GlobalDispatch<Manager, ()> for State {
    fn bind(
        _: &mut Self,
        _: &DisplayHandle,
        _: &Client,
        new: New<Manager>,
        (): &(),
        init: &mut DataInit<'_, Self>,
    ) {
        init.init(new, ());
    }
}

impl Dispatch<Manager, ()> for State {
    fn request(
        state: &mut Self,
        _: &Client,
        _: &Manager,
        request: manager::Request,
        (): &(),
        _: &DisplayHandle,
        init: &mut DataInit<'_, Self>,
    ) {
        match request {
            manager::Request::CreateDataSource { id } => state.offered.push((init.init(id, ()), Vec::new())),
            manager::Request::GetDataDevice { id, .. } => {
                let device = init.init(id, ());
                state.tell(&device);
                state.devices.push(device);
            }
            _ => {}
        }
    }
}

impl Dispatch<Device, ()> for State {
    fn request(
        state: &mut Self,
        _: &Client,
        _: &Device,
        request: device::Request,
        (): &(),
        _: &DisplayHandle,
        _: &mut DataInit<'_, Self>,
    ) {
        if let device::Request::SetSelection { source } = request {
            state.hold(source.map_or(Held::Nothing, Held::Source));
        }
    }
}

impl Dispatch<Source, ()> for State {
    fn request(
        state: &mut Self,
        _: &Client,
        source: &Source,
        request: source::Request,
        (): &(),
        _: &DisplayHandle,
        _: &mut DataInit<'_, Self>,
    ) {
        if let source::Request::Offer { mime_type } = request
            && let Some(one) = state.offered.iter_mut().find(|one| one.0 == *source)
        {
            one.1.push(mime_type);
        }
    }
}

impl Dispatch<Offer, Held> for State {
    fn request(
        _: &mut Self,
        _: &Client,
        _: &Offer,
        request: offer::Request,
        held: &Held,
        _: &DisplayHandle,
        _: &mut DataInit<'_, Self>,
    ) {
        let offer::Request::Receive { mime_type, fd } = request else { return };
        match held {
            Held::Program(mime, bytes) if *mime == mime_type => {
                let bytes = bytes.clone();
                std::thread::spawn(move || std::fs::File::from(fd).write_all(&bytes));
            }
            Held::Source(source) if source.is_alive() => source.send(mime_type, fd.as_fd()),
            _ => {}
        }
    }
}

/// The compositor. It ends with its owner.
pub(crate) struct Ext {
    dir: tempfile::TempDir,
    ask: mpsc::Sender<Ask>,
}

impl Ext {
    pub(crate) fn start() -> Self {
        let dir = tempfile::tempdir().unwrap();
        let (ask, asked) = mpsc::channel();
        let socket = ListeningSocket::bind_absolute(dir.path().join("wayland-7")).unwrap();
        std::thread::spawn(move || serve(&socket, &asked));
        Self { dir, ask }
    }

    pub(crate) fn socket(&self) -> PathBuf {
        Path::new(self.dir.path()).join("wayland-7")
    }

    pub(crate) fn copy(&self, mime: &str, bytes: &[u8]) {
        self.ask.send(Ask::Copy(mime.to_owned(), bytes.to_vec())).unwrap();
    }

    pub(crate) fn paste(&self, mime: &str) -> Option<Vec<u8>> {
        let (mut read, write) = std::io::pipe().unwrap();
        let (tell, there) = mpsc::channel();
        self.ask.send(Ask::Paste(mime.to_owned(), write.into(), tell)).unwrap();
        there.recv().unwrap().then(|| {
            let mut all = Vec::new();
            read.read_to_end(&mut all).unwrap();
            all
        })
    }
}

fn serve(socket: &ListeningSocket, asked: &mpsc::Receiver<Ask>) {
    let mut display = Display::<State>::new().unwrap();
    let handle = display.handle();
    handle.create_global::<State, WlSeat, ()>(1, ());
    handle.create_global::<State, Manager, ()>(1, ());
    let (devices, offered) = (Vec::new(), Vec::new());
    let mut state = State { display: handle.clone(), devices, held: Held::Nothing, offered };
    loop {
        while let Some(stream) = socket.accept().unwrap() {
            handle.clone().insert_client(stream, Arc::new(Anybody)).unwrap();
        }
        let _ = display.dispatch_clients(&mut state);
        state.devices.retain(wayland_server::Resource::is_alive);
        match asked.recv_timeout(Duration::from_millis(2)) {
            Ok(Ask::Copy(mime, bytes)) => state.hold(Held::Program(mime, Arc::new(bytes))),
            Ok(Ask::Paste(mime, into, there)) => {
                let has = state.names().contains(&mime);
                if let (true, Held::Source(source)) = (has, &state.held) {
                    source.send(mime, into.as_fd());
                }
                let _ = there.send(has);
            }
            Err(mpsc::RecvTimeoutError::Timeout) => {}
            Err(mpsc::RecvTimeoutError::Disconnected) => return,
        }
        let _ = display.flush_clients();
    }
}
