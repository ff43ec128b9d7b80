//! Words in pictures: read by the real program in the background, found, shown in their place, taken, and gone with the
//! picture.

use std::path::Path;
use std::time::Duration;

use anyhow::Result;
use serde_json::Value;
use yadori_api::{Detail, PicturedState};
use yadori_demo::draw::notice;
use yadori_e2e::hub::{Hub, pair};
use yadori_e2e::{Browser, Display, Service, until, until_within};

const LINES: [&str; 3] = ["Kestrel Hut", "Spring water: boil it until 20 June", "Ridge path closed"];

fn detail(service: &Service, clip: &str) -> Detail {
    serde_json::from_str(&service.yadori(&["show", clip, "--json"])).expect("details")
}

/// How long it may take on a busy machine: whoever reads them makes way for everything else.
const SLOWLY: Duration = Duration::from_secs(600);

/// Waits until the words of a clip's picture were read.
fn await_words(service: &Service, clip: &str) -> String {
    until_within("its words", SLOWLY, || {
        let pictured = detail(service, clip).pictured?;
        (pictured.state == PicturedState::Read).then_some(pictured.text)
    })
}

fn found(service: &Service, query: &str) -> Vec<String> {
    // Where nothing matches it ends with a code of its own.
    let said = service.client(&["list", query, "--json"]).stdout;
    let listed: Value = serde_json::from_slice(&said).unwrap_or_default();
    let ids = listed["clips"].as_array().into_iter().flatten();
    ids.filter_map(|one| Some(one["id"].as_str()?.to_owned())).collect()
}

#[test]
fn words_of_a_copied_picture_are_found_taken_and_there_after_a_restart() -> Result<()> {
    let mut display = Display::start();
    let mut service = Service::on(&display.name());
    service.add(&["oats 12 kg"]);
    display.copy("image/png", &notice(&LINES)?);
    let row = until("the picture", || service.list(1).into_iter().find(|row| row.picture.is_some()));
    assert_eq!(await_words(&service, &row.id), LINES.join("\n"));
    for query in ["boil", "KESTREL", "\"path closed\"", "boil kind:image"] {
        assert_eq!(found(&service, query), std::slice::from_ref(&row.id), "{query}");
    }
    let told = service.yadori(&["list", "boil"]);
    assert!(told.contains("read in it: ") && told.contains("Spring water: boil it"), "{told}");
    let told = service.yadori(&["show", &row.id]);
    assert!(told.contains("Read in it Kestrel Hut\n") && told.contains("           Spring water"), "{told}");
    service.yadori(&["take", &row.id, "--as", "words"]);
    assert_eq!(display.paste_text(), Some(LINES.join("\n")));
    // A title, a pin and another copy of it change nothing of that.
    service.yadori(&["title", &row.id, "Notice at the door"]);
    service.yadori(&["pin", &row.id]);
    display.copy("image/png", &notice(&LINES)?);
    until("another copy", || service.list(1).into_iter().find(|one| one.id == row.id && one.copies > 1));
    assert_eq!(found(&service, "boil"), std::slice::from_ref(&row.id));
    service.stop();
    service.start_again();
    service.await_records();
    until("the search", || (found(&service, "boil") == std::slice::from_ref(&row.id)).then_some(()));
    service.yadori(&["remove", &row.id]);
    assert!(found(&service, "boil").is_empty());
    service.yadori(&["undo"]);
    until("the search", || (found(&service, "boil") == std::slice::from_ref(&row.id)).then_some(()));
    Ok(())
}

/// A picture of a notice above so much snow that it comes after what is told of it; too pale to be taken for words.
fn large_notice() -> Result<Vec<u8>> {
    let notice = image::load_from_memory(&notice(&LINES)?)?.to_rgb8();
    let mut noise = blake3::Hasher::new().update(b"snow").finalize_xof();
    let mut bytes = vec![0; (notice.width() * 1_200 * 3) as usize];
    noise.fill(&mut bytes);
    bytes.iter_mut().for_each(|byte| *byte |= 0xf0);
    let snow = image::RgbImage::from_raw(notice.width(), 1_200, bytes).expect("as many bytes");
    let mut all = image::RgbImage::new(notice.width(), notice.height() + 1_200);
    image::imageops::replace(&mut all, &notice, 0, 0);
    image::imageops::replace(&mut all, &snow, 0, i64::from(notice.height()));
    let mut out = std::io::Cursor::new(Vec::new());
    all.write_to(&mut out, image::ImageFormat::Png)?;
    Ok(out.into_inner())
}

