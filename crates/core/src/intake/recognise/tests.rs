//! A corpus of invented secrets and of texts that look like them: how many are hit, and how many false alarms there are.

use std::collections::BTreeMap;

use super::*;

/// Invented things, the same at each run.
struct Dice(u64);

impl Dice {
    fn roll(&mut self, sides: u64) -> u64 {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        (self.0 >> 33) % sides
    }

    fn of(&mut self, letters: &str, length: usize) -> String {
        let all: Vec<char> = letters.chars().collect();
        (0..length).map(|_| all[usize::try_from(self.roll(all.len() as u64)).unwrap()]).collect()
    }

    fn pick<'a>(&mut self, all: &[&'a str]) -> &'a str {
        all[usize::try_from(self.roll(all.len() as u64)).unwrap()]
    }
}

const DIGITS: &str = "0123456789";
const LETTERS: &str = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789";
const PUNCTUATED: &str = "abcdefghijkmnpqrstuvwxyzABCDEFGHJKLMNPQRSTUVWXYZ23456789!$%&/=?+*#-_.";

fn checked_card(dice: &mut Dice) -> String {
    let prefix = dice.pick(&["4", "51", "55", "2221", "37", "6011", "3528", "36"]);
    let length = match prefix {
        "37" => 15,
        "36" => 14,
        _ => 16,
    };
    let mut text = prefix.to_owned() + &dice.of(DIGITS, length - 1 - prefix.len());
    let check = (0..10)
        .map(|digit| format!("{text}{digit}"))
        .find(|one| luhn(&one.chars().filter_map(|c| c.to_digit(10)).collect::<Vec<_>>()));
    text = check.unwrap();
    match dice.roll(3) {
        0 => text,
        n => {
            let separator = if n == 1 { " " } else { "-" };
            text.as_bytes()
                .chunks(4)
                .map(|some| std::str::from_utf8(some).unwrap())
                .collect::<Vec<_>>()
                .join(separator)
        }
    }
}

fn checked_iban(dice: &mut Dice) -> String {
    let (country, length) =
        [("DE", 18), ("NO", 11), ("CH", 17), ("FR", 23), ("GB", 18)][usize::try_from(dice.roll(5)).unwrap()];
    let bank = if country == "GB" {
        dice.of("ABCDEFGHIJKLMN", 4) + &dice.of(DIGITS, 14)
    } else {
        dice.of(DIGITS, length)
    };
    let number = (2..99).map(|check| format!("{country}{check:02}{bank}")).find(|one| is_iban(one)).unwrap();
    if dice.roll(2) == 0 {
        return number;
    }
    number.as_bytes().chunks(4).map(|some| std::str::from_utf8(some).unwrap()).collect::<Vec<_>>().join(" ")
}

fn source(program: &str, window: &str) -> Source {
    Source { program: Some(program.into()), window: Some(window.into()), page: None }
}

/// Secrets with what they are.
fn secrets() -> Vec<(SecretKind, String, Source)> {
    let mut dice = Dice(7);
    let mut all = Vec::new();
    let plain = || source("Editor", "notes.txt");
    for n in 0..200 {
        let kind = dice.pick(&["", "RSA ", "EC ", "OPENSSH ", "ENCRYPTED "]);
        let body = dice.of(LETTERS, 400);
        let key = format!("-----BEGIN {kind}PRIVATE KEY-----\n{body}\n-----END {kind}PRIVATE KEY-----\n");
        all.push((SecretKind::PrivateKey, key, plain()));
        let token = match n % 6 {
            0 => format!("ghp_{}", dice.of(LETTERS, 36)),
            1 => format!("glpat-{}", dice.of(LETTERS, 20)),
            2 => format!("AKIA{}", dice.of("ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789", 16)),
            3 => format!("export TOKEN=npm_{}", dice.of(LETTERS, 36)),
            4 => format!("Authorization: Bearer {}", dice.of(LETTERS, 40)),
            _ => format!("sk_live_{}", dice.of(LETTERS, 24)),
        };
        all.push((SecretKind::AccessToken, token, plain()));
        let web = format!("eyJ{}.eyJ{}.{}", dice.of(LETTERS, 30), dice.of(LETTERS, 60), dice.of(LETTERS, 43));
        all.push((SecretKind::WebToken, web, plain()));
        let card = checked_card(&mut dice);
        let card = if n % 4 == 0 { format!("Card of the hut fund: {card}, 04/29") } else { card };
        all.push((SecretKind::CardNumber, card, plain()));
        let iban = checked_iban(&mut dice);
        let iban = if n % 4 == 0 { format!("Please pay to IBAN {iban}") } else { iban };
        all.push((SecretKind::Iban, iban, plain()));
        let code = dice.of(DIGITS, 6);
        let (code, from) = match n % 4 {
            0 => (format!("Your verification code is {code}"), plain()),
            1 => (format!("Einmalcode: {code}"), plain()),
            2 => (code, source("Authenticator", "Codes")),
            _ => {
                (format!("{} {}", &code[..3], &code[3..]), source("Firefox", "Your verification code - Mail"))
            }
        };
        all.push((SecretKind::OneTimeCode, code, from));
        let length = usize::try_from(10 + dice.roll(20)).unwrap();
        let password = dice.of(PUNCTUATED, length);
        let from = if n % 2 == 0 {
            source("KeePassXC", "huts.kdbx")
        } else {
            source("Chromium", "Passwords - Settings")
        };
        all.push((SecretKind::Password, password, from));
    }
    all
}

