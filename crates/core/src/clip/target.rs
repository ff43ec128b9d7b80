//! Which of the names that a program offers its copy under (targets, ICCCM section 2.6.2) are asked for, kept and handed
//! back, and which are left alone, each with its reason.

use crate::clip::mime;

/// Why a target is neither asked for, nor kept, nor handed back.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum LeftAlone {
    /// It steers the exchange itself or has an effect (ICCCM sections 2.6.2 and 2.6.3).
    Protocol,
    /// A wish about the copy, read before anything else.
    Wish,
    /// The number of a thing in the display server, which ends with its owner.
    InTheServer,
    /// A fact of the owner's window, process or computer, not of what was copied.
    AboutTheOwner,
    /// A pointer or a number that means something in the owner's memory alone. Programs take it for "still mine": handed
    /// back to them, they paste what they copied last.
    InTheOwner,
    /// Being asked for it changes the owner: a file manager takes its cut for pasted.
    ChangesTheOwner,
    /// Being asked for it changes the document: a place is marked in it that a link can lead to.
    ChangesTheDocument,
    /// The same picture or page drawn once more, slow to make; what it is drawn from is asked for.
    Drawing,
    /// Neither a name of plain text nor a MIME type: nobody can tell what it means.
    NoMimeType,
}

/// How a name of the table is compared, letter by letter in any case.
#[derive(Clone, Copy)]
enum Name {
    Is(&'static str),
    Begins(&'static str),
}

use LeftAlone::{
    AboutTheOwner, ChangesTheDocument, ChangesTheOwner, Drawing, InTheOwner, InTheServer, Protocol, Wish,
};
use Name::{Begins, Is};

const TABLE: [(Name, LeftAlone); 60] = [
    (Is("TARGETS"), Protocol),
    (Is("TIMESTAMP"), Protocol),
    (Is("MULTIPLE"), Protocol),
    (Is("SAVE_TARGETS"), Protocol),
    (Is("DELETE"), Protocol),
    (Is("INSERT_SELECTION"), Protocol),
    (Is("INSERT_PROPERTY"), Protocol),
    (Is("ATOM"), Protocol),
    (Is("ATOM_PAIR"), Protocol),
    (Is("INTEGER"), Protocol),
    (Is("INCR"), Protocol),
    (Is("NULL"), Protocol),
    (Is("LINK"), ChangesTheDocument),
    (Is(mime::DO_NOT_RECORD), Wish),
    (Is("PIXMAP"), InTheServer),
    (Is("BITMAP"), InTheServer),
    (Is("DRAWABLE"), InTheServer),
    (Is("COLORMAP"), InTheServer),
    (Is("PIXEL"), InTheServer),
    (Is("WINDOW"), InTheServer),
    (Is("CLIENT_WINDOW"), InTheServer),
    (Is("FOREGROUND"), InTheServer),
    (Is("BACKGROUND"), InTheServer),
    (Is("FONT"), InTheServer),
    (Is("CURSOR"), InTheServer),
    (Is("HOST_NAME"), AboutTheOwner),
    (Is("HOSTNAME"), AboutTheOwner),
    (Is("IP_ADDRESS"), AboutTheOwner),
    (Is("DECNET_ADDRESS"), AboutTheOwner),
    (Is("OWNER_OS"), AboutTheOwner),
    (Is("USER"), AboutTheOwner),
    (Is("NAME"), AboutTheOwner),
    (Is("CLASS"), AboutTheOwner),
    (Is("PROCESS"), AboutTheOwner),
    (Is("TASK"), AboutTheOwner),
    (Is("MODULE"), AboutTheOwner),
    (Is("PROCEDURE"), AboutTheOwner),
    (Is("LENGTH"), AboutTheOwner),
    (Is("LIST_LENGTH"), AboutTheOwner),
    (Is("SPAN"), AboutTheOwner),
    (Is("CHARACTER_POSITION"), AboutTheOwner),
    (Is("LINE_NUMBER"), AboutTheOwner),
    (Is("COLUMN_NUMBER"), AboutTheOwner),
    (Is("FILE_NAME"), AboutTheOwner),
    (Is("GTK_TEXT_BUFFER_CONTENTS"), InTheOwner),
    (Is("chromium/x-internal-source-rfh-token"), InTheOwner),
    (Begins("application/x-libreoffice-internal-id-"), InTheOwner),
    (Begins("application/x-moz-file-promise"), InTheOwner),
    (Is(mime::FILE_MANAGER_LIST), ChangesTheOwner),
    (Begins("application/x-openoffice-link"), ChangesTheDocument),
    (Begins("application/x-openoffice-dde"), ChangesTheDocument),
    (Is("LINK_SOURCE"), ChangesTheDocument),
    (Is("OBJECTLINK"), ChangesTheDocument),
    (Is("OWNERLINK"), ChangesTheDocument),
    (Begins("application/x-openoffice-gdimetafile"), Drawing),
    (Begins("application/x-openoffice-emf"), Drawing),
    (Begins("application/x-openoffice-wmf"), Drawing),
    (Begins("application/x-openoffice-bitmap"), Drawing),
    (Is("application/ico"), Drawing),
    (Is("text/ico"), Drawing),
];

fn begins(name: &str, with: &str) -> bool {
    name.get(..with.len()).is_some_and(|start| start.eq_ignore_ascii_case(with))
}

/// Why this target is left alone, or `None` for one that is asked for, kept and handed back. What the table does not
/// name is kept when its name is a MIME type (RFC 2045: a slash between two words) or one of plain text.
pub fn left_alone(name: &str) -> Option<LeftAlone> {
    let known = TABLE.iter().find(|(one, _)| match one {
        Is(whole) => name.eq_ignore_ascii_case(whole),
        Begins(start) => begins(name, start),
    });
    if let Some((_, why)) = known {
        return Some(*why);
    }
    let base = mime::base(name);
    let is_mime_type = base.split_once('/').is_some_and(|(kind, rest)| !kind.is_empty() && !rest.is_empty());
    if is_mime_type || mime::text_rank(name).is_some() { None } else { Some(LeftAlone::NoMimeType) }
}

/// True for what may be kept and handed back. A file manager's list is handed back although it is not asked for.
pub fn is_content(name: &str) -> bool {
    matches!(left_alone(name), None | Some(ChangesTheOwner))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_means_something_only_while_its_owner_lives_is_left_alone() {
        for (name, why) in [
            ("application/x-libreoffice-internal-id-6363", InTheOwner),
            ("GTK_TEXT_BUFFER_CONTENTS", InTheOwner),
            ("PIXMAP", InTheServer),
            ("CLIENT_WINDOW", InTheServer),
            ("IP_ADDRESS", AboutTheOwner),
            ("LENGTH", AboutTheOwner),
            ("application/x-openoffice-link;windows_formatname=\"Link\"", ChangesTheDocument),
            ("x-special/gnome-copied-files", ChangesTheOwner),
            ("targets", Protocol),
            ("x-kde-passwordManagerHint", Wish),
        ] {
            assert_eq!(left_alone(name), Some(why), "{name}");
        }
    }

    #[test]
    fn what_nobody_knows_is_kept_when_it_is_a_mime_type() {
        for name in ["application/x-odd; a=\"b c\"", "text/rtf", "application/x-openoffice-embed-source-xml"]
        {
            assert_eq!(left_alone(name), None, "{name}");
        }
        for name in ["", "_SOME_THING", "RTF", "/", "text/", "/plain", ";a=b/c"] {
            assert_eq!(left_alone(name), Some(LeftAlone::NoMimeType), "{name}");
        }
        assert_eq!((left_alone("UTF8_STRING"), left_alone("COMPOUND_TEXT")), (None, None));
    }

    #[test]
    fn no_name_stands_in_the_table_twice() {
        let mut names: Vec<String> = TABLE
            .iter()
            .map(|(name, _)| match name {
                Is(name) | Begins(name) => name.to_ascii_lowercase(),
            })
            .collect();
        names.sort_unstable();
        assert!(names.windows(2).all(|pair| pair[0] != pair[1]));
    }
}
