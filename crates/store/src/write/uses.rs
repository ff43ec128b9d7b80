//! Who needs which content.

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::Digest;

use crate::write::group::ROWS;

/// Takes away who needed which content. Pairs in a list would be looked for by reading the whole table.
pub(crate) async fn delete_uses(
    tx: &mut MySqlConnection,
    uses: impl Iterator<Item = (&[u8], Digest)>,
) -> Result<(), sqlx::Error> {
    let mut sql = QueryBuilder::<MySql>::new("DELETE FROM uses WHERE ");
    let mut pairs = sql.separated(" OR ");
    let mut any = false;
    for (holder, digest) in uses {
        any = true;
        pairs.push("(holder = ").push_bind_unseparated(holder.to_vec());
        pairs.push_unseparated(" AND digest = ").push_bind_unseparated(digest.0.to_vec());
        pairs.push_unseparated(")");
    }
    if any {
        sql.build().execute(tx).await?;
    }
    Ok(())
}

/// Notes who needs which content.
pub(crate) async fn write_uses(
    tx: &mut MySqlConnection,
    uses: &[([u8; 16], Digest)],
) -> Result<(), sqlx::Error> {
    for uses in uses.chunks(ROWS) {
        let mut sql = QueryBuilder::<MySql>::new("");
        push_uses(&mut sql, uses);
        sql.build().execute(&mut *tx).await?;
    }
    Ok(())
}

/// The statement that notes who needs which content.
pub(crate) fn push_uses(sql: &mut QueryBuilder<MySql>, uses: &[([u8; 16], Digest)]) {
    sql.push("INSERT IGNORE INTO uses (holder, digest) ");
    sql.push_values(uses, |mut row, (holder, digest)| {
        row.push_bind(&holder[..]).push_bind(&digest.0[..]);
    });
}
