use super::*;
use proptest::prelude::*;

fn cut(way: Way) -> Cut {
    Cut { way, pattern: None, header: false }
}

fn texts(text: &str, way: Way) -> Vec<String> {
    split(text, None, &cut(way)).unwrap().into_iter().map(|part| part.text).collect()
}

fn told(parts: Vec<Part>) -> Vec<(u32, String, String)> {
    parts.into_iter().map(|part| (part.record, part.label.unwrap_or_default(), part.text)).collect()
}

fn owned(rows: &[(u32, &str, &str)]) -> Vec<(u32, String, String)> {
    rows.iter().map(|(record, label, text)| (*record, (*label).to_owned(), (*text).to_owned())).collect()
}

#[test]
fn lines_paragraphs_and_entries() {
    assert_eq!(texts("  a \r\n\r\nb\n", Way::Lines), ["a", "b"]);
    assert_eq!(texts("a\nb\n\n \n c\n", Way::Paragraphs), ["a\nb", "c"]);
    assert_eq!(
        texts("Bring:\n1. oats\n2) gas,\n   two\n① rope\n- map", Way::Entries),
        ["Bring:", "oats", "gas,\ntwo", "rope", "map",]
    );
    assert_eq!(texts("oats\ngas", Way::Entries), ["oats", "gas"]);
}

#[test]
fn a_copied_range_is_records_of_cells_and_an_empty_cell_is_a_field_too() {
    let cells = "Hanna Quist\t\t2\n\"two\nlines\"\t14 May\t3\n";
    let parts = split(cells, None, &cut(Way::Cells)).unwrap();
    let wanted = [
        (0, "", "Hanna Quist"),
        (0, "", ""),
        (0, "", "2"),
        (1, "", "two\nlines"),
        (1, "", "14 May"),
        (1, "", "3"),
    ];
    assert_eq!(told(parts), owned(&wanted));
    let html = "<table><tr><td>Name<td>Nights<tr><td>Ole<td>2</table>";
    let header = Cut { header: true, ..cut(Way::Cells) };
    let parts = split("Name\tNights\nOle\t2", Some(html), &header).unwrap();
    assert_eq!(told(parts), owned(&[(0, "Name", "Ole"), (0, "Nights", "2")]));
}

#[test]
fn separated_values_have_names_when_the_first_row_says_them() {
    let text = "Name;Arrives\nHanna;\"14; evening\"\nOle;15\n";
    let parts = split(text, None, &Cut { header: true, ..cut(Way::Csv) }).unwrap();
    let wanted =
        [(0, "Name", "Hanna"), (0, "Arrives", "14; evening"), (1, "Name", "Ole"), (1, "Arrives", "15")];
    assert_eq!(told(parts), owned(&wanted));
}

#[test]
fn names_and_values_are_records_that_empty_lines_part_or_a_name_that_comes_again_begins() {
    let text = "Name: Hanna Quist\nPage: https://example.org/a=b\nNote: two\n  lines\n\nName：Ole\nNights=2\nname: Ida\nat 12:30";
    let wanted = [
        (0, "Name", "Hanna Quist"),
        (0, "Page", "https://example.org/a=b"),
        (0, "Note", "two\nlines"),
        (1, "Name", "Ole"),
        (1, "Nights", "2"),
        (2, "name", "Ida\nat 12:30"),
    ];
    assert_eq!(told(split(text, None, &cut(Way::Pairs)).unwrap()), owned(&wanted));
    assert_eq!(split("no names here", None, &cut(Way::Pairs)), Err(SplitError::Nothing));
}

#[test]
fn a_pattern_parts_or_its_groups_find() {
    let by = |pattern: &str| Cut { pattern: Some(pattern.into()), ..cut(Way::Pattern) };
    let parts = split("a; b;;c", None, &by(";")).unwrap();
    assert_eq!(told(parts), owned(&[(0, "", "a"), (0, "", "b"), (0, "", "c")]));
    let parts = split("Hanna <h@x> Ole <o@x>", None, &by(r"(?<name>\w+) <(?<e_mail>[^>]+)>")).unwrap();
    let wanted = [(0, "name", "Hanna"), (0, "e mail", "h@x"), (1, "name", "Ole"), (1, "e mail", "o@x")];
    assert_eq!(told(parts), owned(&wanted));
    let parts = split("#a #b", None, &by(r"#(\w)")).unwrap();
    assert_eq!(told(parts), owned(&[(0, "", "a"), (0, "", "b")]));
    assert_eq!(split("abc", None, &by(";")), Err(SplitError::NeverMatches));
    assert!(matches!(split("abc", None, &by("(")), Err(SplitError::Pattern(_))));
    assert_eq!(split("abc", None, &cut(Way::Pattern)), Err(SplitError::NoPattern));
}

