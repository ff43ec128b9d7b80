//! Taking by the client: texts that fill themselves in, at a terminal and without one, seen before they are taken, and
//! several clips as one.

use std::io::Write;
use std::process::{Command, Stdio};

use yadori_e2e::{Display, Service, until};

/// What the client says at a terminal of its own when these keys are typed there, and how it ends.
fn at_a_terminal(service: &Service, arguments: &[&str], keys: &str) -> (String, i32) {
    let client = service.client_command(arguments);
    let words: Vec<String> = std::iter::once(client.get_program())
        .chain(client.get_args())
        .map(|word| format!("'{}'", word.to_string_lossy().replace('\'', "'\\''")))
        .collect();
    let mut child = Command::new("script")
        .args(["-qec", &words.join(" "), "/dev/null"])
        .stdin(Stdio::piped())
        .stdout(Stdio::piped())
        .spawn()
        .expect("script, of Debian's bsdutils");
    let mut typing = child.stdin.take().expect("its keys");
    typing.write_all(keys.as_bytes()).expect("typed");
    let done = child.wait_with_output().expect("its end");
    drop(typing);
    (String::from_utf8_lossy(&done.stdout).into_owned(), done.status.code().unwrap_or(-1))
}

fn failed(service: &Service, arguments: &[&str]) -> (i32, String) {
    let done = service.client(arguments);
    assert!(!done.status.success(), "{arguments:?}: {}", String::from_utf8_lossy(&done.stdout));
    (done.status.code().unwrap_or(-1), String::from_utf8_lossy(&done.stderr).into_owned())
}

#[test]
fn a_text_that_fills_itself_in_is_filled_however_it_is_taken() {
    let display = Display::start();
    let service = Service::on(&display.name());
    let pasted = |text: &str| until("the text", || display.paste_text().filter(|got| got == text));
    let asks = "Dear {=ask \"Name\"}, {=ask \"Nights\" \"2\"} nights, {=ask \"1+1=\" \"2\"}.";
    let ids = service.add(&["Kestrel", asks, "{=date \"DD.MM.YYYY\"}", "first\n\n  é {=clip \"Nobody\"}"]);
    for id in &ids[1..] {
        service.yadori(&["pin", "--last", id]);
    }

    // Without a terminal: answers by their questions, which may hold `=`; proposals where that is said.
    service.yadori(&["take", "f1", "-a", "Name=Åsa=Kari", "-a", "1+1==two", "-a", "Nights=3"]);
    pasted("Dear Åsa=Kari, 3 nights, two.");
    service.yadori(&["take", "--plain", "f1", "-a", "Name=Ola", "--proposed"]);
    pasted("Dear Ola, 2 nights, 2.");
    service.yadori(&["take", "f1", "--as-copied"]);
    pasted(asks);
    let (code, said) = failed(&service, &["take", "f1", "--proposed"]);
    assert!(code == 2 && said.contains("Name") && said.contains("--answer"), "{code}: {said}");
    let (code, said) = failed(&service, &["take", "f1", "-a", "Nmae=Ola"]);
    assert!(code == 2 && said.contains("it asks: Name; Nights; 1+1="), "{code}: {said}");
    let (code, said) = failed(&service, &["take", "f1", "-a", "Name"]);
    assert!(code == 2 && said.contains("no `=`"), "{code}: {said}");

    // Seen, and not taken.
    let seen = service.client(&["take", "f1", "--preview", "-a", "Name=Ola", "-t", "upper"]);
    assert_eq!(String::from_utf8_lossy(&seen.stdout), "DEAR OLA, [NIGHTS] NIGHTS, [1+1=].\n");
    assert!(String::from_utf8_lossy(&seen.stderr).contains("It asks: Nights [2]"));
    let done = service.yadori(&["take", "f1", "--preview", "-a", "Name=Ola", "--proposed"]);
    assert_eq!(done, "Dear Ola, 2 nights, 2.\n");
    pasted(asks);

    // A mistake names its place, and pasting gives what it gave.
    let (_, said) = failed(&service, &["take", "f2"]);
    assert!(said.contains("line 1 at character 8, `\"DD.MM.YYYY\"`") && said.contains("%d.%m.%Y"), "{said}");
    let (_, said) = failed(&service, &["take", "f3"]);
    assert!(said.contains("line 3 at character 5, `{=clip \"Nobody\"}`"), "{said}");
    pasted(asks);

    // At a terminal: Enter takes a proposal, Ctrl-D gives up.
    let (said, code) = at_a_terminal(&service, &["take", "f1"], "Ingrid\n\nthree\n");
    assert!(code == 0 && said.contains("Nights [2]:"), "{code}: {said}");
    pasted("Dear Ingrid, 2 nights, three.");
    let (said, code) = at_a_terminal(&service, &["take", "f1", "-a", "Name=Ola"], "7\n\u{4}");
    assert!(code == 7 && said.contains("nothing was taken") && !said.contains("Name:"), "{code}: {said}");
    pasted("Dear Ingrid, 2 nights, three.");
}

