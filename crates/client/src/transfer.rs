//! A file that the service sends: received, compared with what the service says that it sent, and only then put in its
//! place.

use std::io::{self, Read, Write};
use std::path::Path;

use yadori_api::TransferEnd;

use crate::answer::json;
use crate::connection::Connection;
use crate::failure::Failure;
use crate::files::write::Target;
use crate::symbols::shown;
use crate::table::count_of;
use yadori_words::said;

/// Receives a file. `watch` sees the bytes as they come.
pub(crate) fn receive<R: Read>(
    service: &Connection,
    from: &str,
    target: &Target,
    out: &mut dyn Write,
    watch: impl FnOnce(Box<dyn Read>) -> R,
) -> Result<TransferEnd, Failure> {
    let (bytes, transfer) = service.download_named(from)?;
    let broken =
        |why: String| Failure::Connection(said!("it broke off ({why}), and nothing was replaced", why = why));
    target.write(out, |to| {
        let mut from = watch(Box::new(bytes));
        let mut hasher = blake3::Hasher::new();
        let mut portion = vec![0; 1 << 18];
        let mut count = 0;
        loop {
            let read = match from.read(&mut portion) {
                Ok(0) => break,
                Ok(read) => read,
                Err(why) if why.kind() == io::ErrorKind::Interrupted => continue,
                Err(why) => return Err(broken(why.to_string())),
            };
            hasher.update(&portion[..read]);
            to.write_all(&portion[..read])?;
            count += read as u64;
        }
        let end: TransferEnd =
            service.get(&format!("/transfers/{transfer}")).map_err(|why| broken(why.to_string()))?;
        if end.bytes != count || end.digest != hasher.finalize().to_hex().as_str() {
            return Err(broken(said!("what came is not what was sent")));
        }
        Ok(end)
    })
}

/// Says what was written, unless standard output is the file.
pub(crate) fn written(
    out: &mut dyn Write,
    end: &TransferEnd,
    target: &Target,
    as_json: bool,
    words: impl FnOnce() -> String,
) -> Result<(), Failure> {
    if end.pictures > 0 {
        let pictures = count_of(end.pictures, "picture");
        writeln!(
            io::stderr(),
            "{}",
            said!(
                "yadori: {pictures} left out: a table holds texts; export to .zip for everything",
                pictures = pictures
            )
        )?;
    }
    match target {
        Target::Standard => Ok(()),
        _ if as_json => json(out, end),
        _ => Ok(writeln!(out, "{}", words())?),
    }
}

/// Names the clips that are not in a file, as an error: whoever relies on the exit code learns of them.
pub(crate) fn whole(end: &TransferEnd, target: &Target) -> Result<(), Failure> {
    if end.left_out.is_empty() {
        return Ok(());
    }
    let named: Vec<String> =
        end.left_out.iter().map(|one| format!("  {}: {}", one.id, shown(&one.why, false))).collect();
    Err(Failure::LeftOut { name: target.name(), clips: end.clips, named })
}

/// The path as it was given, for messages.
pub(crate) fn told(path: &Path) -> String {
    path.display().to_string()
}
