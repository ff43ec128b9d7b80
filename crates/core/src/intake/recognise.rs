//! Recognising secrets in a copied text: by their written form, by their check digits, and (one-time codes, passwords)
//! by what the source says. What is long and only mentions a number is no secret: losing a page is worse.

use std::collections::BTreeSet;
use std::sync::LazyLock;

use regex::Regex;

use crate::clip::offer::Source;
use crate::clip::secret::SecretKind;
use crate::text::fold::fold;

/// Bytes of a text that are looked at.
const LOOKED_AT: usize = 1 << 20;
/// Characters of a text in which a number is the point.
const SHORT: usize = 120;

static TOKENS: LazyLock<Option<Regex>> = LazyLock::new(|| {
    // Forms that issuers document, so that leaked ones are found.
    Regex::new(
        r"(?x) \b (?:
            gh[pousr]_[A-Za-z0-9]{36,255} | github_pat_[A-Za-z0-9_]{60,255} | gl(?:pat|ptt|dt|rt)-[A-Za-z0-9_\-]{20,60}
            | xox[abeoprs]-[A-Za-z0-9\-]{20,255} | (?:AKIA|ASIA|ABIA|ACCA)[0-9A-Z]{16}
            | (?:sk|rk|pk)_(?:live|test)_[A-Za-z0-9]{16,250} | AIza[0-9A-Za-z_\-]{35} | ya29\.[0-9A-Za-z_\-]{20,}
            | npm_[A-Za-z0-9]{36} | pypi-[A-Za-z0-9_\-]{50,} | SG\.[A-Za-z0-9_\-]{22}\.[A-Za-z0-9_\-]{43}
            | sk-[A-Za-z0-9_\-]{32,200} | dop_v1_[a-f0-9]{64} | hf_[A-Za-z0-9]{30,60} | EAA[A-Za-z0-9]{60,}
            | [0-9]{8,10}:AA[A-Za-z0-9_\-]{33} | glsa_[A-Za-z0-9_]{32,60} | shp(?:at|ca|pa|ss)_[a-fA-F0-9]{32}
        ) \b
        | (?i:\bauthorization:\s*(?:bearer|basic)\s+[A-Za-z0-9+/=._~\-]{16,})",
    )
    .ok()
});

static KEYS: LazyLock<Option<Regex>> = LazyLock::new(|| {
    Regex::new(
        r"-----BEGIN (?:[A-Z0-9]+ )*PRIVATE KEY(?: BLOCK)?-----|PuTTY-User-Key-File-[23]:|AGE-SECRET-KEY-1[0-9A-Z]{40,}|\bxprv[1-9A-HJ-NP-Za-km-z]{100,}",
    )
    .ok()
});

static WEB_TOKENS: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"\beyJ[A-Za-z0-9_-]{8,}\.eyJ[A-Za-z0-9_-]{4,}\.[A-Za-z0-9_-]{16,}").ok());

static ACCOUNTS: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"\b[A-Z]{2}[0-9]{2}(?:[ -]?[A-Z0-9]{1,4}){3,8}\b").ok());

static NUMBERS: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"\b[0-9](?:[ -]?[0-9]){11,18}\b").ok());

static CODES: LazyLock<Option<Regex>> =
    LazyLock::new(|| Regex::new(r"\b(?:[0-9]{4,8}|[0-9]{3}[ -][0-9]{3,4}|[A-Z]-[0-9]{6})\b").ok());

/// Words beside a code that say what it is.
const CODE_WORDS: [&str; 14] = [
    "one-time",
    "one time",
    "verification",
    "verify",
    "otp",
    "passcode",
    "2fa",
    "two-factor",
    "security code",
    "login code",
    "sign-in code",
    "bestatigungscode",
    "einmalcode",
    "code de verification",
];
/// Words of a source that say that it deals with such codes.
const CODE_SOURCES: [&str; 7] =
    ["authenticator", "one-time", "otp", "verification code", "2fa", "two-factor", "passcode"];
/// Words of a program that say that it keeps passwords.
const PASSWORD_PROGRAMS: [&str; 8] =
    ["keepass", "password", "passwort", "wallet", "keyring", "vault", "credential", "secrets"];
/// Words of a window that say that a password is what it shows.
const PASSWORD_WINDOWS: [&str; 6] =
    ["password manager", "passwords", "passworter", "mots de passe", "password for", "credentials"];

/// What a text is recognised as, with the recognisers that are switched on: the first one that hits.
pub fn recognise(text: &str, source: &Source, on: &BTreeSet<SecretKind>) -> Option<SecretKind> {
    let mut end = text.len().min(LOOKED_AT);
    while !text.is_char_boundary(end) {
        end -= 1;
    }
    let text = &text[..end];
    SecretKind::RECOGNISED.into_iter().filter(|kind| on.contains(kind)).find(|kind| match kind {
        SecretKind::PrivateKey => hits(&KEYS, text),
        SecretKind::AccessToken => hits(&TOKENS, text),
        SecretKind::WebToken => hits(&WEB_TOKENS, text),
        SecretKind::CardNumber => is_about(&NUMBERS, text, is_card_number),
        SecretKind::Iban => is_about(&ACCOUNTS, text, is_iban),
        SecretKind::OneTimeCode => is_code(text, source),
        SecretKind::Password => is_password(text, source),
        SecretKind::Ruled => false,
    })
}

