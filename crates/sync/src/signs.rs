//! Signs that a person reads and types: no letter that is taken for another (Crockford's alphabet).

/// The signs, by their values.
pub(crate) const SIGNS: &[u8; 32] = b"0123456789ABCDEFGHJKMNPQRSTVWXYZ";

/// What was typed, without spaces and dashes.
pub(crate) fn signs_in(text: &str) -> impl Iterator<Item = char> + '_ {
    text.chars().filter(|sign| !sign.is_whitespace() && *sign != '-')
}

/// The value of a sign, in either case; O is read as 0, I and L as 1.
pub(crate) fn value_of(typed: char) -> Option<u8> {
    let sign = match typed.to_ascii_uppercase() {
        'O' => '0',
        'I' | 'L' => '1',
        sign => sign,
    };
    SIGNS.iter().position(|one| char::from(*one) == sign).and_then(|value| u8::try_from(value).ok())
}
