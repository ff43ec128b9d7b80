//! Where the window stands on its screen, and what a press makes of that.

use super::{LampEvent, Place};

/// A press that moves by less is no drag, in points.
const STILL: i32 = 4;
/// How far from the right and the bottom it stands at first, in points.
const MARGIN: i32 = 24;

/// Where it stands, and a press that is under way.
#[derive(Debug)]
pub(super) struct Standing {
    /// The furthest it may stand.
    last: Place,
    pub(super) at: Place,
    press: Option<Press>,
}

/// Where on the screen it began, where the window stood then, and whether it has become a drag.
#[derive(Debug)]
struct Press {
    from: Place,
    stood: Place,
    drags: bool,
}

impl Standing {
    /// On a screen of this size, where it stood last: wherever that was, to be seen on this screen.
    pub(super) fn new(room: Place, size: (u16, u16), place: Option<Place>) -> Self {
        let last = ((room.0 - i32::from(size.0)).max(0), (room.1 - i32::from(size.1)).max(0));
        let mut standing = Self { last, at: (0, 0), press: None };
        standing.at = standing.within(place.unwrap_or((last.0 - MARGIN, last.1 - MARGIN)));
        standing
    }

    fn within(&self, (x, y): Place) -> Place {
        (x.clamp(0, self.last.0), y.clamp(0, self.last.1))
    }

    /// It is pressed; the pointer is there.
    pub(super) fn press(&mut self, from: Place) {
        self.press = Some(Press { from, stood: self.at, drags: false });
    }

    /// The pointer is there now. Where it is to stand, when it is dragged.
    pub(super) fn drag(&mut self, to: Place) -> Option<Place> {
        let press = self.press.as_mut()?;
        let moved = (to.0 - press.from.0, to.1 - press.from.1);
        press.drags |= moved.0.abs().max(moved.1.abs()) >= STILL;
        let at = (press.stood.0 + moved.0, press.stood.1 + moved.1);
        press.drags.then(|| self.within(at)).inspect(|at| self.at = *at)
    }

    /// It is let go of. What that was; `None`: nothing was pressed.
    pub(super) fn release(&mut self) -> Option<LampEvent> {
        let press = self.press.take()?;
        Some(if press.drags { LampEvent::Moved(self.at) } else { LampEvent::Pressed })
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    #[test]
    fn a_press_that_stays_is_a_press_and_one_that_moves_a_drag() {
        let mut standing = Standing::new((1_280, 800), (48, 64), None);
        assert_eq!(standing.at, (1_208, 712));
        assert_eq!(standing.release(), None);
        standing.press((1_220, 720));
        assert_eq!(standing.drag((1_222, 723)), None);
        assert_eq!(standing.release(), Some(LampEvent::Pressed));
        standing.press((1_220, 720));
        assert_eq!(standing.drag((1_120, 620)), Some((1_108, 612)));
        // Back to where it began is still a drag.
        assert_eq!(standing.drag((1_220, 720)), Some((1_208, 712)));
        assert_eq!(standing.release(), Some(LampEvent::Moved((1_208, 712))));
        assert_eq!(standing.drag((0, 0)), None);
    }

    proptest! {
        #[test]
        fn wherever_it_is_dragged_all_of_it_is_on_the_screen(
            room in (1..3_000, 1..3_000),
            place in proptest::option::of((-9_000..9_000, -9_000..9_000)),
            ways in proptest::collection::vec((-5_000..5_000, -5_000..5_000), 0..12),
        ) {
            let mut standing = Standing::new(room, (48, 64), place);
            let seen = |(x, y): Place| {
                let fits = |at: i32, size: i32, room: i32| at >= 0 && (at + size <= room || at == 0);
                fits(x, 48, room.0) && fits(y, 64, room.1)
            };
            prop_assert!(seen(standing.at));
            let stood = standing.at;
            standing.press((0, 0));
            for way in &ways {
                if let Some(at) = standing.drag(*way) {
                    prop_assert!(seen(at));
                    // It follows the pointer wherever it may.
                    let free = (stood.0 + way.0, stood.1 + way.1);
                    prop_assert!(!seen(free) || at == free);
                }
            }
        }
    }
}
