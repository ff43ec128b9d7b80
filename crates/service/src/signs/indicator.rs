//! The lamp among the desktop's indicators (StatusNotifierItem, freedesktop.org): a press opens the picker, its menu the rest.

use ksni::menu::StandardItem;
use ksni::{Icon, MenuItem, Status, ToolTip, Tray};
use tokio::sync::mpsc;

use super::drawn::lamp;
use super::sight::{Lamp, Sight};
use crate::state::pressed::Pressed;
use yadori_words::word;

/// Sides of its picture, in points: as it is, and for screens that are twice as fine.
const SIDES: [u32; 2] = [24, 48];

/// The lamp.
#[derive(Debug)]
pub(super) struct Indicator {
    pub(super) sight: Sight,
    pub(super) presses: mpsc::UnboundedSender<Pressed>,
}

impl Indicator {
    fn press(&self, pressed: Pressed) {
        let _ = self.presses.send(pressed);
    }

    fn open_picker(&self) {
        let (done, _) = tokio::sync::oneshot::channel();
        self.press(Pressed::PickerBy(done));
    }
}

fn item(words: &str, does: impl Fn(&mut Indicator) + Send + 'static) -> MenuItem<Indicator> {
    StandardItem { label: words.to_owned(), activate: Box::new(does), ..StandardItem::default() }.into()
}

impl Tray for Indicator {
    fn id(&self) -> String {
        "yadori".to_owned()
    }

    fn title(&self) -> String {
        format!("Yadori: {}", self.sight.line())
    }

    fn status(&self) -> Status {
        if self.sight.lamp == Lamp::Broken { Status::NeedsAttention } else { Status::Active }
    }

    fn icon_pixmap(&self) -> Vec<Icon> {
        SIDES
            .into_iter()
            .filter_map(|side| {
                let wide = i32::try_from(side).ok()?;
                Some(Icon { width: wide, height: wide, data: lamp(self.sight.lamp, side) })
            })
            .collect()
    }

    fn attention_icon_pixmap(&self) -> Vec<Icon> {
        self.icon_pixmap()
    }

    fn tool_tip(&self) -> ToolTip {
        let description = self.sight.next.clone().unwrap_or_default();
        ToolTip { title: self.title(), description, ..ToolTip::default() }
    }

    fn activate(&mut self, _: i32, _: i32) {
        self.open_picker();
    }

    fn secondary_activate(&mut self, _: i32, _: i32) {
        self.press(Pressed::Pause);
    }

    fn menu(&self) -> Vec<MenuItem<Self>> {
        let line = StandardItem { label: self.sight.line(), enabled: false, ..StandardItem::default() };
        let pausing = if self.sight.lamp == Lamp::Dark { word!("Keep copies again") } else { word!("Pause") };
        vec![
            line.into(),
            MenuItem::Separator,
            item(word!("Open the picker"), |lamp| lamp.open_picker()),
            item(word!("Open the console"), |lamp| lamp.press(Pressed::Console)),
            item(pausing, |lamp| lamp.press(Pressed::Pause)),
        ]
    }
}
