//! Tidying: named clean-ups of a text on its way out. They combine, in the order in which they are named.

use serde::de::IgnoredAny;

use crate::text::near::nearest;

/// One clean-up.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Step {
    /// Words alone, without formatting: what every text is that is cleaned up.
    Plain,
    /// White space at the ends of the text and of its lines goes.
    Trim,
    /// All lines become one, with a space between them.
    OneLine,
    /// Lines that were broken by width become paragraphs again; an empty line still parts them.
    Unwrap,
    /// Numbers and bullets at the beginnings of lines go.
    Unlist,
    /// Several empty lines become one.
    Blanks,
    /// Curly quotation marks and apostrophes become straight ones.
    Quotes,
    /// All letters large.
    Upper,
    /// All letters small.
    Lower,
    /// The first letter of each sentence large, the others small.
    Sentence,
    /// The first letter of each word large, the others small.
    Title,
    /// What tracks people goes from links.
    Links,
    /// `%C3%A9` in links and elsewhere becomes what it stands for.
    Decode,
    /// JSON is laid out over lines; what is no JSON stays.
    Json,
}

/// All steps, by the names that people write.
pub const STEPS: [(&str, Step); 14] = [
    ("plain", Step::Plain),
    ("trim", Step::Trim),
    ("one-line", Step::OneLine),
    ("unwrap", Step::Unwrap),
    ("unlist", Step::Unlist),
    ("blanks", Step::Blanks),
    ("quotes", Step::Quotes),
    ("upper", Step::Upper),
    ("lower", Step::Lower),
    ("sentence", Step::Sentence),
    ("title", Step::Title),
    ("links", Step::Links),
    ("decode", Step::Decode),
    ("json", Step::Json),
];

/// No such step.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
#[error("there is no tidying called `{name}`{}; there are {}", near.map(|near| format!(" (did you mean `{near}`?)")).unwrap_or_default(), all())]
pub struct NoStep {
    /// What was written.
    pub name: String,
    /// The name that is most like it.
    pub near: Option<&'static str>,
}

fn all() -> String {
    STEPS.map(|(name, _)| name).join(", ")
}

impl std::str::FromStr for Step {
    type Err = NoStep;

    fn from_str(name: &str) -> Result<Self, NoStep> {
        let wanted = name.trim().to_lowercase();
        if let Some((_, step)) = STEPS.iter().find(|(known, _)| *known == wanted) {
            return Ok(*step);
        }
        let near = nearest(&wanted, STEPS.iter().map(|(known, _)| *known));
        Err(NoStep { name: name.trim().to_owned(), near })
    }
}

/// A text after these steps, one after another.
pub fn tidied(text: &str, steps: &[Step]) -> String {
    steps.iter().fold(text.to_owned(), |text, step| step.of(&text))
}

impl Step {
    /// A text after this step.
    pub fn of(self, text: &str) -> String {
        match self {
            Self::Plain => text.to_owned(),
            Self::Trim => trim(text),
            Self::OneLine => words_of(text.lines(), " "),
            Self::Unwrap => unwrap(text),
            Self::Unlist => unlist(text),
            Self::Blanks => blanks(text),
            Self::Quotes => text.chars().map(straight).collect(),
            Self::Upper => text.to_uppercase(),
            Self::Lower => text.to_lowercase(),
            Self::Sentence => {
                cased(text, |before| matches!(before, '.' | '!' | '?' | '…' | '\n' | '。' | '¿' | '¡'))
            }
            Self::Title => title(text),
            Self::Links => on_links(text, without_tracking),
            Self::Decode => decoded(text),
            Self::Json => json(text).unwrap_or_else(|| text.to_owned()),
        }
    }
}

fn trim(text: &str) -> String {
    let lines: Vec<&str> = text.trim().lines().map(str::trim).collect();
    lines.join("\n")
}

fn words_of<'a>(lines: impl Iterator<Item = &'a str>, between: &str) -> String {
    let kept: Vec<&str> = lines.map(str::trim).filter(|line| !line.is_empty()).collect();
    kept.join(between)
}

