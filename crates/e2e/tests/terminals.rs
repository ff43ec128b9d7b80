//! Pictures in terminals: by sixels where one shows them, in half-blocks elsewhere, and not a byte of either where the output is
//! no terminal. Looked at on the screen.

use std::path::Path;

use anyhow::Result;
use yadori_e2e::{Compositor, Display, Service, until};

/// A picture that is easily recognised, in colors that every terminal has: orange above, blue below.
fn picture() -> Vec<u8> {
    let picture = image::RgbImage::from_fn(300, 200, |_, y| {
        if y < 100 { image::Rgb([255, 135, 0]) } else { image::Rgb([0, 95, 215]) }
    });
    let mut out = std::io::Cursor::new(Vec::new());
    picture.write_to(&mut out, image::ImageFormat::Png).expect("a picture");
    out.into_inner()
}

/// How many points of the screen have about this color.
fn count(screen: &image::RgbImage, color: [u8; 3]) -> usize {
    let near = |one: &image::Rgb<u8>| one.0.iter().zip(color).all(|(is, wanted)| is.abs_diff(wanted) < 24);
    screen.pixels().filter(|one| near(one)).count()
}

fn shows(screen: impl Fn(&Path) -> Option<image::RgbImage>, least: usize) {
    let dir = tempfile::tempdir().expect("a directory");
    let file = dir.path().join("screen");
    until("the picture on the screen", || {
        let screen = screen(&file)?;
        let both = [[255, 135, 0], [0, 95, 215]].map(|color| count(&screen, color));
        both.iter().all(|count| *count > least).then_some(())
    });
}

fn with_picture() -> (Service, tempfile::TempDir) {
    let service = Service::without_desk();
    let dir = tempfile::tempdir().expect("a directory");
    let file = dir.path().join("ridge.png");
    std::fs::write(&file, picture()).expect("a file");
    service.yadori(&["add", "--file", &file.display().to_string()]);
    (service, dir)
}

fn command(service: &Service) -> Vec<String> {
    let client = yadori_e2e::programs().join("yadori").display().to_string();
    let line = format!("{client} --home {} show 1; read -r line", service.home().display());
    ["sh", "-c", &line].map(str::to_owned).into()
}

#[test]
fn a_terminal_with_sixels_shows_every_point() -> Result<()> {
    let (service, _dir) = with_picture();
    let mut compositor = Compositor::start();
    let words = command(&service);
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    compositor.run("foot", &[&["--config=/dev/null"], &words[..]].concat());
    // 300 points by 100 of each.
    shows(
        |file| {
            compositor.picture(file);
            Some(image::ImageReader::open(file).ok()?.with_guessed_format().ok()?.decode().ok()?.into_rgb8())
        },
        25_000,
    );
    Ok(())
}

#[test]
fn a_terminal_without_graphics_shows_blocks_and_no_terminal_nothing() -> Result<()> {
    let (service, _dir) = with_picture();
    let mut display = Display::start();
    let words = command(&service);
    let words: Vec<&str> = words.iter().map(String::as_str).collect();
    display.run("xterm", &[&["-geometry", "100x40", "-e"], &words[..]].concat());
    let name = display.name();
    shows(|_| yadori_e2e::display::screen(&name), 2_000);
    let plain = service.yadori(&["show", "1"]);
    assert!(!plain.contains('\u{1b}') && !plain.contains('▀') && plain.contains("image/png"), "{plain}");
    Ok(())
}
