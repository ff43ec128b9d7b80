//! The lamp among a desktop's indicators, and notifications: as whoever shows them sees them, on a bus of their own.

#![allow(missing_docs, reason = "the interfaces are freedesktop.org's")]

use std::collections::HashMap;
use std::sync::{Arc, Mutex};

use anyhow::Result;
use yadori_api::CaptureState;
use yadori_e2e::bus::Bus;
use yadori_e2e::hand::{Hand, LEFT, RIGHT};
use yadori_e2e::keyboard::Keyboard;
use yadori_e2e::pointer::Pointer;
use yadori_e2e::typist::Typist;
use yadori_e2e::{Compositor, Display, Service, until};
use zbus::zvariant::{OwnedValue, Value};
use zbus::{Connection, Proxy};

/// Who shows indicators.
#[derive(Default)]
struct Watcher(Arc<Mutex<Vec<String>>>);

#[zbus::interface(name = "org.kde.StatusNotifierWatcher")]
impl Watcher {
    #[allow(clippy::needless_pass_by_value, reason = "as zbus gives it")]
    fn register_status_notifier_item(&self, #[zbus(header)] header: zbus::message::Header<'_>, item: &str) {
        let name = if item.starts_with('/') { header.sender().map(ToString::to_string) } else { None };
        self.0.lock().unwrap().push(name.unwrap_or_else(|| item.to_owned()));
    }

    fn register_status_notifier_host(&self, _service: &str) {}

    #[zbus(property)]
    fn is_status_notifier_host_registered(&self) -> bool {
        true
    }

    #[zbus(property)]
    fn registered_status_notifier_items(&self) -> Vec<String> {
        self.0.lock().unwrap().clone()
    }

    #[zbus(property)]
    fn protocol_version(&self) -> i32 {
        0
    }
}

/// Who shows notifications: title and words of each.
#[derive(Default)]
struct Shower(Arc<Mutex<Vec<(String, String)>>>);

#[zbus::interface(name = "org.freedesktop.Notifications")]
impl Shower {
    #[allow(clippy::too_many_arguments, reason = "the specification's")]
    fn notify(
        &self,
        _program: &str,
        _replaces: u32,
        _icon: &str,
        title: &str,
        words: &str,
        _actions: Vec<String>,
        _hints: HashMap<String, OwnedValue>,
        _time: i32,
    ) -> u32 {
        let mut all = self.0.lock().unwrap();
        all.push((title.to_owned(), words.to_owned()));
        u32::try_from(all.len()).unwrap()
    }
}

/// An entry of a menu: its number, what is said of it, and those inside it.
type Entry = (i32, HashMap<String, OwnedValue>, Vec<OwnedValue>);

struct Desktop {
    bus: Bus,
    connection: Connection,
    items: Arc<Mutex<Vec<String>>>,
    told: Arc<Mutex<Vec<(String, String)>>>,
}

impl Desktop {
    async fn start() -> Result<Self> {
        let bus = Bus::start()?;
        let (watcher, shower) = (Watcher::default(), Shower::default());
        let (items, told) = (watcher.0.clone(), shower.0.clone());
        let connection = zbus::connection::Builder::address(bus.address.as_str())?
            .name("org.kde.StatusNotifierWatcher")?
            .name("org.freedesktop.Notifications")?
            .serve_at("/StatusNotifierWatcher", watcher)?
            .serve_at("/org/freedesktop/Notifications", shower)?
            .build()
            .await?;
        Ok(Self { bus, connection, items, told })
    }

    fn service(&self, display: &Display, configuration: &str) -> Service {
        Service::on_among(&display.name(), configuration, &[("DBUS_SESSION_BUS_ADDRESS", &self.bus.address)])
    }

    async fn item(&self) -> Result<Proxy<'static>> {
        let name = until("the lamp", || self.items.lock().unwrap().last().cloned());
        Ok(Proxy::new(&self.connection, name, "/StatusNotifierItem", "org.kde.StatusNotifierItem").await?)
    }

    fn titles(&self) -> Vec<String> {
        self.told.lock().unwrap().iter().map(|one| one.0.clone()).collect()
    }
}