#[test]
fn answers_are_not_lost_when_the_take_fails_after_them() {
    let service = Service::without_desk();
    let ids = service.add(&["Dear {=ask \"Name\"}"]);
    service.yadori(&["pin", &ids[0]]);
    // Nothing is asked for nothing: where there is no clipboard, that is said at once.
    let (said, code) = at_a_terminal(&service, &["take", "f1"], "");
    assert!(code == 1 && said.contains("--no-capture") && !said.contains("Name:"), "{code}: {said}");
    let display = Display::start();
    let service = Service::on(&display.name());
    let ids = service.add(&["Dear {=ask \"Name\"}{=ask \"Rest\"}"]);
    service.yadori(&["pin", &ids[0]]);
    // Nobody is in front who could be pasted into.
    let (said, code) = at_a_terminal(&service, &["take", "f1", "--paste"], "O'Hara\nabc\n");
    let again = "yadori take f1 --answer 'Name=O'\\''Hara' --answer Rest=abc";
    assert!(code == 1 && said.contains(again), "{code}: {said}");
}

#[test]
fn several_are_taken_as_one() {
    let mut display = Display::start();
    let service = Service::on(&display.name());
    let pasted = |text: &str| until("the text", || display.paste_text().filter(|got| got == text));
    let ids = service.add(&["Kestrel", "Larch", "Guest: {=ask \"Name\" \"N. N.\"}"]);
    service.yadori(&["pin", &ids[2]]);
    let said = service.yadori(&["take", "3", "2"]);
    assert!(said.contains("joined") && said.contains("Kestrel⏎Larch"), "{said}");
    pasted("Kestrel\nLarch");
    assert_eq!(service.list(1)[0].head, "Kestrel\nLarch");
    // A question of one of them is asked; what stands between is one's own.
    let (code, said) = failed(&service, &["take", &ids[0], "f1"]);
    assert!(code == 2 && said.contains("Name"), "{code}: {said}");
    let arguments = ["take", &ids[0], "f1", &ids[1], "--with", " · ", "--proposed", "-t", "upper"];
    let preview = service.yadori(&[&arguments[..], &["--preview"]].concat());
    assert_eq!(preview, "KESTREL · GUEST: N. N. · LARCH\n");
    assert_eq!(service.list(9).len(), 4, "a preview keeps nothing");
    service.yadori(&arguments);
    pasted("KESTREL · GUEST: N. N. · LARCH");
    assert_eq!(service.list(9).len(), 5);
    for wrong in [&["take", "1", "2", "--as", "markdown"][..], &["take", "1", "2", "--earlier", "1"]] {
        let (code, said) = failed(&service, wrong);
        assert!(code == 2 && said.contains("one alone"), "{wrong:?} {code}: {said}");
    }
    let (code, _) = failed(&service, &["take", "1", "--with", ","]);
    assert_eq!(code, 2);
    pasted("KESTREL · GUEST: N. N. · LARCH");
    assert_eq!(service.list(9).len(), 5);
    // A secret is taken alone, and joined to nothing.
    let secret = format!("AKI{}ZEPHYR{:010}", "A", 6_421);
    display.copy_text(&secret);
    until("it, masked", || service.list(1).first().filter(|row| row.secret.is_some()).map(|_| ()));
    let (code, said) = failed(&service, &["take", "1", "2"]);
    assert!(code == 2 && said.contains("take it alone") && !said.contains(&secret), "{code}: {said}");
    assert_eq!(service.list(9).len(), 6);
}