fn hits(pattern: &Option<Regex>, text: &str) -> bool {
    pattern.as_ref().is_some_and(|pattern| pattern.is_match(text))
}

/// Such a number is in the text, and the text is about it: it is short, or little else stands in it.
fn is_about(pattern: &Option<Regex>, text: &str, is_one: fn(&str) -> bool) -> bool {
    let Some(pattern) = pattern else { return false };
    let letters = text.chars().filter(|c| !c.is_whitespace()).take(SHORT * 8).count();
    if letters >= SHORT * 8 {
        return false;
    }
    let found: usize = pattern
        .find_iter(text)
        .filter(|found| is_one(found.as_str()))
        .map(|found| found.as_str().chars().filter(char::is_ascii_alphanumeric).count())
        .sum();
    found > 0 && (letters <= SHORT || found * 3 >= letters)
}

/// Prefixes of issuers with their lengths (ISO/IEC 7812), and the check digit (Luhn).
fn is_card_number(text: &str) -> bool {
    let digits: Vec<u32> = text.chars().filter_map(|c| c.to_digit(10)).collect();
    let prefix = |n: usize| digits.iter().take(n).fold(0, |all, digit| all * 10 + digit);
    let length = digits.len();
    let issued = match (prefix(1), prefix(2), prefix(3), prefix(4)) {
        (4, ..) => [13, 16, 19].contains(&length),
        (_, 51..=55, ..) | (.., 2221..=2720) => length == 16,
        (_, 34 | 37, ..) => length == 15,
        (_, 36 | 38 | 39, ..) | (_, _, 300..=305, _) => length == 14,
        (_, 65, ..) | (_, _, 644..=649, _) | (.., 6011 | 3528..=3589) => length == 16,
        (_, 62, ..) => (16..=19).contains(&length),
        _ => false,
    };
    issued && digits.iter().any(|digit| *digit != digits[0]) && luhn(&digits)
}

fn luhn(digits: &[u32]) -> bool {
    let doubled = |digit: u32| if digit > 4 { digit * 2 - 9 } else { digit * 2 };
    let sum: u32 = digits
        .iter()
        .rev()
        .enumerate()
        .map(|(n, digit)| if n % 2 == 1 { doubled(*digit) } else { *digit })
        .sum();
    sum.is_multiple_of(10)
}

/// The check digits of ISO 13616: the number modulo 97 is 1.
fn is_iban(text: &str) -> bool {
    let letters: Vec<char> = text.chars().filter(char::is_ascii_alphanumeric).collect();
    if !(15..=34).contains(&letters.len()) {
        return false;
    }
    let rearranged = letters[4..].iter().chain(&letters[..4]);
    let rest = rearranged.filter_map(|c| c.to_digit(36)).fold(0u32, |rest, value| {
        if value > 9 { (rest * 100 + value) % 97 } else { (rest * 10 + value) % 97 }
    });
    rest == 1
}

/// A text of six digits alone from a source that deals with codes; or a few words that say that a code is in them.
fn is_code(text: &str, source: &Source) -> bool {
    let text = text.trim();
    let short = text.chars().take(SHORT * 3).count() < SHORT * 3;
    if !short || !hits(&CODES, text) {
        return false;
    }
    let folded = fold(text);
    if CODE_WORDS.iter().any(|word| folded.contains(word)) {
        return true;
    }
    let alone = text.chars().all(|c| c.is_ascii_digit() || c == ' ' || c == '-') && text.len() <= 9;
    alone && says(source, &CODE_SOURCES)
}

/// One word of some kinds of letters, from a program or a window that deals with passwords.
fn is_password(text: &str, source: &Source) -> bool {
    let text = text.trim_end_matches(['\n', '\r']);
    let length = text.chars().take(257).count();
    if !(6..=256).contains(&length) || text.contains(char::is_whitespace) || text.contains("://") {
        return false;
    }
    let program = source.program.as_deref().map(fold).unwrap_or_default();
    let window = source.window.as_deref().map(fold).unwrap_or_default();
    let dealt = PASSWORD_PROGRAMS.iter().any(|word| program.contains(word))
        || PASSWORD_WINDOWS.iter().any(|word| window.contains(word));
    let classes: [fn(char) -> bool; 4] =
        [|c| c.is_lowercase(), |c| c.is_uppercase(), |c| c.is_numeric(), |c| !c.is_alphanumeric()];
    let mixed = classes.iter().filter(|class| text.chars().any(**class)).count();
    // An address is what one copies beside a password.
    let address = text.contains('@') && text.rsplit('@').next().is_some_and(|host| host.contains('.'));
    dealt && !address && (mixed >= 3 || (mixed == 2 && length >= 10) || length >= 20)
}

fn says(source: &Source, words: &[&str]) -> bool {
    let told = [&source.program, &source.window, &source.page];
    told.into_iter().flatten().map(|text| fold(text)).any(|text| words.iter().any(|word| text.contains(word)))
}

#[cfg(test)]
mod tests;
