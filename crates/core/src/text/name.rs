//! Names and titles that a person gives: one short line.

/// Characters of a drawer's, divider's or group's name at most.
pub const NAME_CHARS: usize = 80;
/// Characters of a clip's title at most.
pub const TITLE_CHARS: usize = 200;

/// Why a text can't be a name or a title.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum NameError {
    /// Nothing but white space.
    #[error("a name needs at least one character")]
    Empty,
    /// Too long.
    #[error("it has {0} characters; at most {1} are allowed")]
    Long(usize, usize),
    /// Control characters or line breaks.
    #[error("it must be one line, without control characters")]
    Control,
}

/// A name as it is kept: trimmed, one line, at most `most` characters.
pub fn name_of(text: &str, most: usize) -> Result<String, NameError> {
    let text = text.trim();
    let chars = text.chars().count();
    match text {
        "" => Err(NameError::Empty),
        _ if chars > most => Err(NameError::Long(chars, most)),
        text if text.chars().any(char::is_control) => Err(NameError::Control),
        text => Ok(text.to_owned()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_one_short_line() {
        assert_eq!(name_of("  Huts ", 80).as_deref(), Ok("Huts"));
        assert_eq!(name_of(" ", 80), Err(NameError::Empty));
        assert_eq!(name_of("a\nb", 80), Err(NameError::Control));
        assert_eq!(name_of(&"x".repeat(10_000_000), 80), Err(NameError::Long(10_000_000, 80)));
    }
}
