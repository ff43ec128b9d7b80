//! Names of representations: MIME types, the aliases that programs use for plain text, and the encodings of pictures.

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
/// The address of the page a copy was made on, UTF-16LE, as browsers built on Gecko offer it.
pub const PAGE_PRIVATE: &str = "text/x-moz-url-priv";
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

/// Names under which programs offer plain text, the best first: editors offer their own line ends under `UTF8_STRING`
/// and CRLF, as RFC 2046 has it, under the MIME types. `STRING` is Latin-1 and `COMPOUND_TEXT` has its own encoding (ICCCM
/// section 2.6.2), the rest are UTF-8 or claim to be.
pub const TEXT_ALIASES: [&str; 6] =
    ["UTF8_STRING", "text/plain;charset=utf-8", "text/plain", "STRING", "TEXT", "COMPOUND_TEXT"];

/// Encodings of pictures that are made again from another one when they are asked for: the file format, and the names
/// programs have for it.
const MADE: [(Encoding, &str); 12] = [
    (Encoding::Png, "image/png"),
    (Encoding::Bmp, "image/bmp"),
    (Encoding::Bmp, "image/x-bmp"),
    (Encoding::Bmp, "image/x-ms-bmp"),
    (Encoding::Jpeg, "image/jpeg"),
    (Encoding::Jpeg, "image/jpg"),
    (Encoding::Jpeg, "image/pjpeg"),
    (Encoding::Tiff, "image/tiff"),
    (Encoding::Webp, "image/webp"),
    (Encoding::Pnm, "image/x-portable-anymap"),
    (Encoding::Pnm, "image/x-portable-pixmap"),
    (Encoding::Pnm, "image/ppm"),
];

/// A file format for pictures made of pixels.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
#[allow(missing_docs, reason = "they are their names")]
pub enum Encoding {
    Png,
    Bmp,
    Jpeg,
    Tiff,
    Webp,
    Pnm,
}

/// The encoding that a picture is made again in when this name is asked for. `None` for what can't be made of pixels:
/// drawings, moving pictures, and names nobody here knows.
pub fn encoding(name: &str) -> Option<Encoding> {
    let base = base(name);
    MADE.iter().find(|(_, known)| *known == base).map(|(encoding, _)| *encoding)
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

    #[test]
    fn parameters_and_case_do_not_hide_a_type() {
        assert_eq!(text_rank("text/plain; charset=UTF-8"), Some(1));
        assert!(is_image("Image/PNG;q=1"));
        let extensions =
            ["text/plain;charset=utf-8", "UTF8_STRING", "text/x-odd", "image/png", "x/y"].map(extension);
        assert_eq!(extensions, ["txt", "txt", "txt", "png", "bin"]);
    }
}