/// Texts that look like secrets and are none.
fn look_alikes() -> Vec<(String, Source)> {
    let mut dice = Dice(11);
    let mut all = Vec::new();
    let plain = || source("Editor", "notes.txt");
    for _ in 0..300 {
        all.push((format!("Order number {}", dice.of(DIGITS, 16)), plain()));
        all.push((dice.of(DIGITS, 16), plain()));
        all.push((dice.of(DIGITS, 13), plain()));
        all.push((dice.of(DIGITS, 6), plain()));
        all.push((
            format!("+47 {} {} {}", dice.of(DIGITS, 3), dice.of(DIGITS, 2), dice.of(DIGITS, 3)),
            plain(),
        ));
        all.push((dice.of("0123456789abcdef", 40), plain()));
        all.push((
            format!(
                "{}-{}-4{}-a{}-{}",
                dice.of("0123456789abcdef", 8),
                dice.of("0123456789abcdef", 4),
                dice.of("0123456789abcdef", 3),
                dice.of("0123456789abcdef", 3),
                dice.of("0123456789abcdef", 12)
            ),
            plain(),
        ));
        all.push((
            format!("https://huts.example/permit/{}?id={}", dice.of(LETTERS, 20), dice.of(DIGITS, 8)),
            plain(),
        ));
        all.push((format!("DE{}", dice.of(DIGITS, 20)), plain()));
        all.push((dice.of(PUNCTUATED, 14), plain()));
        all.push((
            format!("{}@{}.example", dice.of("abcdefgh", 8), dice.of("abcdefgh", 6)),
            source("KeePassXC", "huts.kdbx"),
        ));
        all.push(("-----BEGIN PUBLIC KEY-----\n".to_owned() + &dice.of(LETTERS, 300), plain()));
        all.push((format!("fn ghp_{}() {{}}", dice.of("abcdef", 8)), plain()));
        all.push((
            format!(
                "The code of conduct of {} pages was sent on 14 May {}",
                dice.of(DIGITS, 2),
                dice.of("12", 4)
            ),
            plain(),
        ));
        let page =
            format!("Minutes of the wardens' meeting. {}", "The roof of Tern Hut was looked at. ".repeat(60));
        all.push((page + &checked_card(&mut dice), plain()));
    }
    all
}

#[test]
fn most_invented_secrets_are_hit_and_few_look_alikes() {
    let on: BTreeSet<SecretKind> = SecretKind::RECOGNISED.into_iter().collect();
    let mut hit: BTreeMap<SecretKind, (usize, usize)> = BTreeMap::new();
    for (kind, text, from) in secrets() {
        let tally = hit.entry(kind).or_default();
        tally.1 += 1;
        tally.0 += usize::from(recognise(&text, &from, &on) == Some(kind));
    }
    for (kind, (hit, of)) in &hit {
        assert!(hit * 100 >= of * 97, "{kind:?}: {hit} of {of}");
    }
    let alike = look_alikes();
    let alarms: Vec<_> = alike.iter().filter_map(|(text, from)| recognise(text, from, &on)).collect();
    assert!(alarms.len() * 100 <= alike.len(), "{} of {}: {alarms:?}", alarms.len(), alike.len());
}

#[test]
fn a_recogniser_that_is_switched_off_hits_nothing() {
    for (kind, text, from) in secrets() {
        let on: BTreeSet<_> = SecretKind::RECOGNISED.into_iter().filter(|one| *one != kind).collect();
        assert_ne!(recognise(&text, &from, &on), Some(kind));
        assert_eq!(recognise(&text, &from, &BTreeSet::new()), None);
    }
}

proptest::proptest! {
    #[test]
    fn no_text_is_too_much_for_it(text in "\\PC{0,300}", program in proptest::option::of("\\PC{0,20}")) {
        let on: BTreeSet<SecretKind> = SecretKind::RECOGNISED.into_iter().collect();
        recognise(&text, &Source { program, ..Source::default() }, &on);
    }
}
