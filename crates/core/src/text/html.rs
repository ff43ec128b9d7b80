//! The words of a piece of html: for copies that offer html and no text. Not a sanitiser; nothing read here is ever
//! shown as html.

/// Reads the text of `html`: tags dropped, blocks on lines of their own, scripts and styles left out, the common
/// character references resolved.
pub fn words_of(html: &str) -> String {
    let mut out = String::with_capacity(html.len() / 2);
    let mut rest = html;
    while let Some(open) = rest.find('<') {
        push_text(&mut out, &rest[..open]);
        rest = &rest[open..];
        if let Some(after) = rest.strip_prefix("<!--") {
            rest = after.find("-->").map_or("", |end| &after[end + 3..]);
            continue;
        }
        let Some(close) = rest.find('>') else {
            rest = "";
            break;
        };
        let name = tag_name(&rest[1..close]);
        rest = &rest[close + 1..];
        match name.as_str() {
            "script" | "style" | "title" | "head" => rest = skip_past(rest, &name),
            "br" | "p" | "/p" | "div" | "/div" | "li" | "tr" | "/table" | "/ul" | "/ol" | "h1" | "h2"
            | "h3" | "h4" | "/h1" | "/h2" | "/h3" | "/h4" | "blockquote" | "pre" | "hr" => new_line(&mut out),
            "td" | "th" if !out.is_empty() && !out.ends_with('\n') => out.push('\t'),
            _ => {}
        }
    }
    push_text(&mut out, rest);
    out.trim().to_owned()
}

fn tag_name(tag: &str) -> String {
    tag.chars()
        .take_while(|c| c.is_ascii_alphanumeric() || *c == '/')
        .collect::<String>()
        .to_ascii_lowercase()
}

fn skip_past<'a>(rest: &'a str, name: &str) -> &'a str {
    let end = format!("</{name}");
    let lower = rest.to_ascii_lowercase();
    match lower.find(&end) {
        Some(at) => rest[at..].find('>').map_or("", |close| &rest[at + close + 1..]),
        None => "",
    }
}

fn new_line(out: &mut String) {
    let kept = out.trim_end_matches([' ', '\t']).len();
    out.truncate(kept);
    if !out.is_empty() && !out.ends_with('\n') {
        out.push('\n');
    }
}

fn push_text(out: &mut String, text: &str) {
    let mut rest = text;
    while !rest.is_empty() {
        if let Some((c, length)) = reference(rest) {
            out.push(c);
            rest = &rest[length..];
            continue;
        }
        let Some(c) = rest.chars().next() else { break };
        if c.is_whitespace() {
            if !out.is_empty() && !out.ends_with(char::is_whitespace) {
                out.push(' ');
            }
        } else {
            out.push(c);
        }
        rest = &rest[c.len_utf8()..];
    }
}

/// A character reference at the start of `text`, and how many bytes it takes.
fn reference(text: &str) -> Option<(char, usize)> {
    let body = text.strip_prefix('&')?;
    let end = body.bytes().take(10).position(|byte| byte == b';')?;
    let name = &body[..end];
    let c = match name {
        "amp" => '&',
        "lt" => '<',
        "gt" => '>',
        "quot" => '"',
        "apos" => '\'',
        "nbsp" => '\u{a0}',
        _ => {
            let number = name.strip_prefix('#')?;
            let code = match number.strip_prefix(['x', 'X']) {
                Some(hex) => u32::from_str_radix(hex, 16).ok()?,
                None => number.parse().ok()?,
            };
            char::from_u32(code)?
        }
    };
    Some((c, end + 2))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn tags_go_and_words_stay() {
        let html = "<head><title>x</title></head><p>Kestrel&nbsp;Hut: <b>14</b>   bunks &amp; stove</p><ul><li>oats<li>gas</ul>";
        assert_eq!(words_of(html), "Kestrel\u{a0}Hut: 14 bunks & stove\noats\ngas");
    }

    #[test]
    fn scripts_styles_and_comments_are_no_words() {
        assert_eq!(words_of("a<SCRIPT>alert('<p>')</Script>b<style>p{}</style><!-- c > -->d"), "abd");
        assert_eq!(words_of("open <script>never closed"), "open");
    }

    #[test]
    fn table_cells_are_parted_by_tabs() {
        assert_eq!(words_of("<table><tr><td>1</td><td>2</td></tr><tr><td>3</td></tr></table>"), "1\t2\n3");
    }

    proptest! {
        #[test]
        fn any_text_is_read_without_failing(html in "(<|>|&|;|#|x|script|/|é|\\PC){0,60}") {
            let _ = words_of(&html);
        }
    }
}