/// A line that begins something of its own: a list's entry, a quotation, a table's row, code.
fn stands_alone(line: &str) -> bool {
    line.starts_with(['>', '|', '\t', '#']) || line.starts_with("    ") || marker(line, true).is_some()
}

fn unwrap(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut goes_on = false;
    for line in text.lines() {
        if line.trim().is_empty() {
            out.push('\n');
            goes_on = false;
            continue;
        }
        if goes_on && !stands_alone(line) {
            // The line before ends with the line feed that is not wanted.
            out.pop();
            let joins = out.ends_with(is_wide) && line.trim_start().starts_with(is_wide);
            while out.ends_with([' ', '\t']) {
                out.pop();
            }
            if !joins {
                out.push(' ');
            }
            out.push_str(line.trim());
        } else {
            out.push_str(line.trim_end());
        }
        out.push('\n');
        goes_on = true;
    }
    if !text.ends_with('\n') {
        out.pop();
    }
    out
}

/// Scripts that put no space between words.
fn is_wide(letter: char) -> bool {
    matches!(letter, '\u{3000}'..='\u{30ff}' | '\u{3400}'..='\u{9fff}' | '\u{ff00}'..='\u{ff60}')
}

/// The bytes of a number or bullet at the beginning of a line, with the space after it. `letters`: single letters and roman
/// numbers count too.
pub(crate) fn marker(line: &str, letters: bool) -> Option<usize> {
    let body = line.trim_start();
    let indent = line.len() - body.len();
    let first = body.chars().next()?;
    let after = |at: usize| {
        let rest = &body[at..];
        let spaces = rest.len() - rest.trim_start_matches([' ', '\t', '\u{3000}', '\u{a0}']).len();
        // The Japanese dot stands close to its word.
        (spaces > 0 || rest.is_empty() || first == '・').then_some(indent + at + spaces)
    };
    if "•‣◦⁃∙·・●○■□▪▫◆◇▶►➢➤✓✔☐☑☒-–—*+".contains(first) {
        return after(first.len_utf8());
    }
    // Circled, bracketed and dotted numbers, and circled ideographs, are a marker by themselves.
    if matches!(first, '\u{2460}'..='\u{24ff}' | '\u{2776}'..='\u{2793}' | '\u{3220}'..='\u{3243}' | '\u{3280}'..='\u{32b0}')
    {
        let rest = body[first.len_utf8()..].trim_start_matches(['.', '．', '、', ')', '）']);
        let spaces = rest.len() - rest.trim_start_matches([' ', '\t', '\u{3000}']).len();
        return Some(line.len() - rest.len() + spaces);
    }
    let open = matches!(first, '(' | '[' | '（' | '【').then(|| first.len_utf8()).unwrap_or(0);
    let name = &body[open..];
    let length = name.find(|letter: char| !letter.is_alphanumeric()).unwrap_or(name.len());
    let (name, rest) = name.split_at(length);
    let end = rest.chars().next()?;
    let closes = if open > 0 {
        matches!(end, ')' | ']' | '）' | '】')
    } else {
        matches!(end, '.' | ')' | '．' | '）' | '、' | ':')
    };
    if !closes || name.is_empty() {
        return None;
    }
    let wide = matches!(end, '．' | '）' | '、' | '】');
    let at = open + length + end.len_utf8();
    let found = if wide {
        let rest = &body[at..];
        Some(indent + at + rest.len() - rest.trim_start_matches([' ', '\t', '\u{3000}']).len())
    } else {
        after(at)
    };
    is_number(name, letters, end).then_some(found).flatten()
}

fn is_number(name: &str, letters: bool, end: char) -> bool {
    let count = name.chars().count();
    let digits = |one: char| one.is_ascii_digit() || matches!(one, '０'..='９');
    let ideographs = |one: char| "〇一二三四五六七八九十百".contains(one);
    let roman = |one: char| "ivxlcIVXLC".contains(one);
    let kana = |one: char| matches!(one, 'ア'..='ン' | 'ｱ'..='ﾝ' | 'い' | 'ろ' | 'は');
    if end == ':' {
        return false;
    }
    (count <= 3 && (name.chars().all(digits) || name.chars().all(ideographs)))
        || (letters && count == 1 && name.chars().all(|one| one.is_ascii_alphabetic() || kana(one)))
        || (letters && count <= 7 && name.chars().all(roman))
}