/// What another device has is read here once it has come, without a restart.
#[test]
fn words_of_a_picture_that_comes_later_from_another_device_are_found() -> Result<()> {
    let hub = Hub::open();
    let scratch = tempfile::tempdir()?;
    let host = Service::configured("[pictures]\nread = false\n");
    let guest = Service::without_desk();
    pair(&hub, (&host, &guest), ("Office", "Valley"));
    let file = scratch.path().join("notice.png");
    let picture = large_notice()?;
    assert!(picture.len() > 800 << 10, "{} bytes", picture.len());
    std::fs::write(&file, &picture)?;
    host.yadori(&["add", "--file", &file.display().to_string()]);
    let row = until_within("word of the picture", SLOWLY, || guest.list(1).into_iter().next());
    let shown = guest.client(&["show", &row.id, "--raw"]);
    assert!(shown.status.success() && shown.stdout == picture);
    until_within("its words", SLOWLY, || {
        (found(&guest, "boil") == std::slice::from_ref(&row.id)).then_some(())
    });
    Ok(())
}

#[test]
fn one_switch_turns_it_off_and_on_at_once() -> Result<()> {
    let dir = tempfile::tempdir()?;
    let service = Service::configured("[pictures]\nread = false\n");
    let add = |lines: &[&str]| -> Result<String> {
        let file = dir.path().join("notice.png");
        std::fs::write(&file, notice(lines)?)?;
        let added: Value =
            serde_json::from_str(&service.yadori(&["add", "--json", "--file", &file.to_string_lossy()]))?;
        Ok(added["row"]["id"].as_str().unwrap_or_default().to_owned())
    };
    let state = |id: &str| detail(&service, id).pictured.map(|one| one.state);
    let first = add(&["Kestrel Hut"])?;
    assert_eq!(state(&first), Some(PicturedState::Off));
    assert!(service.yadori(&["show", &first]).contains("yadori settings set pictures.read true"));
    let refused = service.client(&["take", &first, "--as", "words", "--preview"]);
    assert!(String::from_utf8_lossy(&refused.stderr).contains("no words were read in it"), "{refused:?}");
    service.yadori(&["settings", "set", "pictures.read", "true"]);
    assert_eq!(await_words(&service, &first), "Kestrel Hut");
    service.yadori(&["settings", "set", "pictures.read", "false"]);
    let second = add(&["Larch Hut"])?;
    assert_eq!(state(&second), Some(PicturedState::Off));
    // What was read stays.
    assert_eq!(found(&service, "kestrel"), [first]);
    Ok(())
}

#[test]
fn without_the_program_it_is_said_how_to_get_it_and_what_came_is_read_once_it_is_there() -> Result<()> {
    let dir = tempfile::tempdir()?;
    let programs = dir.path().join("programs");
    std::fs::create_dir(&programs)?;
    for folder in std::env::split_paths(&std::env::var_os("PATH").unwrap_or_default()) {
        for one in std::fs::read_dir(folder).into_iter().flatten().flatten() {
            if one.file_name() != "tesseract" {
                // The first of a name counts.
                let _ = std::os::unix::fs::symlink(one.path(), programs.join(one.file_name()));
            }
        }
    }
    let path = programs.to_string_lossy().into_owned();
    let service = Service::configured_among("", &[("PATH", &path)]);
    let file = dir.path().join("notice.png");
    std::fs::write(&file, notice(&LINES)?)?;
    service.yadori(&["add", "--file", &file.to_string_lossy()]);
    let state = || detail(&service, "1").pictured.map(|one| one.state);
    assert_eq!(state(), Some(PicturedState::NoReader));
    assert!(service.yadori(&["show", "1"]).contains("tesseract-ocr"));
    std::os::unix::fs::symlink(which("tesseract"), programs.join("tesseract"))?;
    // Whatever is set looks for it anew.
    service.yadori(&["settings", "set", "pictures.read", "true"]);
    assert_eq!(await_words(&service, "1"), LINES.join("\n"));
    Ok(())
}

