//! Moments: microseconds since the Unix epoch on the wire, and RFC 3339 in UTC where a program writes for people and
//! scripts. Both are read.

use std::cell::Cell;

use jiff::Timestamp;
use serde::de::{Unexpected, Visitor};
use serde::{Deserializer, Serializer};

thread_local! {
    static IN_WORDS: Cell<bool> = const { Cell::new(false) };
}

/// Whatever is serialised meanwhile, on this thread, has its moments in RFC 3339.
pub fn in_rfc3339<T>(write: impl FnOnce() -> T) -> T {
    let before = IN_WORDS.replace(true);
    let done = write();
    IN_WORDS.set(before);
    done
}

/// A moment as RFC 3339 in UTC. `None` beyond the years that can be written.
pub fn rfc3339(micros: i64) -> Option<String> {
    Some(Timestamp::from_microsecond(micros).ok()?.to_string())
}

/// For `#[serde(with = …)]`.
///
/// # Errors
/// Those of the serialiser.
pub fn serialize<S: Serializer>(micros: &i64, to: S) -> Result<S::Ok, S::Error> {
    match rfc3339(*micros).filter(|_| IN_WORDS.get()) {
        Some(words) => to.serialize_str(&words),
        None => to.serialize_i64(*micros),
    }
}

/// For `#[serde(with = …)]`.
///
/// # Errors
/// Neither microseconds nor RFC 3339.
pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<i64, D::Error> {
    from.deserialize_any(Either)
}

struct Either;

impl Visitor<'_> for Either {
    type Value = i64;

    fn expecting(&self, to: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        to.write_str("microseconds since 1970, or a time such as 2026-11-02T09:41:00Z")
    }

    fn visit_i64<E: serde::de::Error>(self, micros: i64) -> Result<i64, E> {
        Ok(micros)
    }

    fn visit_u64<E: serde::de::Error>(self, micros: u64) -> Result<i64, E> {
        i64::try_from(micros).map_err(|_| E::invalid_value(Unexpected::Unsigned(micros), &self))
    }

    fn visit_str<E: serde::de::Error>(self, words: &str) -> Result<i64, E> {
        let at: Result<Timestamp, _> = words.parse();
        at.map(Timestamp::as_microsecond).map_err(|_| E::invalid_value(Unexpected::Str(words), &self))
    }
}

/// The same for a moment that may be absent.
pub mod optional {
    use serde::{Deserialize, Deserializer, Serializer};

    /// For `#[serde(with = …)]`.
    ///
    /// # Errors
    /// Those of the serialiser.
    pub fn serialize<S: Serializer>(micros: &Option<i64>, to: S) -> Result<S::Ok, S::Error> {
        match micros {
            Some(micros) => super::serialize(micros, to),
            None => to.serialize_none(),
        }
    }

    /// For `#[serde(with = …)]`.
    ///
    /// # Errors
    /// Neither microseconds nor RFC 3339.
    pub fn deserialize<'de, D: Deserializer<'de>>(from: D) -> Result<Option<i64>, D::Error> {
        #[derive(Deserialize)]
        struct One(#[serde(with = "super")] i64);
        Ok(Option::<One>::deserialize(from)?.map(|one| one.0))
    }
}

#[cfg(test)]
mod tests {
    use serde::{Deserialize, Serialize};

    use super::*;

    #[derive(Debug, PartialEq, Serialize, Deserialize)]
    struct Some2 {
        #[serde(with = "super")]
        at: i64,
        #[serde(default, with = "super::optional", skip_serializing_if = "Option::is_none")]
        until: Option<i64>,
    }

    #[test]
    fn moments_are_numbers_on_the_wire_and_words_for_people_and_read_either_way() {
        let one = Some2 { at: 1_700_000_000_123_456, until: Some(0) };
        let wire = serde_json::to_string(&one).unwrap();
        assert_eq!(wire, r#"{"at":1700000000123456,"until":0}"#);
        let words = in_rfc3339(|| serde_json::to_string(&one).unwrap());
        assert_eq!(words, r#"{"at":"2023-11-14T22:13:20.123456Z","until":"1970-01-01T00:00:00Z"}"#);
        for text in [&wire, &words] {
            assert_eq!(serde_json::from_str::<Some2>(text).unwrap(), one);
        }
        assert_eq!(serde_json::to_string(&one).unwrap(), wire);
        assert_eq!(serde_json::from_str::<Some2>(r#"{"at":5,"until":null}"#).unwrap().until, None);
        let why = serde_json::from_str::<Some2>(r#"{"at":"yesterday"}"#).unwrap_err().to_string();
        assert!(why.contains("2026-11-02T09:41:00Z"), "{why}");
    }
}