fn unlist(text: &str) -> String {
    let plain = unmarked(text, false);
    // A letter and a dot may be somebody's initial: two lines that begin so are a list.
    let lettered = plain.lines().filter(|line| marker(line, true).is_some_and(|at| at > 0)).take(2);
    if lettered.count() == 2 { unmarked(&plain, true) } else { plain }
}

/// Every line without its markers, however many stand one after another.
fn unmarked(text: &str, letters: bool) -> String {
    let mut out = String::with_capacity(text.len());
    for line in text.split_inclusive('\n') {
        let mut rest = line;
        while let Some(at) = marker(rest, letters).filter(|at| *at > 0) {
            rest = &rest[at..];
        }
        out.push_str(rest);
    }
    out
}

fn blanks(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut empty = 0;
    for line in text.split_inclusive('\n') {
        empty = if line.trim().is_empty() { empty + 1 } else { 0 };
        if empty <= 1 {
            out.push_str(line);
        }
    }
    out
}

fn straight(letter: char) -> char {
    match letter {
        '“' | '”' | '„' | '‟' | '«' | '»' | '″' => '"',
        '‘' | '’' | '‚' | '‛' | '‹' | '›' | '′' => '\'',
        letter => letter,
    }
}

/// A letter at the beginning of a word: of one that stands for several, such as `ﬁ`, the first alone is large.
fn begin(out: &mut String, letter: char) {
    let mut large = letter.to_uppercase();
    out.extend(large.next());
    out.extend(large.flat_map(char::to_lowercase));
}

fn cased(text: &str, ends: impl Fn(char) -> bool) -> String {
    let mut out = String::with_capacity(text.len());
    let mut begins = true;
    // A dot ends a sentence once there is a space after it: 3.5 and example.org do not.
    let mut ended = false;
    for letter in text.chars() {
        if letter.is_alphabetic() && begins {
            begin(&mut out, letter);
        } else {
            out.extend(letter.to_lowercase());
        }
        if ends(letter) {
            ended = true;
        } else if !matches!(letter, '"' | '\'' | ')' | '”' | '’' | '»') && !letter.is_whitespace() {
            ended = false;
        }
        begins = match letter {
            letter if letter.is_alphanumeric() => false,
            '\n' | '。' => true,
            letter if letter.is_whitespace() && ended => true,
            _ => begins,
        };
    }
    out
}

fn title(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    let mut inside = false;
    for letter in text.chars() {
        if letter.is_alphanumeric() && !inside {
            begin(&mut out, letter);
        } else {
            out.extend(letter.to_lowercase());
        }
        inside = letter.is_alphanumeric() || (inside && matches!(letter, '\'' | '’' | '\u{300}'..='\u{36f}'));
    }
    out
}

/// What is only there to follow people from page to page.
fn is_tracking(name: &str) -> bool {
    const NAMES: [&str; 22] = [
        "fbclid",
        "gclid",
        "gclsrc",
        "dclid",
        "gbraid",
        "wbraid",
        "msclkid",
        "yclid",
        "twclid",
        "ttclid",
        "igshid",
        "igsh",
        "mc_cid",
        "mc_eid",
        "_hsenc",
        "_hsmi",
        "mkt_tok",
        "vero_id",
        "oly_anon_id",
        "oly_enc_id",
        "s_cid",
        "ref_src",
    ];
    let name = name.to_ascii_lowercase();
    name.starts_with("utm_")
        || name.starts_with("pk_")
        || name.starts_with("mtm_")
        || NAMES.contains(&name.as_str())
}

