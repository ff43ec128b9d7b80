//! What is left of clearings to be done, taken back, or let go of.

use sqlx::{MySql, QueryBuilder, Row};
use yadori_core::{ClipId, Stamp};

use crate::error::ReadError;
use crate::rows::PortionRow;
use crate::store::Store;

/// A part: its clip, and what brings it back as JSON.
pub type PartBody = (ClipId, Vec<u8>);

fn clip_id(bytes: &[u8]) -> Option<ClipId> {
    Some(ClipId(bytes.try_into().ok()?))
}

impl Store {
    /// Parts of a clearing in the order of their clips, from behind `after`: those that stand or that were taken back, or
    /// (`None`) any. At most `most`.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn parts(
        &self,
        act: [u8; 16],
        stand: Option<bool>,
        after: Option<ClipId>,
        most: u32,
    ) -> Result<Vec<PartBody>, ReadError> {
        let mut sql = QueryBuilder::<MySql>::new("SELECT clip, body FROM act_parts WHERE act = ");
        sql.push_bind(&act[..]);
        if let Some(stand) = stand {
            sql.push(" AND stands = ").push_bind(stand);
        }
        if let Some(after) = after {
            sql.push(" AND clip > ").push_bind(after.0.to_vec());
        }
        sql.push(" ORDER BY clip LIMIT ").push_bind(most);
        let rows = sql.build().fetch_all(&self.pool).await?;
        let mut parts = Vec::with_capacity(rows.len());
        for row in rows {
            let clip: Vec<u8> = row.try_get("clip")?;
            let clip =
                clip_id(&clip).ok_or_else(|| ReadError::Damaged("a part of an act has no clip".into()))?;
            parts.push((clip, row.try_get("body")?));
        }
        Ok(parts)
    }

    /// How many parts of a clearing stand.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn parts_count(&self, act: [u8; 16]) -> Result<u64, ReadError> {
        let stand: i64 = sqlx::query_scalar("SELECT COUNT(*) FROM act_parts WHERE act = ? AND stands = 1")
            .bind(&act[..])
            .fetch_one(&self.pool)
            .await?;
        Ok(u64::try_from(stand).unwrap_or(0))
    }

    /// The next portion that a clearing is to take.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn portion(&self, act: [u8; 16]) -> Result<Option<PortionRow>, ReadError> {
        let row: Option<(i32, Vec<u8>, Option<Vec<u8>>)> =
            sqlx::query_as("SELECT n, clips, ahead FROM act_lists WHERE act = ? ORDER BY n LIMIT 1")
                .bind(&act[..])
                .fetch_optional(&self.pool)
                .await?;
        let seen = |bytes: &[u8]| Some((clip_id(&bytes[..16])?, Stamp::from_bytes(&bytes[16..])?));
        Ok(row.map(|(n, clips, ahead)| PortionRow {
            act,
            n,
            clips: clips.chunks_exact(16).filter_map(clip_id).collect(),
            ahead: ahead.unwrap_or_default().chunks_exact(44).filter_map(seen).collect(),
        }))
    }

    /// Those of the clips that another clearing can bring back.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn held_by_others(&self, act: [u8; 16], clips: &[ClipId]) -> Result<Vec<ClipId>, ReadError> {
        if clips.is_empty() {
            return Ok(Vec::new());
        }
        let mut sql = QueryBuilder::<MySql>::new("SELECT DISTINCT clip FROM act_parts WHERE act <> ");
        sql.push_bind(&act[..]).push(" AND clip IN (");
        let mut list = sql.separated(", ");
        clips.iter().for_each(|id| {
            list.push_bind(id.0.to_vec());
        });
        sql.push(")");
        let found: Vec<Vec<u8>> = sql.build_query_scalar().fetch_all(&self.pool).await?;
        Ok(found.iter().filter_map(|id| clip_id(id)).collect())
    }

    /// Lets go of portions of clearings that never came about: those whose act was not written.
    ///
    /// # Errors
    /// They stay then.
    pub async fn forget_portions(&self) -> Result<(), ReadError> {
        sqlx::query("DELETE FROM act_lists WHERE act NOT IN (SELECT id FROM acts)")
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