#[test]
fn pictures_are_read_once_more_when_the_reader_has_learned_a_language() -> Result<()> {
    let dir = tempfile::tempdir()?;
    // One that knows Latin alone, and recognises nothing here.
    let reader = dir.path().join("tesseract");
    let script = "#!/bin/sh\ncase $* in *--list-langs*) printf 'List of available languages (1):\\nlat\\n' ;; *) cat > /dev/null; echo once >> \"$0.log\"; head -n 0 ;; esac\n";
    std::fs::write(&reader, script)?;
    std::fs::set_permissions(&reader, std::os::unix::fs::PermissionsExt::from_mode(0o755))?;
    let path = format!("{}:{}", dir.path().display(), std::env::var("PATH")?);
    let mut service = Service::configured_among("", &[("PATH", &path)]);
    let file = dir.path().join("notice.png");
    std::fs::write(&file, notice(&LINES)?)?;
    service.yadori(&["add", "--file", &file.to_string_lossy()]);
    let times =
        || std::fs::read_to_string(dir.path().join("tesseract.log")).unwrap_or_default().lines().count();
    until_within("it to be read", SLOWLY, || {
        let state = detail(&service, "1").pictured.map(|one| one.state);
        (state == Some(PicturedState::Read)).then_some(())
    });
    service.stop();
    // It knows no more than before: it reads nothing again.
    service.start_again();
    service.await_records();
    std::fs::write(&file, notice(&["Larch Hut"])?)?;
    service.yadori(&["add", "--file", &file.to_string_lossy()]);
    until_within("the other to be read", SLOWLY, || (times() > 1).then_some(()));
    until_within("it to be known", SLOWLY, || {
        let state = detail(&service, "1").pictured.map(|one| one.state);
        (state == Some(PicturedState::Read)).then_some(())
    });
    assert_eq!((found(&service, "hut"), times()), (Vec::new(), 2));
    service.stop();
    std::fs::remove_file(&reader)?;
    service.start_again();
    service.await_records();
    until_within("the words of both", SLOWLY, || (found(&service, "hut").len() == 2).then_some(()));
    assert_eq!(
        (await_words(&service, "1").as_str(), await_words(&service, "2")),
        ("Larch Hut", LINES.join("\n"))
    );
    Ok(())
}

fn which(program: &str) -> std::path::PathBuf {
    let path = std::env::var_os("PATH").unwrap_or_default();
    std::env::split_paths(&path)
        .map(|folder| folder.join(program))
        .find(|path| Path::exists(path))
        .expect("it")
}

#[tokio::test]
async fn the_console_shows_where_in_the_picture_a_word_stands() -> Result<()> {
    let display = Display::start();
    let service = Service::on(&display.name());
    let dir = tempfile::tempdir()?;
    let file = dir.path().join("notice.png");
    std::fs::write(&file, notice(&LINES)?)?;
    service.yadori(&["add", "--file", &file.to_string_lossy()]);
    service.add(&["oats 12 kg"]);
    await_words(&service, "2");
    let browser = Browser::console(&service).await?;
    browser.press("/").await?;
    browser.until("return document.activeElement.id === 'search'").await?;
    browser.press("boil").await?;
    browser.until("return document.querySelector('mark.match')?.textContent === 'boil'").await?;
    let row = browser.script("return document.querySelector('mark.match').parentElement.textContent").await?;
    assert!(row.as_str().unwrap_or_default().contains("read in the picture: "), "{row}");
    browser.tap("[data-id] img").await?;
    browser.until("return document.querySelectorAll('.found-word').length === 1").await?;
    // In the second of three lines, and in the middle of it.
    let place = browser
        .script(
            "const word = document.querySelector('.found-word').getBoundingClientRect(); \
             const picture = document.querySelector('.found-word').closest('span').querySelector('img').getBoundingClientRect(); \
             return [(word.left + word.width / 2 - picture.left) / picture.width, (word.top + word.height / 2 - picture.top) / picture.height]",
        )
        .await?;
    let [x, y]: [f64; 2] = serde_json::from_value(place)?;
    assert!((0.3..0.6).contains(&x) && (0.4..0.6).contains(&y), "{x} {y}");
    let words = browser.script("return document.querySelector('[data-pictured]').textContent").await?;
    assert_eq!(words.as_str(), Some(LINES.join("\n").as_str()));
    assert_eq!(browser.faults().await?, Vec::<String>::new());
    Ok(())
}
