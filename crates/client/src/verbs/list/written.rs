//! Queries as they are typed in a shell.

use std::ffi::OsString;

/// What stands before a word of a query that begins with `-` like an option. No text has it.
const TURNED: char = '\u{1}';

/// The program's arguments, with words of `list` that are turned round (`-draft`) told from its options (`-d`, `-n5`).
pub(crate) fn with_turned_words(arguments: impl Iterator<Item = OsString>) -> Vec<OsString> {
    let mut all: Vec<OsString> = arguments.collect();
    let Some(verb) = verb_of(&all).filter(|verb| all[*verb] == "list") else { return all };
    let mut value = false;
    for one in all.iter_mut().skip(verb + 1) {
        let Some(text) = one.to_str() else { continue };
        if text == "--" {
            break;
        }
        let option = text.strip_prefix('-').filter(|rest| !rest.starts_with('-'));
        let letters = option.is_some_and(|rest| {
            let count = rest.strip_prefix('n').is_some_and(|n| n.bytes().all(|byte| byte.is_ascii_digit()));
            rest.chars().count() > 1 && !count
        });
        let is_value = std::mem::replace(
            &mut value,
            matches!(text, "-n" | "-d" | "--number" | "--drawer" | "--home" | "--lang"),
        );
        if letters && !is_value {
            *one = format!("{TURNED}{text}").into();
        }
    }
    all
}

/// Where the verb stands: first, or after the home.
fn verb_of(all: &[OsString]) -> Option<usize> {
    let mut at = 1;
    let takes_more = |text: &&str| ["--home", "--lang"].iter().any(|option| text.starts_with(option));
    while let Some(text) = all.get(at)?.to_str().filter(takes_more) {
        at += if text.contains('=') { 1 } else { 2 };
    }
    Some(at)
}

/// Whether a text is words and nothing else: no filter, no pattern, nothing quoted, turned round, or held together.
fn is_phrase(text: &str) -> bool {
    let filter = |word: &str| {
        word.split_once(':').is_some_and(|(name, _)| name.bytes().all(|byte| byte.is_ascii_lowercase()))
    };
    let plain = |word: &str| !(word.starts_with(['-', '(', '/']) || word == "OR" || filter(word));
    !text.contains('"') && text.trim().contains(char::is_whitespace) && text.split_whitespace().all(plain)
}

/// A query as it was typed in a shell: an argument with spaces was quoted there.
pub(crate) fn written(arguments: &[String]) -> String {
    let arguments: Vec<String> =
        arguments.iter().map(|one| one.strip_prefix(TURNED).unwrap_or(one).to_owned()).collect();
    if let [one] = &arguments[..] {
        return if is_phrase(one) { format!("\"{}\"", one.trim()) } else { one.clone() };
    }
    let quoted = |one: &String| {
        if one.contains(char::is_whitespace) && !one.contains(['"', '(']) {
            if let Some(turned) = one.strip_prefix('-') {
                return format!("-\"{turned}\"");
            }
            match one.split_once(':').filter(|(name, _)| name.bytes().all(|byte| byte.is_ascii_lowercase())) {
                Some((name, value)) => format!("{name}:\"{value}\""),
                None => format!("\"{one}\""),
            }
        } else {
            one.clone()
        }
    };
    arguments.iter().map(quoted).collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_query_reads_as_it_was_typed() {
        let told =
            |arguments: &[&str]| written(&arguments.iter().map(|one| (*one).to_owned()).collect::<Vec<_>>());
        assert_eq!(told(&["gas", "kind:text"]), "gas kind:text");
        assert_eq!(told(&["two words", "-x"]), "\"two words\" -x");
        assert_eq!(told(&["in:long replies", "x"]), "in:\"long replies\" x");
        assert_eq!(told(&["gas \"11 kg\""]), "gas \"11 kg\"");
        assert_eq!(told(&["half board"]), "\"half board\"");
        assert_eq!(told(&["gas kind:text"]), "gas kind:text");
        assert_eq!(told(&["gas -oil"]), "gas -oil");
        assert_eq!(told(&["gas OR oil"]), "gas OR oil");
        assert_eq!(told(&["(gas", "OR", "oil)", "-half board"]), "(gas OR oil) -\"half board\"");
        assert_eq!(told(&["gas"]), "gas");
    }

    #[test]
    fn words_that_are_turned_round_are_no_options() {
        let told = |line: &str| {
            let all = with_turned_words(line.split(' ').map(OsString::from)).into_iter();
            all.map(|one| one.to_string_lossy().replace(TURNED, "!")).collect::<Vec<_>>().join(" ")
        };
        for (line, read) in [
            ("yadori list bunks -confirmed", "yadori list bunks !-confirmed"),
            ("yadori list -draft", "yadori list !-draft"),
            ("yadori list -n5 -f -d Replies", "yadori list -n5 -f -d Replies"),
            ("yadori list -n 5 -d -odd --json", "yadori list -n 5 -d -odd --json"),
            ("yadori list -- -draft", "yadori list -- -draft"),
            ("yadori --home x list -(a", "yadori --home x list !-(a"),
            ("yadori take -draft", "yadori take -draft"),
            ("yadori drawer list -draft", "yadori drawer list -draft"),
            ("yadori --home=list take -draft", "yadori --home=list take -draft"),
        ] {
            assert_eq!(told(line), read);
        }
    }
}
