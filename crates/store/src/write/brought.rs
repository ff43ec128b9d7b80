//! What imports that are under way have done, so that it can be taken back also where one is cut off with the service.

use sqlx::{MySql, MySqlConnection, QueryBuilder};

use crate::write::group::{Group, ROWS};

/// Writes what the group says of imports.
pub(crate) async fn write(tx: &mut MySqlConnection, group: &Group) -> Result<(), sqlx::Error> {
    for rows in group.brought.chunks(ROWS) {
        let mut sql = QueryBuilder::<MySql>::new("INSERT INTO brought (import, subject, body) ");
        sql.push_values(rows, |mut values, row| {
            values.push_bind(&row.import[..]).push_bind(&row.subject[..]).push_bind(&row.body);
        });
        sql.push(" ON DUPLICATE KEY UPDATE later = VALUES(body)");
        sql.build().execute(&mut *tx).await?;
    }
    for (import, upto) in &group.brought_ended {
        // Overwritten first: it tells what clips hold.
        for sql in [
            "UPDATE brought SET body = REPEAT('\\0', LENGTH(body)), later = REPEAT('\\0', LENGTH(later)) \
             WHERE import = ? AND n <= ?",
            "DELETE FROM brought WHERE import = ? AND n <= ?",
        ] {
            sqlx::query(sql).bind(&import[..]).bind(upto).execute(&mut *tx).await?;
        }
    }
    Ok(())
}
