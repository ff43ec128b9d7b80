//! Recognising a link: a text that is one address and nothing else. Derived, never stored, so that it can get better.

const SCHEMES: [&str; 5] = ["http://", "https://", "mailto:", "ftp://", "sftp://"];

/// The address, when the text (white space around it aside) is exactly one link.
pub fn as_link(text: &str) -> Option<&str> {
    let text = text.trim();
    if text.is_empty() || text.len() > 8_192 || text.contains(|c: char| c.is_whitespace() || c.is_control()) {
        return None;
    }
    let lower: String = text.chars().take(8).collect::<String>().to_ascii_lowercase();
    let scheme = SCHEMES.iter().find(|scheme| lower.starts_with(*scheme))?;
    let rest = &text[scheme.len()..];
    if *scheme == "mailto:" {
        let (name, host) = rest.split('?').next()?.split_once('@')?;
        return (!name.is_empty() && !host.is_empty()).then_some(text);
    }
    let authority = rest.split(['/', '?', '#']).next()?;
    let host = authority.rsplit('@').next()?;
    let host = if host.starts_with('[') { host.split(']').next()? } else { host.split(':').next()? };
    let plausible =
        host.chars().any(char::is_alphanumeric) && !host.contains(['<', '>', '"', '{', '}', '|', '\\']);
    plausible.then_some(text)
}

/// Splits a web address for display: the host, and what follows it. `None` for addresses without a host.
pub fn host_and_rest(link: &str) -> Option<(&str, &str)> {
    let rest = link.split_once("://")?.1;
    let end = rest.find(['/', '?', '#']).unwrap_or(rest.len());
    let (authority, path) = rest.split_at(end);
    Some((authority.rsplit('@').next()?, path))
}

/// True for addresses that may be followed from the console: http, https and mailto.
pub fn may_be_followed(link: &str) -> bool {
    let lower = link.chars().take(8).collect::<String>().to_ascii_lowercase();
    ["http://", "https://", "mailto:"].iter().any(|scheme| lower.starts_with(scheme))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn one_address_is_a_link() {
        for link in [
            "https://weather.example.org/ridge?hut=kestrel",
            "  http://example.org\n",
            "HTTPS://EXAMPLE.ORG",
            "mailto:warden@example.org?subject=Bunks",
            "http://[::1]:8080/x",
            "https://例え.example/道",
        ] {
            assert_eq!(as_link(link), Some(link.trim()), "{link}");
        }
    }

    #[test]
    fn anything_more_is_a_text() {
        for text in [
            "",
            "see https://example.org",
            "https://",
            "https:///x",
            "mailto:nobody",
            "example",
            "http://a b",
            "javascript:alert(1)",
        ] {
            assert_eq!(as_link(text), None, "{text}");
        }
    }

    #[test]
    fn only_harmless_schemes_may_be_followed() {
        assert!(may_be_followed("https://example.org"));
        assert!(!may_be_followed("ftp://example.org"));
        assert!(!may_be_followed("javascript:alert(1)"));
    }

    #[test]
    fn host_and_rest_are_told_apart() {
        assert_eq!(host_and_rest("https://a.example/b?c"), Some(("a.example", "/b?c")));
        assert_eq!(host_and_rest("https://user@a.example"), Some(("a.example", "")));
        assert_eq!(host_and_rest("mailto:a@b"), None);
    }
}