/// Waits until the lamp says this.
async fn says(item: &Proxy<'_>, words: &str) -> Result<()> {
    let until = std::time::Instant::now() + yadori_e2e::PATIENCE;
    loop {
        let connection = item.connection();
        // Read anew: a host does so at the signal.
        let fresh = Proxy::new(
            connection,
            item.destination().to_owned(),
            item.path().to_owned(),
            item.interface().to_owned(),
        )
        .await?;
        let title: String = fresh.get_property("Title").await?;
        if title.contains(words) {
            return Ok(());
        }
        anyhow::ensure!(std::time::Instant::now() < until, "{words} was wanted, and this is there: {title}");
        tokio::task::yield_now().await;
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn the_lamp_shows_state_and_count_opens_the_picker_and_pauses() -> Result<()> {
    let mut display = Display::start();
    let keyboard = Keyboard::managed(&mut display)?;
    let desktop = Desktop::start().await?;
    let service = desktop.service(&display, "");
    let item = desktop.item().await?;
    says(&item, "keeping copies · 0 copies this sitting").await?;
    for n in 0..3 {
        display.copy_text(&format!("bunk {n}"));
        service.await_clip(&format!("bunk {n}"));
    }
    says(&item, "3 copies").await?;
    let lit: Vec<(i32, i32, Vec<u8>)> = item.get_property("IconPixmap").await?;
    assert!(lit.iter().any(|(wide, high, data)| *wide == 48 && *high == 48 && data.len() == 48 * 48 * 4));
    // A press opens the picker; the middle button pauses, and once more goes on.
    item.call_method("Activate", &(0i32, 0i32)).await?;
    until("the picker", || keyboard.windows().ok()?.iter().any(|one| one.title == "Yadori").then_some(()));
    item.call_method("SecondaryActivate", &(0i32, 0i32)).await?;
    until("the pause", || (service.status()?.capture.state == CaptureState::Paused).then_some(()));
    says(&item, "paused").await?;
    // From its menu.
    let menu =
        Proxy::new(&desktop.connection, item.destination().to_owned(), "/MenuBar", "com.canonical.dbusmenu")
            .await?;
    let wanted: &[&str] = &[];
    let (_, entries): (u32, Entry) = menu.call("GetLayout", &(0i32, -1i32, wanted)).await?;
    let all = format!("{:?}", entries.2);
    for words in ["Open the picker", "Open the console", "Keep copies again", "paused"] {
        assert!(all.contains(words), "{words}: {all}");
    }
    let again = entries.2.iter().find_map(|entry| {
        let (id, about, _): Entry = entry.try_clone().ok()?.try_into().ok()?;
        let label: String = about.get("label")?.try_clone().ok()?.try_into().ok()?;
        (label == "Keep copies again").then_some(id)
    });
    let pressed = (again.expect("the entry"), "clicked", Value::I32(0), 0u32);
    menu.call_method("Event", &pressed).await?;
    until("capture", || (service.status()?.capture.state == CaptureState::Keeping).then_some(()));
    // It speaks as the settings say, at once.
    service.yadori(&["settings", "set", "look.language", "ja"]);
    says(&item, "コピーを残しています · このひとまとまりでコピー 3 件").await?;
    let (_, entries): (u32, Entry) = menu.call("GetLayout", &(0i32, -1i32, wanted)).await?;
    let all = format!("{:?}", entries.2);
    assert!(
        ["ピッカーを開く", "コンソールを開く", "一時停止"].iter().all(|words| all.contains(words)),
        "{all}"
    );
    service.yadori(&["settings", "set", "look.language", "system"]);
    says(&item, "keeping copies").await?;
    // It goes when that is wanted, and comes again.
    service.yadori(&["settings", "set", "signs.indicator", "false"]);
    let name = item.destination().to_string();
    let bus = zbus::fdo::DBusProxy::new(&desktop.connection).await?;
    let end = std::time::Instant::now() + yadori_e2e::PATIENCE;
    while bus.name_has_owner(name.as_str().try_into()?).await? {
        anyhow::ensure!(std::time::Instant::now() < end, "the lamp is still there");
    }
    let before = desktop.items.lock().unwrap().len();
    service.yadori(&["settings", "set", "signs.indicator", "true"]);
    until("the lamp again", || (desktop.items.lock().unwrap().len() > before).then_some(()));
    Ok(())
}

#[tokio::test(flavor = "multi_thread")]
async fn a_person_is_told_once_that_copies_are_not_kept_and_of_copies_only_where_it_is_wanted() -> Result<()>
{
    let mut display = Display::start_apart();
    let number: u32 = display.name()[1..].parse()?;
    let desktop = Desktop::start().await?;
    let service = desktop.service(&display, "");
    display.copy_text("not told of");
    service.await_clip("not told of");
    service.yadori(&["settings", "set", "signs.copies", "true"]);
    display.copy_text("Ida Moser, half board");
    service.await_clip("Ida Moser, half board");
    until("the word", || (!desktop.told.lock().unwrap().is_empty()).then_some(()));
    assert_eq!(desktop.titles(), ["A text was copied"]);
    for (nth, wanted) in [(1, 1), (2, 2)] {
        display.end_server();
        let trouble = || desktop.titles().iter().filter(|title| title.contains("not being kept")).count();
        until("the word of trouble", || (trouble() == nth).then_some(()));
        let (_, words) = desktop.told.lock().unwrap().last().cloned().expect("a word");
        assert!(words.contains("until it"), "{words}");
        display = Display::start_as(number);
        service.await_keeping();
        display.copy_text(&format!("there again {nth}"));
        service.await_clip(&format!("there again {nth}"));
        assert_eq!(trouble(), wanted, "told of once each time");
    }
    // What was copied is in none of them.
    let all = format!("{:?}", desktop.told.lock().unwrap());
    assert!(!all.contains("Ida") && !all.contains("there again"), "{all}");
    Ok(())
}

/// Where the lamp's window stands, and how large it is.
fn lamp_on(display: &Display) -> Option<(i32, i32)> {
    use x11rb::connection::Connection as _;
    use x11rb::protocol::xproto::{AtomEnum, ConnectionExt as _, MapState};
    let (conn, _) = x11rb::connect(Some(&display.name())).ok()?;
    let root = conn.setup().roots[0].root;
    let all = conn.query_tree(root).ok()?.reply().ok()?.children;
    all.into_iter().find_map(|window| {
        let name = conn
            .get_property(false, window, AtomEnum::WM_NAME, AtomEnum::STRING, 0, 64)
            .ok()?
            .reply()
            .ok()?;
        let seen = conn.get_window_attributes(window).ok()?.reply().ok()?.map_state == MapState::VIEWABLE;
        let about = conn.get_geometry(window).ok()?.reply().ok()?;
        (name.value == b"Yadori's lamp" && seen).then_some((i32::from(about.x), i32::from(about.y)))
    })
}

#[test]
fn the_lamp_is_dragged_anywhere_stays_there_opens_the_picker_and_is_hidden_and_called_back() -> Result<()> {
    let mut display = Display::start();
    let keyboard = Keyboard::managed(&mut display)?;
    let mut service = Service::configured_on(&display.name(), "[signs]\nlamp = true\n");
    let pointer = Pointer::of(&display)?;
    let first = until("the lamp", || lamp_on(&display));
    assert!(first.0 > 1_100 && first.1 > 600, "{first:?}");
    // By a real pointer, pressed in its middle, in many small steps.
    let drag = |from: (i32, i32), to: (i32, i32)| -> Result<()> {
        let middle = |(x, y): (i32, i32)| (x + 24, y + 30);
        let (from, to) = (middle(from), middle(to));
        pointer.move_to(from)?;
        pointer.press()?;
        for step in 1..=20 {
            pointer.move_to((from.0 + (to.0 - from.0) * step / 20, from.1 + (to.1 - from.1) * step / 20))?;
        }
        pointer.release()
    };
    drag(first, (300, 200))?;
    until("it where it was dragged to", || (lamp_on(&display) == Some((300, 200))).then_some(()));
    until("that to be remembered", || service.home().join("data/lamp.json").exists().then_some(()));
    // Never out of the screen.
    drag((300, 200), (-500, 900))?;
    let corner = until("it in the corner", || lamp_on(&display).filter(|at| at.0 == 0 && at.1 > 700));
    drag(corner, (640, 90))?;
    until("it where it was dragged to", || (lamp_on(&display) == Some((640, 90))).then_some(()));
    service.stop();
    until("it gone", || lamp_on(&display).is_none().then_some(()));
    service.start_again();
    service.await_keeping();
    until("it where it stood", || (lamp_on(&display) == Some((640, 90))).then_some(()));
    let press = |button: u8| -> Result<()> {
        pointer.move_to((664, 120))?;
        pointer.click(button)
    };
    press(1)?;
    until("the picker", || keyboard.windows().ok()?.iter().any(|one| one.title == "Yadori").then_some(()));
    keyboard.focus("the picker", |window| window.title == "Yadori")?;
    keyboard.press("Escape")?;
    until("the picker gone", || {
        (!keyboard.windows().ok()?.iter().any(|one| one.title == "Yadori")).then_some(())
    });
    press(3)?;
    until("it hidden", || lamp_on(&display).is_none().then_some(()));
    service.yadori(&["settings", "set", "signs.lamp", "true"]);
    until("it back where it stood", || (lamp_on(&display) == Some((640, 90))).then_some(()));
    Ok(())
}

/// Where the lamp is seen on a compositor's screen: by the light in its window.
fn lamp_seen(compositor: &Compositor) -> Option<(i32, i32)> {
    const LIGHT: [u8; 3] = [0xf2, 0xb5, 0x44];
    /// Where in the picture the light begins.
    const IN_PICTURE: (i32, i32) = (18, 24);
    let shot = tempfile::Builder::new().suffix(".png").tempfile().ok()?;
    compositor.picture(shot.path());
    let screen = image::open(shot.path()).ok()?.to_rgb8();
    let lit = || screen.enumerate_pixels().filter(|(_, _, color)| color.0 == LIGHT);
    let (left, top) = (lit().map(|one| one.0).min()?, lit().map(|one| one.1).min()?);
    Some((i32::try_from(left).ok()? - IN_PICTURE.0, i32::try_from(top).ok()? - IN_PICTURE.1))
}

#[test]
fn the_lamp_is_dragged_and_pressed_on_wayland_without_x() -> Result<()> {
    let mut compositor = Compositor::start();
    let mut typist = Typist::at(&compositor)?;
    let mut hand = Hand::at(&compositor)?;
    let socket = compositor.socket().display().to_string();
    let mut service = Service::configured_on(&socket, "[signs]\nlamp = true\n");
    let stands = |compositor: &Compositor, at: (i32, i32)| {
        let mut seen = None;
        until(&format!("the lamp at {at:?}"), || {
            seen = lamp_seen(compositor);
            (seen == Some(at)).then_some(())
        });
    };
    stands(&compositor, (1_208, 712));
    let middle = |(x, y): (i32, i32)| (x + 24, y + 30);
    let drag = |hand: &mut Hand, from: (i32, i32), to: (i32, i32)| -> Result<()> {
        hand.move_to(middle(from))?;
        hand.hold(LEFT, true)?;
        hand.move_to(middle(to))?;
        hand.hold(LEFT, false)
    };
    drag(&mut hand, (1_208, 712), (300, 200))?;
    stands(&compositor, (300, 200));
    // Never out of the screen, and back by the same way.
    drag(&mut hand, (300, 200), (-500, 900))?;
    stands(&compositor, (0, 736));
    hand.move_to(middle((0, 736)))?;
    hand.hold(LEFT, true)?;
    hand.move_to((0, 799))?;
    hand.move_to(middle((640, 90)))?;
    hand.hold(LEFT, false)?;
    stands(&compositor, (640, 90));
    until("that to be remembered", || {
        let text = std::fs::read_to_string(service.home().join("data/lamp.json")).ok()?;
        text.contains("640").then_some(())
    });
    service.stop();
    until("it gone", || lamp_seen(&compositor).is_none().then_some(()));
    service.start_again();
    service.await_keeping();
    stands(&compositor, (640, 90));
    // It never has the keyboard: what is in front stays there.
    compositor.run("foot", &["--config=/dev/null", "--title=ledger"]);
    compositor.await_front("foot", "ledger");
    hand.move_to(middle((640, 90)))?;
    hand.click(LEFT)?;
    let picker = || compositor.windows().into_iter().find(|one| one.1 == "Yadori");
    until("the picker in front", || picker().filter(|one| one.2));
    typist.press("Escape")?;
    until("the picker gone", || picker().is_none().then_some(()));
    compositor.await_front("foot", "ledger");
    // On a smaller screen it is still to be seen.
    compositor.message(&["output HEADLESS-1 mode 600x400"]).expect("another mode");
    stands(&compositor, (552, 90));
    compositor.message(&["output HEADLESS-1 mode 1280x800"]).expect("the mode");
    stands(&compositor, (640, 90));
    hand.move_to(middle((640, 90)))?;
    hand.click(RIGHT)?;
    until("it hidden", || lamp_seen(&compositor).is_none().then_some(()));
    service.yadori(&["settings", "set", "signs.lamp", "true"]);
    stands(&compositor, (640, 90));
    // It comes again with the display.
    compositor.end_server();
    compositor.start_again();
    stands(&compositor, (640, 90));
    Ok(())
}
