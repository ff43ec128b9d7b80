//! The lamp as a small picture: a house with a window, drawn point by point, so that no file has to be found.

use super::sight::Lamp;

/// Points that each point is the mean of, in each direction.
const FINE: u32 = 4;
/// The side that the drawing is made for.
const SIDE: f32 = 32.0;

type Rgb = [u8; 3];

/// The lamp's picture: so many points a side, each as alpha, red, green, blue.
pub(super) fn lamp(lamp: Lamp, side: u32) -> Vec<u8> {
    let (wall, window): (Rgb, Rgb) = match lamp {
        Lamp::Lit => ([0x2c, 0x4a, 0x86], [0xf2, 0xb5, 0x44]),
        Lamp::Dark => ([0x6b, 0x72, 0x80], [0x3b, 0x41, 0x50]),
        Lamp::Broken => ([0x8b, 0x2a, 0x23], [0xff, 0x8a, 0x73]),
    };
    let mut picture = Vec::with_capacity((side * side * 4) as usize);
    for y in 0..side {
        for x in 0..side {
            let mut sum = [0u32; 4];
            for inner in 0..FINE * FINE {
                let at = |whole: u32, part: u32| {
                    #[allow(clippy::cast_precision_loss, reason = "some dozens")]
                    let place = (whole * FINE + part) as f32 + 0.5;
                    #[allow(clippy::cast_precision_loss, reason = "some dozens")]
                    let all = (side * FINE) as f32;
                    place / all * SIDE
                };
                let (x, y) = (at(x, inner % FINE), at(y, inner / FINE));
                let Some(color) = point(x, y, lamp, wall, window) else { continue };
                sum[0] += 255;
                for (sum, part) in sum[1..].iter_mut().zip(color) {
                    *sum += u32::from(part);
                }
            }
            let inside = (sum[0] / 255).max(1);
            let byte = |value: u32| u8::try_from(value).unwrap_or(255);
            picture.push(byte(sum[0] / (FINE * FINE)));
            picture.extend(sum[1..].iter().map(|part| byte(part / inside)));
        }
    }
    picture
}

/// Digits of five by seven points, a row a byte.
const DIGITS: [[u8; 7]; 11] = [
    [14, 17, 19, 21, 25, 17, 14],
    [4, 12, 4, 4, 4, 4, 14],
    [14, 17, 1, 2, 4, 8, 31],
    [31, 2, 4, 2, 1, 17, 14],
    [2, 6, 10, 18, 31, 2, 2],
    [31, 16, 30, 1, 1, 17, 14],
    [6, 8, 16, 30, 17, 17, 14],
    [31, 1, 2, 4, 8, 8, 8],
    [14, 17, 17, 14, 17, 17, 14],
    [14, 17, 17, 15, 1, 2, 12],
    [0, 4, 4, 31, 4, 4, 0],
];
/// The window's picture: the house, and the count on a plate below it.
pub(super) const WIDE: u32 = 48;
pub(super) const HIGH: u32 = 64;
const PLATE: u32 = 46;

/// The lamp with the count of the sitting below.
pub(super) fn lamp_with_count(state: Lamp, count: u64) -> Vec<u8> {
    let mut picture = vec![0; (WIDE * HIGH * 4) as usize];
    picture[..(WIDE * WIDE * 4) as usize].copy_from_slice(&lamp(state, WIDE));
    let mut set = |x: u32, y: u32, color: Rgb| {
        let at = ((y * WIDE + x) * 4) as usize;
        picture[at] = 255;
        picture[at + 1..at + 4].copy_from_slice(&color);
    };
    let digits: Vec<usize> = if count > 999 {
        vec![9, 9, 9, 10]
    } else {
        count.to_string().bytes().map(|byte| usize::from(byte - b'0')).collect()
    };
    for y in PLATE..HIGH {
        for x in 0..WIDE {
            let corner = (x == 0 || x == WIDE - 1) && (y == PLATE || y == HIGH - 1);
            if !corner {
                set(x, y, [0x1d, 0x24, 0x33]);
            }
        }
    }
    // Each digit twice as large as it is drawn, one apart.
    let long = u32::try_from(digits.len()).unwrap_or(1) * 12 - 2;
    let left = (WIDE - long) / 2;
    for (n, digit) in (0u32..).zip(digits) {
        for (y, row) in (0u32..).zip(DIGITS[digit]) {
            for x in (0..5).filter(|x| row >> (4 - x) & 1 == 1) {
                for inner in 0..4 {
                    set(left + n * 12 + x * 2 + inner % 2, PLATE + 2 + y * 2 + inner / 2, [0xf4, 0xf1, 0xe8]);
                }
            }
        }
    }
    picture
}

/// What is at a place of the drawing; `None`: nothing.
fn point(x: f32, y: f32, lamp: Lamp, wall: Rgb, window: Rgb) -> Option<Rgb> {
    let roof = (x - 16.0).abs() <= (y - 4.0) * 13.0 / 10.5;
    let house = (3.0..=29.0).contains(&x) && (4.0..=28.5).contains(&y) && (y >= 14.5 || roof);
    if !house {
        return None;
    }
    // A stroke from corner to corner, by its distance.
    let crossed = lamp == Lamp::Dark && (10.0..=22.0).contains(&x) && (x + y - 36.0).abs() <= 1.8;
    let lit = (12.0..=20.0).contains(&x) && (16.0..=24.0).contains(&y);
    Some(if crossed {
        [255, 255, 255]
    } else if lit {
        window
    } else {
        wall
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_count_fits_below_the_house() {
        let pictures: Vec<_> =
            [0, 7, 42, 999, 1_000, u64::MAX].map(|count| lamp_with_count(Lamp::Lit, count)).into();
        assert!(pictures.iter().all(|one| one.len() == (WIDE * HIGH * 4) as usize));
        assert_ne!(pictures[3], pictures[4]);
        assert_eq!(pictures[4], pictures[5]);
    }

    #[test]
    fn the_window_tells_the_states_apart_and_there_is_nothing_beside_the_house() {
        for (state, window) in [(Lamp::Lit, 0xf2), (Lamp::Dark, 255), (Lamp::Broken, 0xff)] {
            let picture = lamp(state, 32);
            assert_eq!(picture.len(), 32 * 32 * 4);
            let at = |x: usize, y: usize| &picture[(y * 32 + x) * 4..][..4];
            assert_eq!(at(0, 0), [0, 0, 0, 0]);
            assert_eq!(at(16, 20)[..2], [255, window]);
            assert_eq!(at(5, 27)[0], 255);
        }
        assert_ne!(lamp(Lamp::Lit, 22), lamp(Lamp::Broken, 22));
    }
}
