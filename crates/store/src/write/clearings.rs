//! Clearings: their portions and parts, and clips that go without leaving anything.

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::{ClipId, Digest};

use crate::error::Broken;
use crate::write::group::{Group, ROWS};
use crate::write::uses::delete_uses;

fn listed(start: &'static str, ids: &[ClipId], end: &'static str) -> QueryBuilder<MySql> {
    let mut sql = QueryBuilder::<MySql>::new(start);
    let mut list = sql.separated(", ");
    ids.iter().for_each(|id| {
        list.push_bind(id.0.to_vec());
    });
    sql.push(end);
    sql
}

/// Writes what the group says of clearings. Gives contents that may be needed no longer.
pub(crate) async fn write(tx: &mut MySqlConnection, group: &Group) -> Result<Vec<Digest>, Broken> {
    for portions in group.portions.chunks(ROWS) {
        let mut sql = QueryBuilder::<MySql>::new("INSERT INTO act_lists (act, n, clips, ahead) ");
        sql.push_values(portions, |mut row, one| {
            let clips: Vec<u8> = one.clips.iter().flat_map(|id| id.0).collect();
            let ahead = one.ahead.iter().flat_map(|(id, stamp)| id.0.into_iter().chain(stamp.to_bytes()));
            let ahead: Vec<u8> = ahead.collect();
            let ahead = (!ahead.is_empty()).then_some(ahead);
            row.push_bind(&one.act[..]).push_bind(one.n).push_bind(clips).push_bind(ahead);
        });
        sql.build().execute(&mut *tx).await?;
    }
    for (act, n) in &group.portions_done {
        sqlx::query("DELETE FROM act_lists WHERE act = ? AND n = ?")
            .bind(&act[..])
            .bind(n)
            .execute(&mut *tx)
            .await?;
    }
    for parts in group.parts.chunks(ROWS) {
        let mut sql = QueryBuilder::<MySql>::new("INSERT INTO act_parts (act, clip, stands, body) ");
        sql.push_values(parts, |mut row, part| {
            row.push_bind(&part.act[..])
                .push_bind(part.clip.0.to_vec())
                .push_bind(true)
                .push_bind(&part.body);
        });
        sql.push(" ON DUPLICATE KEY UPDATE stands = VALUES(stands), body = VALUES(body)");
        sql.build().execute(&mut *tx).await?;
    }
    for (act, clips) in &group.parts_back {
        for clips in clips.chunks(ROWS) {
            let mut sql = listed("UPDATE act_parts SET stands = 0 WHERE clip IN (", clips, ") AND act = ");
            sql.push_bind(&act[..]);
            sql.build().execute(&mut *tx).await?;
        }
    }
    let mut freed = Vec::new();
    for (act, clips, held) in &group.parts_ended {
        for clips in clips.chunks(ROWS) {
            for (start, end) in [
                ("UPDATE act_parts SET body = REPEAT('\\0', LENGTH(body)) WHERE clip IN (", ") AND act = "),
                ("DELETE FROM act_parts WHERE clip IN (", ") AND act = "),
            ] {
                let mut sql = listed(start, clips, end);
                sql.push_bind(&act[..]);
                sql.build().execute(&mut *tx).await?;
            }
        }
        for held in held.chunks(ROWS) {
            delete_uses(tx, held.iter().map(|digest| (&act[..], *digest))).await?;
        }
        freed.extend(held);
    }
    for (act, going, count) in &group.going {
        sqlx::query("UPDATE acts SET going = ?, clips = COALESCE(?, clips) WHERE id = ?")
            .bind(going)
            .bind(count.map(|count| i32::try_from(count).unwrap_or(i32::MAX)))
            .bind(&act[..])
            .execute(&mut *tx)
            .await?;
        if *going == crate::rows::ENDING {
            sqlx::query("DELETE FROM act_lists WHERE act = ?").bind(&act[..]).execute(&mut *tx).await?;
        }
    }
    for clips in group.evicted.chunks(ROWS) {
        let needed: Vec<Vec<u8>> = listed("SELECT digest FROM uses WHERE holder IN (", clips, ")")
            .build_query_scalar()
            .fetch_all(&mut *tx)
            .await?;
        freed.extend(needed.iter().filter_map(|digest| Some(Digest(digest.as_slice().try_into().ok()?))));
        for start in [
            "DELETE FROM uses WHERE holder IN (",
            "UPDATE clips SET state = REPEAT('\\0', LENGTH(state)), facts = REPEAT('\\0', LENGTH(facts)) WHERE id IN (",
            "DELETE FROM clips WHERE id IN (",
            // Of a restore, and not yet in its place.
            "DELETE FROM incoming WHERE id IN (",
        ] {
            listed(start, clips, ")").build().execute(&mut *tx).await?;
        }
    }
    Ok(freed)
}
