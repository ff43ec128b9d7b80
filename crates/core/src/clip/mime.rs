//! Names of representations: MIME types, the aliases that programs use for plain text, and which types belong to a
//! protocol rather than to a content.

/// The one name under which plain text is kept.
pub const PLAIN: &str = "text/plain;charset=utf-8";
/// Formatted text.
pub const HTML: &str = "text/html";
/// A list of URIs (RFC 2483), lines ended by CRLF.
pub const URI_LIST: &str = "text/uri-list";
/// What file managers offer beside the list: a first line `copy` or `cut`, then URIs.
pub const FILE_MANAGER_LIST: &str = "x-special/gnome-copied-files";
/// A flag by which file managers mark a cut (`1`) rather than a copy (`0`).
pub const CUT_MARK: &str = "application/x-kde-cutselection";
/// The open convention by which a program says: do not record this (value `secret`).
pub const DO_NOT_RECORD: &str = "x-kde-passwordManagerHint";
/// The address of the page a copy was made on, as browsers built on Chromium offer it.
pub const PAGE_ADDRESS: &str = "chromium/x-source-url";
/// Address and title of a copied picture, UTF-16LE, lines ended by LF.
pub const PAGE_LINK: &str = "text/x-moz-url";

/// Image types by which an image is known: the first one present is its primary content.
pub const IMAGE_ORDER: [&str; 8] = [
    "image/png",
    "image/svg+xml",
    "image/webp",
    "image/gif",
    "image/jpeg",
    "image/tiff",
    "image/bmp",
    "image/x-bmp",
];

/// Names under which programs offer plain text, the best first. `STRING` is Latin-1 (ICCCM section 2.6.2), the rest
/// are UTF-8 or claim to be.
pub const TEXT_ALIASES: [&str; 6] =
    ["text/plain;charset=utf-8", "UTF8_STRING", "text/plain", "STRING", "TEXT", "COMPOUND_TEXT"];

/// Targets that are part of the selection protocol (ICCCM sections 2.6.2 and 2.6.3) or side effects, not contents.
const PROTOCOL: [&str; 11] = [
    "TARGETS",
    "TIMESTAMP",
    "MULTIPLE",
    "SAVE_TARGETS",
    "DELETE",
    "INSERT_SELECTION",
    "INSERT_PROPERTY",
    "ATOM",
    "ATOM_PAIR",
    "INTEGER",
    "INCR",
];

/// True for a target that carries no content.
pub fn is_protocol(name: &str) -> bool {
    PROTOCOL.contains(&name)
}

/// The position of `name` among the names of plain text, or `None`.
pub fn text_rank(name: &str) -> Option<usize> {
    let lower = name.to_ascii_lowercase().replace(' ', "");
    TEXT_ALIASES.iter().position(|alias| alias.eq_ignore_ascii_case(&lower))
}

/// True for representations that a text can be read from.
pub fn carries_text(name: &str) -> bool {
    text_rank(name).is_some() || base(name).starts_with("text/") || base(name) == FILE_MANAGER_LIST
}

/// True for any image type.
pub fn is_image(name: &str) -> bool {
    base(name).starts_with("image/")
}

/// The type without its parameters, in lower case.
pub fn base(name: &str) -> String {
    name.split(';').next().unwrap_or_default().trim().to_ascii_lowercase()
}

/// Which of the offered targets to fetch, in the order to fetch them: plain text under its best name, then html,
/// file lists, images in their fixed order, then everything else in the order offered. What identifies a clip comes
/// first, so that a copy that is replaced in the middle of reading is still kept.
pub fn fetch_order(offered: &[String]) -> Vec<String> {
    let mut order: Vec<String> = Vec::with_capacity(offered.len());
    let mut push = |name: &str| {
        if !order.iter().any(|known| known == name) {
            order.push(name.to_owned());
        }
    };
    if let Some(text) =
        offered.iter().filter(|name| text_rank(name).is_some()).min_by_key(|name| text_rank(name))
    {
        push(text);
    }
    let first: [&str; 3] = [HTML, URI_LIST, FILE_MANAGER_LIST];
    for known in first.iter().chain(IMAGE_ORDER.iter()) {
        if let Some(name) = offered.iter().find(|name| base(name) == *known) {
            push(name);
        }
    }
    for name in offered {
        let skip = is_protocol(name) || text_rank(name).is_some() || name == DO_NOT_RECORD || name.is_empty();
        if !skip {
            push(name);
        }
    }
    order
}

/// The file name extension that fits a type, without the dot; `bin` when none is known.
pub fn extension(name: &str) -> &'static str {
    match base(name).as_str() {
        "text/plain" => "txt",
        "text/html" => "html",
        "text/uri-list" => "uris",
        "text/rtf" | "application/rtf" => "rtf",
        "text/csv" => "csv",
        "image/png" => "png",
        "image/jpeg" => "jpg",
        "image/gif" => "gif",
        "image/webp" => "webp",
        "image/svg+xml" => "svg",
        "image/tiff" => "tiff",
        "image/bmp" | "image/x-bmp" => "bmp",
        "application/pdf" => "pdf",
        "application/json" => "json",
        _ if carries_text(name) => "txt",
        _ => "bin",
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn names(list: &[&str]) -> Vec<String> {
        list.iter().map(|name| (*name).to_owned()).collect()
    }

    #[test]
    fn plain_text_is_fetched_once_and_first() {
        let offered = names(&["TARGETS", "text/html", "STRING", "UTF8_STRING", "TIMESTAMP", "TEXT"]);
        assert_eq!(fetch_order(&offered), names(&["UTF8_STRING", "text/html"]));
    }

    #[test]
    fn unknown_types_are_fetched_last_and_hints_never() {
        let offered = names(&["application/x-thing", "x-kde-passwordManagerHint", "image/bmp", "image/png"]);
        assert_eq!(fetch_order(&offered), names(&["image/png", "image/bmp", "application/x-thing"]));
    }

    #[test]
    fn parameters_and_case_do_not_hide_a_type() {
        assert_eq!(text_rank("text/plain; charset=UTF-8"), Some(0));
        assert!(is_image("Image/PNG;q=1"));
        let extensions =
            ["text/plain;charset=utf-8", "UTF8_STRING", "text/x-odd", "image/png", "x/y"].map(extension);
        assert_eq!(extensions, ["txt", "txt", "txt", "png", "bin"]);
    }
}
