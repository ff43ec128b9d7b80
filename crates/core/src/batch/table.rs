//! Rows of cells: as spreadsheets and pages write them.

use std::cell::RefCell;

use html5ever::tendril::StrTendril;
use html5ever::tokenizer::{
    BufferQueue, Tag, TagKind, Token, TokenSink, TokenSinkResult, Tokenizer, TokenizerOpts,
};

/// The cells of the tables in a piece of html, row by row (WHATWG HTML, section 4.9). White space is that of words; a
/// `br` is a line's end.
pub fn of_html(html: &str) -> Vec<Vec<String>> {
    let tokenizer = Tokenizer::new(Cells::default(), TokenizerOpts::default());
    let input = BufferQueue::default();
    input.push_back(StrTendril::from_slice(html));
    let _ = tokenizer.feed(&input);
    tokenizer.end();
    let mut rows = tokenizer.sink.0.into_inner();
    rows.end_cell();
    rows.rows.retain(|row| !row.is_empty());
    rows.rows
}

#[derive(Default)]
struct Cells(RefCell<Rows>);

#[derive(Default)]
struct Rows {
    rows: Vec<Vec<String>>,
    cell: Option<String>,
}

impl Rows {
    fn end_cell(&mut self) {
        if let Some(cell) = self.cell.take() {
            let cell = cell.trim_matches([' ', '\n']).to_owned();
            match self.rows.last_mut() {
                Some(row) => row.push(cell),
                None => self.rows.push(vec![cell]),
            }
        }
    }

    fn tag(&mut self, tag: &Tag) {
        let opens = tag.kind == TagKind::StartTag;
        match &*tag.name {
            "tr" => {
                self.end_cell();
                if opens {
                    self.rows.push(Vec::new());
                }
            }
            "td" | "th" => {
                self.end_cell();
                if opens {
                    self.cell = Some(String::new());
                }
            }
            "table" => self.end_cell(),
            "br" | "p" | "div" | "li" => {
                if let Some(cell) = &mut self.cell
                    && !cell.is_empty()
                    && !cell.ends_with('\n')
                {
                    while cell.ends_with(' ') {
                        cell.pop();
                    }
                    cell.push('\n');
                }
            }
            _ => {}
        }
    }

    fn text(&mut self, text: &str) {
        let Some(cell) = &mut self.cell else { return };
        for c in text.chars() {
            // A no-break space is a word's own.
            if c.is_whitespace() && c != '\u{a0}' {
                if !cell.is_empty() && !cell.ends_with([' ', '\n']) {
                    cell.push(' ');
                }
            } else {
                cell.push(c);
            }
        }
    }
}

impl TokenSink for Cells {
    type Handle = ();

    fn process_token(&self, token: Token, _line: u64) -> TokenSinkResult<()> {
        match token {
            Token::TagToken(tag) => self.0.borrow_mut().tag(&tag),
            Token::CharacterTokens(text) => self.0.borrow_mut().text(&text),
            _ => {}
        }
        TokenSinkResult::Continue
    }
}

/// The cells of separated values (RFC 4180, with any separator).
pub fn of_separated(text: &str, separator: u8) -> Vec<Vec<String>> {
    let mut reader = csv::ReaderBuilder::new()
        .has_headers(false)
        .flexible(true)
        .delimiter(separator)
        .from_reader(text.as_bytes());
    let rows = reader.records().filter_map(Result::ok);
    rows.map(|row| row.iter().map(str::to_owned).collect()).collect()
}

/// The separator that a text of values most likely has: the one that parts its first line into most fields.
pub fn separator_of(text: &str) -> u8 {
    let first = text.lines().find(|line| !line.trim().is_empty()).unwrap_or_default();
    let parts = |separator: u8| of_separated(first, separator).first().map_or(0, Vec::len);
    // The last of those that are equal: the comma, which a line without any has too.
    [b'\t', b';', b','].into_iter().max_by_key(|separator| parts(*separator)).unwrap_or(b',')
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn tables_are_read_as_pages_and_spreadsheets_write_them() {
        let html = "<table><tr><th>Name<th>Bunks</tr>\n<tr><td> Kestrel&nbsp;Hut <td>14<br>and a stove</td></tr></table>\
                    <table><tr><td></td><td>x</td></table>";
        let rows = of_html(html);
        assert_eq!(rows, [vec!["Name", "Bunks"], vec!["Kestrel\u{a0}Hut", "14\nand a stove"], vec!["", "x"]]);
        assert!(of_html("<p>none</p>").is_empty());
        assert_eq!(of_html("<td>alone"), [["alone"]]);
    }

    #[test]
    fn separated_values_keep_quotes_separators_and_line_ends_in_cells() {
        let text = "name;note\n\"Quist; Hanna\";\"two\nlines \"\"so\"\"\"\n";
        assert_eq!(separator_of(text), b';');
        assert_eq!(of_separated(text, b';'), [["name", "note"], ["Quist; Hanna", "two\nlines \"so\""]]);
        assert_eq!(separator_of("plain"), b',');
        assert_eq!(separator_of("a\tb,c\td"), b'\t');
    }

    proptest! {
        #[test]
        fn what_is_written_as_separated_values_is_read_back(rows in proptest::collection::vec(
            proptest::collection::vec("(a|é|,|\"|\n|;|\t| ){1,8}", 2..4), 1..5)) {
            let mut writer = csv::WriterBuilder::new().flexible(true).from_writer(Vec::new());
            for row in &rows {
                writer.write_record(row).unwrap();
            }
            let text = String::from_utf8(writer.into_inner().unwrap()).unwrap();
            prop_assert_eq!(of_separated(&text, b','), rows);
        }

        #[test]
        fn any_html_is_read_without_failing(html in "(<|>|/|td|tr|table|br| |x|&|;){0,60}") {
            let _ = of_html(&html);
        }
    }
}
