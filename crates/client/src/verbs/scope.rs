//! What a clearing means, as a person says it: by hand and in standing orders.

use clap::{Args, ValueEnum};
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{Kind, Scope};

use crate::completing::words;

/// A kind of clips.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum KindName {
    Text,
    Link,
    Image,
    Files,
}

impl From<KindName> for Kind {
    fn from(name: KindName) -> Self {
        match name {
            KindName::Text => Self::Text,
            KindName::Link => Self::Link,
            KindName::Image => Self::Image,
            KindName::Files => Self::Files,
        }
    }
}

/// What is meant. What is said together must all hold.
#[derive(Debug, Args)]
pub(crate) struct Meant {
    /// Only this kind
    #[arg(long, value_enum)]
    kind: Option<KindName>,
    /// Only what came from this program
    #[arg(long, value_name = "PROGRAM")]
    from: Option<String>,
    /// Only what this search finds
    #[arg(short, long, value_name = "QUERY", add = ArgValueCompleter::new(words))]
    pub(super) query: Option<String>,
    /// Only what was recognised as a secret
    #[arg(long)]
    secrets: bool,
    /// Favorites as well
    #[arg(long)]
    favorites: bool,
    /// The live clipboard as well
    #[arg(long)]
    pub(super) live: bool,
    /// Without a grace period: it can't be taken back
    #[arg(long)]
    pub(super) now: bool,
}

impl Meant {
    /// The scope, without a time.
    pub(super) fn scope(&self) -> Scope {
        Scope {
            kind: self.kind.map(Kind::from),
            program: self.from.clone(),
            since: None,
            query: self.query.clone(),
            secrets: self.secrets,
            favorites: self.favorites,
        }
    }
}
