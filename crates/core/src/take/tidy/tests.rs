use proptest::prelude::*;

use super::*;

#[test]
fn each_step_does_what_its_name_says() {
    for (step, before, after) in [
        (Step::Trim, "  a  \n\tb \n\n", "a\nb"),
        (Step::OneLine, "Kestrel\n  Hut \n\n2,140 m", "Kestrel Hut 2,140 m"),
        (
            Step::Unwrap,
            "The path is\nclosed.\n\nGas is\nlow.\n- eight bunks\n- oats\n",
            "The path is closed.\n\nGas is low.\n- eight bunks\n- oats\n",
        ),
        (Step::Unwrap, "山小屋は\n閉まって\nいる", "山小屋は閉まっている"),
        (Step::Unlist, "1. oats\n2) gas\n  - bunks\n• (3) rope\n", "oats\ngas\nbunks\nrope\n"),
        (Step::Unlist, "① 毛布\n二、米\n（３）水\n・油", "毛布\n米\n水\n油"),
        (Step::Unlist, "(iv) \n• (iv) ", "\n"),
        (Step::Unlist, "a. first\nb. second\niv) fourth", "first\nsecond\nfourth"),
        (
            Step::Unlist,
            "A. Rossi booked\n3.5 kg of oats\n2026. A year\n-40 degrees",
            "A. Rossi booked\n3.5 kg of oats\n2026. A year\n-40 degrees",
        ),
        (Step::Blanks, "a\n\n \n\nb\n", "a\n\nb\n"),
        (Step::Quotes, "“it’s” «so»", "\"it's\" \"so\""),
        (Step::Upper, "straße é", "STRASSE É"),
        (Step::Sentence, "THE HUT. IS IT OPEN? yes, from 3.5 on", "The hut. Is it open? Yes, from 3.5 on"),
        (Step::Title, "the warden's hut", "The Warden's Hut"),
        (Step::Title, "ﬁre straße", "Fire Straße"),
        (Step::Sentence, "ﬓ", "Մն"),
        (
            Step::Links,
            "see https://huts.example/a?utm_source=x&id=7&fbclid=9#top.",
            "see https://huts.example/a?id=7#top.",
        ),
        (
            Step::Links,
            "https://huts.example/?utm_source=x and ftp://a?utm_source=x",
            "https://huts.example/ and ftp://a?utm_source=x",
        ),
        (Step::Decode, "caf%C3%A9%20100%25 %zz %FF %00 +", "café 100% %zz %FF %00 +"),
        (
            Step::Json,
            "{\"a\":[1.50,\"x, {y}\\\"\",{}],\"b\": 12345678901234567890}",
            "{\n  \"a\": [\n    1.50,\n    \"x, {y}\\\"\",\n    {}\n  ],\n  \"b\": 12345678901234567890\n}",
        ),
        (Step::Json, "no json", "no json"),
    ] {
        assert_eq!(step.of(before), after, "{step:?} of {before:?}");
    }
}

#[test]
fn steps_combine_in_their_order() {
    let steps = [Step::Unlist, Step::OneLine, Step::Title];
    assert_eq!(tidied("1. oats\n2. gas bottle", &steps), "Oats Gas Bottle");
}

#[test]
fn a_name_that_does_not_exist_suggests_the_nearest() {
    for (name, step) in STEPS {
        assert_eq!(name.parse::<Step>(), Ok(step));
    }
    let why = "unwarp".parse::<Step>().unwrap_err();
    assert_eq!(why.near, Some("unwrap"));
    assert!(why.to_string().contains("did you mean `unwrap`?"));
    assert_eq!("something else".parse::<Step>().unwrap_err().near, None);
}

/// Everything that is no white space, in its order.
fn ink(text: &str) -> String {
    text.chars().filter(|letter| !letter.is_whitespace()).collect()
}

fn texts() -> impl Strategy<Value = String> {
    let part = prop_oneof![
        4 => "[ a-zA-Zé.,:;!?\"'\\n\\t-]{0,12}",
        1 => any::<String>(),
        2 => prop_oneof![
            Just("1. ".to_owned()), Just("\n• ".to_owned()), Just("\n① ".to_owned()), Just("(iv) ".to_owned()), Just("\n\n\n".to_owned()),
            Just("https://huts.example/a?utm_source=b&c=d#e ".to_owned()), Just("%C3%A9%2525".to_owned()), Just("山・".to_owned()),
            Just("{\"a\": [1, \"b\\\\\"]}".to_owned()), Just("\r\n".to_owned()),
        ],
    ];
    prop::collection::vec(part, 0..12).prop_map(|parts| parts.concat())
}

proptest! {
    /// Done twice is done once, but for escapes that hold escapes.
    #[test]
    fn a_step_that_is_done_again_changes_nothing(text in texts(), n in 0..STEPS.len()) {
        // Escapes may hold escapes.
        let step = Some(STEPS[n].1).filter(|step| *step != Step::Decode).unwrap_or(Step::Trim);
        let once = step.of(&text);
        prop_assert_eq!(step.of(&once), once, "{:?}", step);
    }

    #[test]
    fn only_white_space_goes_where_the_step_says_so(text in texts()) {
        for step in [Step::Trim, Step::OneLine, Step::Unwrap, Step::Blanks] {
            prop_assert_eq!(ink(&step.of(&text)), ink(&text), "{:?}", step);
        }
    }

    #[test]
    fn letters_stay_where_only_their_form_changes(text in texts()) {
        prop_assert_eq!(Step::Quotes.of(&text).chars().count(), text.chars().count());
        // Letters of which there is one large and one small; others, such as ß, have no way back.
        let pairs = |letter: &char| {
            let (large, small) = (letter.to_uppercase().to_string(), letter.to_lowercase().to_string());
            small.to_uppercase() == large && large.to_lowercase() == small && large.chars().count() == 1
        };
        let simple: String = text.chars().filter(pairs).collect();
        for step in [Step::Upper, Step::Lower, Step::Sentence, Step::Title] {
            prop_assert_eq!(step.of(&simple).to_uppercase(), simple.to_uppercase(), "{:?}", step);
        }
    }

    #[test]
    fn what_goes_from_a_list_or_a_link_stands_at_its_place(text in texts()) {
        // What is left of every line is the end of that line.
        let left = Step::Unlist.of(&text);
        for (after, before) in left.split('\n').zip(text.split('\n')) {
            prop_assert!(before.ends_with(after));
        }
        prop_assert_eq!(left.split('\n').count(), text.split('\n').count());
        // A text without addresses is as it was.
        if !text.contains("://") {
            prop_assert_eq!(Step::Links.of(&text), text);
        }
    }

    #[test]
    fn json_means_what_it_meant(numbers in prop::collection::vec(any::<f64>().prop_filter("finite", |n| n.is_finite()), 0..6), texts in prop::collection::vec(any::<String>(), 0..6)) {
        let value = serde_json::json!({ "numbers": numbers, "texts": texts, "none": null, "deep": { "empty": [], "list": [[{}]] } });
        let laid_out = Step::Json.of(&value.to_string());
        let read = |text: &str| serde_json::from_str::<serde_json::Value>(text).unwrap();
        prop_assert_eq!(read(&laid_out), read(&value.to_string()));
    }
}