#[test]
fn a_way_that_does_not_exist_names_the_nearest() {
    let why = "lnies".parse::<Way>().unwrap_err().to_string();
    assert!(why.contains("`lines`"), "{why}");
    assert!(!"zzzz".parse::<Way>().unwrap_err().to_string().contains("did you mean"));
    assert!(WAYS.iter().all(|(name, way, _)| name.parse() == Ok(*way) && way.word() == *name));
}

/// A text without its white space.
fn bare(text: &str) -> String {
    text.chars().filter(|letter| !letter.is_whitespace()).collect()
}

proptest! {
    #[test]
    fn lines_and_paragraphs_lose_nothing_but_white_space(text in "(\\PC|\n|\r\n| |\t){0,80}") {
        for way in [Way::Lines, Way::Paragraphs] {
            match split(&text, None, &cut(way)) {
                Ok(parts) => {
                    let all: String = parts.iter().map(|part| part.text.as_str()).collect();
                    prop_assert_eq!(bare(&all), bare(&text));
                    prop_assert!(parts.iter().all(|part| !part.text.trim().is_empty()));
                    // Split again they are what they are.
                    for part in &parts {
                        let again = split(&part.text, None, &cut(way)).unwrap();
                        prop_assert_eq!(again.iter().map(|one| one.text.as_str()).collect::<Vec<_>>(), [part.text.as_str()]);
                    }
                }
                Err(_) => prop_assert!(bare(&text).is_empty()),
            }
        }
    }

    #[test]
    fn names_and_values_lose_nothing_but_white_space_and_the_sign_between(text in "(\\PC|name|: |\n|\t|=){0,80}") {
        if let Ok(parts) = split(&text, None, &cut(Way::Pairs)) {
            let all: String = parts.iter().map(|part| format!("{}{}", part.label.clone().unwrap_or_default(), part.text)).collect();
            let sign = |text: &str| bare(text).chars().filter(|letter| !":：=".contains(*letter)).collect::<String>();
            prop_assert_eq!(sign(&all), sign(&text));
        }
    }

    #[test]
    fn entries_lose_nothing_but_marks(words in proptest::collection::vec("[a-z]{2,6}", 1..8)) {
        for mark in ["- ", "• ", "1. ", "(2) ", "③", "一、"] {
            let list: String = words.iter().map(|word| format!("{mark}{word}\n")).collect();
            prop_assert_eq!(&texts(&list, Way::Entries), &words);
        }
    }

    #[test]
    fn a_table_of_any_cells_is_split_into_exactly_those(rows in proptest::collection::vec(
        proptest::collection::vec("([a-zé\"]|,|;| |\n){1,6}x", 3..=3), 1..5)) {
        let mut writer = csv::WriterBuilder::new().delimiter(b'\t').from_writer(Vec::new());
        for row in &rows {
            writer.write_record(row).unwrap();
        }
        let text = String::from_utf8(writer.into_inner().unwrap()).unwrap();
        let parts = split(&text, None, &cut(Way::Cells)).unwrap();
        let wanted: Vec<(u32, String)> =
            rows.iter().zip(0..).flat_map(|(row, n)| row.iter().map(move |cell| (n, cell.clone()))).collect();
        prop_assert_eq!(parts.into_iter().map(|part| (part.record, part.text)).collect::<Vec<_>>(), wanted);
    }

    #[test]
    fn any_text_is_split_any_way_or_says_why(text in "(\\PC|\n|\t|,|\"|: ){0,60}", pattern in ".{0,8}", header: bool) {
        for (_, way, _) in WAYS {
            let _ = split(&text, Some(&text), &Cut { way, pattern: Some(pattern.clone()), header });
        }
    }
}
