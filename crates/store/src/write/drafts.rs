//! Drafts: what was typed in an editor and not saved yet, one per clip. They go with the clip.

use sqlx::MySqlConnection;
use yadori_core::Micros;

use crate::rows::DraftRow;

/// Keeps a draft, or overwrites and deletes it.
pub(crate) async fn write(
    tx: &mut MySqlConnection,
    draft: &DraftRow,
    now: Micros,
) -> Result<(), sqlx::Error> {
    let id = &draft.clip.0[..];
    sqlx::query("UPDATE drafts SET body = REPEAT('\\0', LENGTH(body)) WHERE clip = ?")
        .bind(id)
        .execute(&mut *tx)
        .await?;
    match &draft.text {
        Some(text) => {
            sqlx::query("REPLACE INTO drafts (clip, at, body) VALUES (?, ?, ?)")
                .bind(id)
                .bind(now)
                .bind(text.as_bytes())
                .execute(tx)
                .await?
        }
        None => sqlx::query("DELETE FROM drafts WHERE clip = ?").bind(id).execute(tx).await?,
    };
    Ok(())
}
