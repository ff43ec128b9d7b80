//! Acts: written, stepped, losing a part of what they know, and ended.

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::{ClipId, Digest};

use crate::write::group::{Group, ROWS};

fn known(clips: &[ClipId]) -> Vec<u8> {
    clips.iter().flat_map(|id| id.0).collect()
}

pub(crate) async fn write(tx: &mut MySqlConnection, group: &Group) -> Result<(), sqlx::Error> {
    for act in &group.acts {
        sqlx::query(
            "INSERT INTO acts (id, number, at, kind, payload, undone_at, undone_number, lasting, subject, clips, known, going) \
             VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
        )
        .bind(&act.id[..])
        .bind(act.number)
        .bind(act.at)
        .bind(act.kind.word().as_bytes())
        .bind(&act.payload)
        .bind(act.undone.map(|(_, at)| at))
        .bind(act.undone.map(|(number, _)| number))
        .bind(act.lasting)
        .bind(act.subject.as_ref().map(String::as_bytes))
        .bind(i32::try_from(act.cleared.unwrap_or(act.clips.len() as u64)).unwrap_or(i32::MAX))
        .bind(known(&act.clips))
        .bind(act.going)
        .execute(&mut *tx)
        .await?;
    }
    for act in &group.stepped {
        sqlx::query("UPDATE acts SET undone_at = ?, undone_number = ? WHERE id = ?")
            .bind(act.undone.map(|(_, at)| at))
            .bind(act.undone.map(|(number, _)| number))
            .bind(&act.id[..])
            .execute(&mut *tx)
            .await?;
    }
    for act in &group.forgetting {
        // Overwritten first: what it knows is shorter now.
        sqlx::query("UPDATE acts SET payload = REPEAT('\\0', LENGTH(payload)) WHERE id = ?")
            .bind(&act.id[..])
            .execute(&mut *tx)
            .await?;
        sqlx::query("UPDATE acts SET payload = ?, known = ? WHERE id = ?")
            .bind(&act.payload)
            .bind(known(&act.clips))
            .bind(&act.id[..])
            .execute(&mut *tx)
            .await?;
    }
    Ok(())
}

/// Deletes acts, overwriting what they knew. Gives the contents that they held.
pub(crate) async fn end(tx: &mut MySqlConnection, ended: &[[u8; 16]]) -> Result<Vec<Digest>, sqlx::Error> {
    let mut freed = Vec::new();
    for ended in ended.chunks(ROWS) {
        let listed = |start: &'static str, end: &'static str| {
            let mut sql = QueryBuilder::<MySql>::new(start);
            let mut list = sql.separated(", ");
            ended.iter().for_each(|id| {
                list.push_bind(&id[..]);
            });
            sql.push(end);
            sql
        };
        let held: Vec<Vec<u8>> = listed("SELECT digest FROM uses WHERE holder IN (", ")")
            .build_query_scalar()
            .fetch_all(&mut *tx)
            .await?;
        freed.extend(held.iter().filter_map(|digest| Some(Digest(digest.as_slice().try_into().ok()?))));
        for (start, end) in [
            ("DELETE FROM uses WHERE holder IN (", ")"),
            ("UPDATE acts SET payload = REPEAT('\\0', LENGTH(payload)) WHERE id IN (", ")"),
            ("DELETE FROM acts WHERE id IN (", ")"),
        ] {
            listed(start, end).build().execute(&mut *tx).await?;
        }
    }
    Ok(freed)
}
