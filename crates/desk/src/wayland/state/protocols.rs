//! The two protocols by which a program may follow and own the clipboard without a window: `ext-data-control-v1`, and
//! `wlr-data-control-unstable-v1`, from which it was made. They are the same but for their names.

use std::os::fd::{AsFd, BorrowedFd};

use wayland_client::backend::ObjectId;
use wayland_client::protocol::wl_registry::WlRegistry;
use wayland_client::protocol::wl_seat::WlSeat;
use wayland_client::{Connection, Dispatch, Proxy, QueueHandle, event_created_child};
use wayland_protocols::ext::data_control::v1::client as ext;
use wayland_protocols_wlr::data_control::v1::client as wlr;

use super::State;

macro_rules! both {
    ($(#[$doc:meta])* $name:ident, $ext:ty, $wlr:ty) => {
        $(#[$doc])*
        #[derive(Clone, Debug)]
        pub(in crate::wayland) enum $name {
            Ext($ext),
            Wlr($wlr),
        }
    };
}

both!(
    /// What makes the others.
    Manager,
    ext::ext_data_control_manager_v1::ExtDataControlManagerV1,
    wlr::zwlr_data_control_manager_v1::ZwlrDataControlManagerV1
);
both!(
    /// The clipboards of a seat.
    Device,
    ext::ext_data_control_device_v1::ExtDataControlDeviceV1,
    wlr::zwlr_data_control_device_v1::ZwlrDataControlDeviceV1
);
both!(
    /// What a program offers.
    Offered,
    ext::ext_data_control_offer_v1::ExtDataControlOfferV1,
    wlr::zwlr_data_control_offer_v1::ZwlrDataControlOfferV1
);
both!(
    /// What is offered by us.
    Source,
    ext::ext_data_control_source_v1::ExtDataControlSourceV1,
    wlr::zwlr_data_control_source_v1::ZwlrDataControlSourceV1
);

impl Manager {
    /// Binds what is there, the standing one first. `globals`: number, interface, version.
    pub(in crate::wayland) fn bind(
        registry: &WlRegistry,
        globals: &[(u32, String, u32)],
        queue: &QueueHandle<State>,
    ) -> Option<Self> {
        let named = |name: &str| globals.iter().find(|(_, interface, _)| interface == name);
        if let Some((number, ..)) = named("ext_data_control_manager_v1") {
            return Some(Self::Ext(registry.bind(*number, 1, queue, ())));
        }
        let (number, _, version) = named("zwlr_data_control_manager_v1")?;
        Some(Self::Wlr(registry.bind(*number, (*version).min(2), queue, ())))
    }

    pub(in crate::wayland) fn device(&self, seat: &WlSeat, queue: &QueueHandle<State>) -> Device {
        match self {
            Self::Ext(manager) => Device::Ext(manager.get_data_device(seat, queue, ())),
            Self::Wlr(manager) => Device::Wlr(manager.get_data_device(seat, queue, ())),
        }
    }

    pub(in crate::wayland) fn source(&self, queue: &QueueHandle<State>) -> Source {
        match self {
            Self::Ext(manager) => Source::Ext(manager.create_data_source(queue, ())),
            Self::Wlr(manager) => Source::Wlr(manager.create_data_source(queue, ())),
        }
    }

    /// Which of the two it is.
    pub(in crate::wayland) fn name(&self) -> &'static str {
        match self {
            Self::Ext(_) => "ext-data-control",
            Self::Wlr(_) => "wlr-data-control",
        }
    }

    /// What is selected can be owned as well.
    pub(in crate::wayland) fn has_primary(&self) -> bool {
        match self {
            Self::Ext(_) => true,
            Self::Wlr(manager) => manager.version() >= 2,
        }
    }
}

impl Device {
    pub(in crate::wayland) fn set_selection(&self, source: Option<&Source>) {
        match (self, source) {
            (Self::Ext(device), Some(Source::Ext(source))) => device.set_selection(Some(source)),
            (Self::Wlr(device), Some(Source::Wlr(source))) => device.set_selection(Some(source)),
            (Self::Ext(device), None) => device.set_selection(None),
            (Self::Wlr(device), None) => device.set_selection(None),
            // A source is made by the manager that made the device.
            _ => {}
        }
    }

    pub(in crate::wayland) fn set_primary(&self, source: Option<&Source>) {
        match (self, source) {
            (Self::Ext(device), Some(Source::Ext(source))) => device.set_primary_selection(Some(source)),
            (Self::Wlr(device), Some(Source::Wlr(source))) => device.set_primary_selection(Some(source)),
            (Self::Ext(device), None) => device.set_primary_selection(None),
            (Self::Wlr(device), None) => device.set_primary_selection(None),
            _ => {}
        }
    }
}

impl Offered {
    pub(in crate::wayland) fn id(&self) -> ObjectId {
        match self {
            Self::Ext(offer) => offer.id(),
            Self::Wlr(offer) => offer.id(),
        }
    }

    pub(in crate::wayland) fn receive(&self, mime: &str, into: &impl AsFd) {
        let into: BorrowedFd<'_> = into.as_fd();
        match self {
            Self::Ext(offer) => offer.receive(mime.to_owned(), into),
            Self::Wlr(offer) => offer.receive(mime.to_owned(), into),
        }
    }

    pub(in crate::wayland) fn destroy(&self) {
        match self {
            Self::Ext(offer) => offer.destroy(),
            Self::Wlr(offer) => offer.destroy(),
        }
    }
}

impl Source {
    pub(in crate::wayland) fn id(&self) -> ObjectId {
        match self {
            Self::Ext(source) => source.id(),
            Self::Wlr(source) => source.id(),
        }
    }

    pub(in crate::wayland) fn offer(&self, mime: &str) {
        match self {
            Self::Ext(source) => source.offer(mime.to_owned()),
            Self::Wlr(source) => source.offer(mime.to_owned()),
        }
    }

    pub(in crate::wayland) fn destroy(&self) {
        match self {
            Self::Ext(source) => source.destroy(),
            Self::Wlr(source) => source.destroy(),
        }
    }
}

macro_rules! dispatch {
    ($kind:ident, $of:ident, $manager:ident :: $Manager:ident, $device:ident :: $Device:ident,
     $offer:ident :: $Offer:ident, $source:ident :: $Source:ident) => {
        impl Dispatch<$of::$manager::$Manager, ()> for State {
            fn event(
                _: &mut Self,
                _: &$of::$manager::$Manager,
                _: $of::$manager::Event,
                (): &(),
                _: &Connection,
                _: &QueueHandle<Self>,
            ) {
            }
        }

        impl Dispatch<$of::$device::$Device, ()> for State {
            fn event(
                state: &mut Self,
                _: &$of::$device::$Device,
                event: $of::$device::Event,
                (): &(),
                _: &Connection,
                _: &QueueHandle<Self>,
            ) {
                use $of::$device::Event;
                match event {
                    Event::DataOffer { id } => state.introduced(Offered::$kind(id)),
                    Event::Selection { id } => state.selected(id.map(|offer| offer.id())),
                    Event::PrimarySelection { id } => state.primary_selected(id.map(|offer| offer.id())),
                    Event::Finished => state.finished = true,
                    _ => {}
                }
            }

            event_created_child!(State, $of::$device::$Device, [
                $of::$device::EVT_DATA_OFFER_OPCODE => ($of::$offer::$Offer, ()),
            ]);
        }

        impl Dispatch<$of::$offer::$Offer, ()> for State {
            fn event(
                state: &mut Self,
                offer: &$of::$offer::$Offer,
                event: $of::$offer::Event,
                (): &(),
                _: &Connection,
                _: &QueueHandle<Self>,
            ) {
                if let $of::$offer::Event::Offer { mime_type } = event {
                    state.named(&offer.id(), mime_type);
                }
            }
        }

        impl Dispatch<$of::$source::$Source, ()> for State {
            fn event(
                state: &mut Self,
                source: &$of::$source::$Source,
                event: $of::$source::Event,
                (): &(),
                _: &Connection,
                _: &QueueHandle<Self>,
            ) {
                use $of::$source::Event;
                match event {
                    Event::Send { mime_type, fd } => state.asked(&source.id(), &mime_type, fd),
                    Event::Cancelled => state.cancelled(&source.id()),
                    _ => {}
                }
            }
        }
    };
}

dispatch!(
    Ext,
    ext,
    ext_data_control_manager_v1::ExtDataControlManagerV1,
    ext_data_control_device_v1::ExtDataControlDeviceV1,
    ext_data_control_offer_v1::ExtDataControlOfferV1,
    ext_data_control_source_v1::ExtDataControlSourceV1
);
dispatch!(
    Wlr,
    wlr,
    zwlr_data_control_manager_v1::ZwlrDataControlManagerV1,
    zwlr_data_control_device_v1::ZwlrDataControlDeviceV1,
    zwlr_data_control_offer_v1::ZwlrDataControlOfferV1,
    zwlr_data_control_source_v1::ZwlrDataControlSourceV1
);