/// Does something to every web address of a text.
fn on_links(text: &str, work: impl Fn(&str) -> String) -> String {
    let mut out = String::with_capacity(text.len());
    let mut rest = text;
    let ends =
        |letter: char| letter.is_whitespace() || matches!(letter, '<' | '>' | '"' | '\'' | '`' | '|' | '»');
    while let Some(at) = rest.find("://") {
        let begins = rest[..at]
            .rfind(|letter: char| !letter.is_ascii_alphabetic())
            .map_or(0, |before| before + rest[before..].chars().next().map_or(1, char::len_utf8));
        let scheme = rest[begins..at].to_ascii_lowercase();
        let end = at + 3 + rest[at + 3..].find(ends).unwrap_or(rest.len() - at - 3);
        out.push_str(&rest[..begins]);
        let link = &rest[begins..end];
        if scheme == "http" || scheme == "https" {
            out.push_str(&work(link));
        } else {
            out.push_str(link);
        }
        rest = &rest[end..];
    }
    out + rest
}

fn without_tracking(link: &str) -> String {
    let (body, fragment) =
        link.split_once('#').map_or((link, None), |(body, fragment)| (body, Some(fragment)));
    let Some((path, query)) = body.split_once('?') else { return link.to_owned() };
    let kept: Vec<&str> =
        query.split('&').filter(|one| !is_tracking(one.split('=').next().unwrap_or(one))).collect();
    let mut out = path.to_owned();
    if !kept.is_empty() {
        out.push('?');
        out.push_str(&kept.join("&"));
    }
    if let Some(fragment) = fragment {
        out.push('#');
        out.push_str(fragment);
    }
    out
}

/// Escapes (RFC 3986 section 2.1) become what they stand for, where that is a letter that can be seen; others stay.
fn decoded(text: &str) -> String {
    let bytes = text.as_bytes();
    let escape = |at: usize| {
        let hex = text.get(at..at + 3)?.strip_prefix('%')?;
        u8::from_str_radix(hex, 16).ok().filter(|_| !hex.starts_with('+'))
    };
    let mut out = String::with_capacity(text.len());
    let mut at = 0;
    while at < bytes.len() {
        let Some(first) = escape(at) else {
            let letter = text[at..].chars().next().unwrap_or('\0');
            out.push(letter);
            at += letter.len_utf8();
            continue;
        };
        let length = match first {
            0..=0x7f => 1,
            0xc0..=0xdf => 2,
            0xe0..=0xef => 3,
            _ => 4,
        };
        let letter: Option<Vec<u8>> = (0..length).map(|n| escape(at + 3 * n)).collect();
        let letter = letter.and_then(|bytes| String::from_utf8(bytes).ok());
        match letter.filter(|letter| !letter.chars().any(|one| one.is_control() || one == '\u{202e}')) {
            Some(letter) => {
                out.push_str(&letter);
                at += 3 * length;
            }
            None => {
                out.push_str(&text[at..at + 3]);
                at += 3;
            }
        }
    }
    out
}

/// JSON (RFC 8259) over lines, its numbers, texts and order as they are; `None` for what is no JSON.
fn json(text: &str) -> Option<String> {
    serde_json::from_str::<IgnoredAny>(text).ok()?;
    let mut out = String::with_capacity(text.len() * 2);
    let (mut depth, mut quoted, mut escaped) = (0usize, false, false);
    let mut letters = text.chars().filter(|letter| !letter.is_control() || *letter == '\u{7f}').peekable();
    let line = |out: &mut String, depth: usize| {
        out.push('\n');
        out.extend(std::iter::repeat_n("  ", depth));
    };
    while let Some(letter) = letters.next() {
        if quoted {
            out.push(letter);
            quoted = escaped || letter != '"';
            escaped = letter == '\\' && !escaped;
            continue;
        }
        match letter {
            ' ' => {}
            '{' | '[' => {
                out.push(letter);
                while letters.next_if_eq(&' ').is_some() {}
                if let Some(close) = letters.next_if(|next| matches!(next, '}' | ']')) {
                    out.push(close);
                } else {
                    depth += 1;
                    line(&mut out, depth);
                }
            }
            '}' | ']' => {
                depth = depth.saturating_sub(1);
                line(&mut out, depth);
                out.push(letter);
            }
            ',' => {
                out.push(',');
                line(&mut out, depth);
            }
            ':' => out.push_str(": "),
            letter => {
                out.push(letter);
                quoted = letter == '"';
            }
        }
    }
    Some(out)
}

#[cfg(test)]
mod tests;
