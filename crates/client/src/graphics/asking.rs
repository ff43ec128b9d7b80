//! Asking a terminal what it can: answers come where keys come, and are told apart from them.

use std::io::{self, Read, Write};
use std::os::fd::AsFd;
use std::time::{Duration, Instant};

use rustix::event::{PollFd, PollFlags, Timespec, poll};

/// How long a terminal may take to answer; one far away takes its time.
const ANSWER: Duration = Duration::from_millis(700);
/// How long what has begun to come takes to come whole.
const WHOLE: Duration = Duration::from_millis(30);
/// Bytes that are read at most, with what is typed meanwhile.
const MOST: usize = 1 << 20;

/// What every terminal answers (DA1, DEC VT510 manual).
const ATTRIBUTES: &[u8] = b"\x1b[c";
/// Whether a picture could be shown (graphics protocol of kitty), and at last what is answered in any case, so that nobody
/// waits for an answer that does not come.
const GRAPHICS: &[u8] = b"\x1b_Gi=31,s=1,v=1,a=q,t=d,f=24;AAAA\x1b\\\x1b[c";

/// What came from the terminal.
#[derive(Debug, Default, PartialEq, Eq)]
pub(super) struct Heard {
    /// Its answers, as they came.
    pub(super) answers: String,
    /// What else came: keys, as bytes.
    pub(super) typed: Vec<u8>,
    /// How often it told its attributes.
    attributes: usize,
}

/// Asks the terminal, which is raw.
///
/// A terminal that does not say what every one says in time is not asked for more: a late answer to that is known by whoever
/// reads the keys, one about graphics would come as keys.
pub(super) fn ask() -> io::Result<Heard> {
    let mut terminal = std::fs::OpenOptions::new().read(true).write(true).open("/dev/tty")?;
    let mut came = Vec::new();
    terminal.write_all(ATTRIBUTES)?;
    if read_until(&mut terminal, &mut came, ANSWER, |came| apart(came).attributes > 0)? {
        terminal.write_all(GRAPHICS)?;
        read_until(&mut terminal, &mut came, ANSWER, |came| apart(came).attributes > 1)?;
    }
    read_until(&mut terminal, &mut came, WHOLE, |came| !is_cut(&apart(came).typed))?;
    Ok(apart(&came))
}

fn read_until(
    terminal: &mut std::fs::File,
    came: &mut Vec<u8>,
    time: Duration,
    is: impl Fn(&[u8]) -> bool,
) -> io::Result<bool> {
    let until = Instant::now() + time;
    while !is(came) {
        let left = until.saturating_duration_since(Instant::now());
        let limit = Timespec::try_from(left).unwrap_or_default();
        let ready = poll(&mut [PollFd::from_borrowed_fd(terminal.as_fd(), PollFlags::IN)], Some(&limit))?;
        if ready == 0 || left.is_zero() || came.len() >= MOST {
            return Ok(false);
        }
        let mut piece = [0; 4_096];
        let length = terminal.read(&mut piece)?;
        if length == 0 {
            // Nobody is there any more: it would be ready for ever.
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        came.extend_from_slice(&piece[..length]);
    }
    Ok(true)
}

/// How long the answer is that begins here; the answer about attributes is the second kind.
fn answer_at(came: &[u8]) -> Option<(usize, bool)> {
    if let Some(rest) = came.strip_prefix(b"\x1b[?") {
        let end = rest.iter().position(|byte| !(byte.is_ascii_digit() || *byte == b';'))?;
        return (rest[end] == b'c').then_some((3 + end + 1, true));
    }
    let rest = came.strip_prefix(b"\x1b_G")?;
    let end = rest.windows(2).position(|two| two == b"\x1b\\")?;
    Some((3 + end + 2, false))
}

/// Answers and keys, each in their order.
fn apart(came: &[u8]) -> Heard {
    let mut heard = Heard::default();
    let mut at = 0;
    while at < came.len() {
        if let Some((length, attributes)) = answer_at(&came[at..]) {
            heard.answers.push_str(&String::from_utf8_lossy(&came[at..at + length]));
            heard.attributes += usize::from(attributes);
            at += length;
        } else {
            heard.typed.push(came[at]);
            at += 1;
        }
    }
    heard
}

/// What was typed ends in the middle of a letter or of a key.
fn is_cut(typed: &[u8]) -> bool {
    let letter = std::str::from_utf8(typed).is_err_and(|why| why.error_len().is_none());
    let key = typed.iter().rposition(|byte| *byte == 0x1b).is_some_and(|at| {
        let rest = &typed[at + 1..];
        match rest.first() {
            None | Some(b'_') => true,
            Some(b'[') => !rest[1..].iter().any(|byte| (0x40..=0x7e).contains(byte)),
            Some(b'O') => rest.len() == 1,
            Some(_) => false,
        }
    });
    letter || key
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const ANSWERS: [&str; 4] =
        ["\x1b[?62;4;22c", "\x1b[?6c", "\x1b_Gi=31;OK\x1b\\", "\x1b_Gi=31;ENOTSUP:no\x1b\\"];
    const KEYS: [&str; 12] = [
        "a",
        "小",
        "é",
        "\r",
        "\x7f",
        "\x1b[A",
        "\x1b[1;5C",
        "\x1bOH",
        "\x1b[3~",
        "\x1bx",
        "c",
        "\x1b[200~ok\x1b[201~",
    ];

    proptest! {
        #[test]
        fn keys_and_answers_are_told_apart_wherever_they_come(
            all in proptest::collection::vec((any::<bool>(), 0..12usize), 0..40),
        ) {
            let (mut came, mut answers, mut keys) = (String::new(), String::new(), String::new());
            for (is_answer, which) in all {
                let one = if is_answer { ANSWERS[which % 4] } else { KEYS[which] };
                came += one;
                if is_answer { answers += one } else { keys += one }
            }
            let heard = apart(came.as_bytes());
            prop_assert_eq!(&heard.answers, &answers);
            prop_assert_eq!(&heard.typed, &keys.into_bytes());
            prop_assert_eq!(heard.attributes, answers.matches("\x1b[?").count());
            prop_assert!(!is_cut(&heard.typed));
        }

        #[test]
        fn what_is_cut_anywhere_is_waited_for(which in 0..12usize, at in 1..6usize) {
            let key = KEYS[which].as_bytes();
            if at < key.len() && which != 11 {
                prop_assert!(is_cut(&[b"x", &key[..at]].concat()) || key[..at] == *b"\x1bx");
            }
        }
    }

    #[test]
    fn an_answer_that_is_not_whole_is_none_yet() {
        for cut in ["\x1b[?62;4", "\x1b[?", "\x1b_Gi=31;O", "\x1b_Gi=31;OK\x1b"] {
            let heard = apart(cut.as_bytes());
            assert_eq!((heard.answers.as_str(), heard.attributes), ("", 0), "{cut:?}");
            assert!(is_cut(&heard.typed), "{cut:?}");
        }
    }
}
