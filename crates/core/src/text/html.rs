//! The words of a piece of html: for copies that offer html and no text. Not a sanitiser; nothing read here is ever
//! shown as html.

use std::cell::RefCell;

use html5ever::tendril::StrTendril;
use html5ever::tokenizer::states::RawKind;
use html5ever::tokenizer::{
    BufferQueue, Tag, TagKind, Token, TokenSink, TokenSinkResult, Tokenizer, TokenizerOpts,
};

/// Reads the text of `html` as its tokens tell (WHATWG HTML, section 13.2.5): tags dropped, blocks on lines of their own,
/// scripts, styles and titles left out, character references resolved.
pub fn words_of(html: &str) -> String {
    let words = Words::default();
    let tokenizer = Tokenizer::new(words, TokenizerOpts::default());
    let input = BufferQueue::default();
    input.push_back(StrTendril::from_slice(html));
    let _ = tokenizer.feed(&input);
    tokenizer.end();
    let out = tokenizer.sink.0.into_inner().out;
    out.trim().to_owned()
}

/// Gathers the words of tokens.
#[derive(Default)]
struct Words(RefCell<Gathered>);

#[derive(Default)]
struct Gathered {
    out: String,
    /// Inside an element whose content is no words.
    silent: bool,
}

impl TokenSink for Words {
    type Handle = ();

    fn process_token(&self, token: Token, _line: u64) -> TokenSinkResult<()> {
        let mut gathered = self.0.borrow_mut();
        match token {
            Token::TagToken(tag) => gathered.tag(&tag),
            Token::CharacterTokens(text) => {
                gathered.text(&text);
                TokenSinkResult::Continue
            }
            _ => TokenSinkResult::Continue,
        }
    }
}

impl Gathered {
    fn tag(&mut self, tag: &Tag) -> TokenSinkResult<()> {
        let opens = tag.kind == TagKind::StartTag;
        match &*tag.name {
            name @ ("script" | "style" | "title") => {
                self.silent = opens;
                if opens {
                    // What follows is no tags until the end of the element.
                    return TokenSinkResult::RawData(match name {
                        "script" => RawKind::ScriptData,
                        "style" => RawKind::Rawtext,
                        _ => RawKind::Rcdata,
                    });
                }
            }
            "br" | "p" | "div" | "table" | "ul" | "ol" | "h1" | "h2" | "h3" | "h4" | "h5" | "h6" => {
                self.new_line();
            }
            "li" | "tr" | "blockquote" | "pre" | "hr" if opens => self.new_line(),
            "td" | "th" if opens && !self.out.is_empty() && !self.out.ends_with('\n') => self.out.push('\t'),
            _ => {}
        }
        TokenSinkResult::Continue
    }

    fn new_line(&mut self) {
        let kept = self.out.trim_end_matches([' ', '\t']).len();
        self.out.truncate(kept);
        if !self.out.is_empty() && !self.out.ends_with('\n') {
            self.out.push('\n');
        }
    }

    fn text(&mut self, text: &str) {
        if self.silent {
            return;
        }
        for c in text.chars() {
            // A no-break space is a word's own.
            if c.is_whitespace() && c != '\u{a0}' {
                if !self.out.is_empty() && !self.out.ends_with(char::is_whitespace) {
                    self.out.push(' ');
                }
            } else {
                self.out.push(c);
            }
        }
    }
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

    #[test]
    fn a_long_row_of_open_scripts_is_read_in_one_pass() {
        // Quadratic reading of this takes minutes.
        let html = "<script>x</script>word ".repeat(60_000);
        assert_eq!(words_of(&html).len(), "word ".len() * 60_000 - 1);
        assert!(words_of(&"<style><title><!--".repeat(60_000)).is_empty());
    }

    proptest! {
        #[test]
        fn any_text_is_read_without_failing(html in "(<|>|&|;|#|x|script|/|é|\\PC){0,60}") {
            let _ = words_of(&html);
        }
    }
}
