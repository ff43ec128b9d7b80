//! Search as one types, in memory, over folded text (see [`crate::text::fold`]): the query language, the texts that are
//! searched, the scan over them, and where a text matches.

mod checks;
pub mod complete;
pub mod corpus;
mod doc;
pub mod index;
pub mod marks;
pub mod names;
pub mod nearest;
pub mod pattern;
mod places;
pub mod query;
mod scan;
mod seal;
mod summary;
pub mod texts;
mod tokens;
pub mod weaving;
pub mod when;

pub use corpus::Corpus;
pub use index::{Found, GoOn, Index, Text, facts_are_whole};
pub use query::{Query, QueryError, Test};
