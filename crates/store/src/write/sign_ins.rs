//! Browsers that are signed in: written, seen again, and ended.

use sqlx::MySqlConnection;

use crate::rows::{SignInChange, SignInRow};

/// Writes what has become of sign-ins.
pub(crate) async fn write(tx: &mut MySqlConnection, change: &SignInChange) -> Result<(), sqlx::Error> {
    match change {
        SignInChange::Keep(row) => {
            let SignInRow { id, public, origin, name, made_at, seen_at } = row;
            sqlx::query(
                "REPLACE INTO sign_ins (id, public, origin, name, made_at, seen_at) VALUES (?, ?, ?, ?, ?, ?)",
            )
            .bind(&id[..])
            .bind(&public[..])
            .bind(origin.as_bytes())
            .bind(name.as_bytes())
            .bind(made_at)
            .bind(seen_at)
            .execute(tx)
            .await?
        }
        SignInChange::End(id) => {
            sqlx::query("DELETE FROM sign_ins WHERE id = ?").bind(&id[..]).execute(tx).await?
        }
    };
    Ok(())
}
