//! Joining: several texts become one.

/// How texts are joined.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Joined {
    /// With this between them.
    With(String),
    /// As a list with bullets.
    Bullets,
    /// As a numbered list.
    Numbers,
}

/// Several texts as one. Further lines of an entry of a list stand under its first one.
pub fn joined<'t>(texts: impl IntoIterator<Item = &'t str>, how: &Joined) -> String {
    let mut out = String::new();
    for (n, text) in texts.into_iter().enumerate() {
        let mark = match how {
            Joined::With(between) => {
                if n > 0 {
                    out.push_str(between);
                }
                out.push_str(text);
                continue;
            }
            Joined::Bullets => "- ".to_owned(),
            Joined::Numbers => format!("{}. ", n + 1),
        };
        for (line, words) in text.trim().lines().enumerate() {
            out.push_str(if line == 0 { &mark } else { "" });
            if line > 0 {
                out.extend(std::iter::repeat_n(' ', mark.len()));
            }
            out.push_str(words.trim_end());
            out.push('\n');
        }
    }
    if !matches!(how, Joined::With(_)) {
        out.pop();
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn texts_are_joined_as_is_wanted() {
        assert_eq!(joined(["a", "b"], &Joined::With(", ".into())), "a, b");
        assert_eq!(joined(["a\nb", "c "], &Joined::Bullets), "- a\n  b\n- c");
        assert_eq!(joined(["a", "b"], &Joined::Numbers), "1. a\n2. b");
        assert_eq!(joined([], &Joined::Numbers), "");
    }
}
