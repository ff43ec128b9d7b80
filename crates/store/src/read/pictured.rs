//! Words that were read from pictures.

use std::collections::HashMap;

use sqlx::{MySql, QueryBuilder};
use yadori_core::Digest;
use yadori_core::clip::pictured::Pictured;

use crate::error::ReadError;
use crate::store::Store;

impl Store {
    /// What was read from these pictures, a few at a time; those that were not looked at yet are left out, as are those of
    /// which a row can't be read: they are looked at anew.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn pictured(&self, wanted: &[Digest]) -> Result<HashMap<Digest, Pictured>, ReadError> {
        if wanted.is_empty() {
            return Ok(HashMap::new());
        }
        let mut sql = QueryBuilder::<MySql>::new("SELECT digest, words FROM pictured WHERE digest IN (");
        let mut list = sql.separated(", ");
        wanted.iter().for_each(|digest| {
            list.push_bind(digest.0.to_vec());
        });
        sql.push(")");
        let rows: Vec<(Vec<u8>, Vec<u8>)> = sql.build_query_as().fetch_all(&self.pool).await?;
        let one = |(digest, words): (Vec<u8>, Vec<u8>)| {
            Some((Digest(digest.as_slice().try_into().ok()?), serde_json::from_slice(&words).ok()?))
        };
        Ok(rows.into_iter().filter_map(one).collect())
    }
}
