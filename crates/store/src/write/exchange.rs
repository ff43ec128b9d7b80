//! The exchange with a hub: what is to be sent is written with the change itself, what has come with what is kept of it.

use std::sync::atomic::Ordering;

use sqlx::{MySql, MySqlConnection, QueryBuilder};
use yadori_core::{DeviceId, Digest};

use crate::error::{CommitError, ReadError};
use crate::rows::{BlobRow, DeviceRow, ExchangeRow, ExchangeState, OutgoingRow, Subject};
use crate::store::Store;
use crate::write::group::ROWS;
use crate::write::outbox::DRAWER;

/// Sequence, kind, id, version, body and blobs of a record on its way.
type OutgoingColumns = (u64, Vec<u8>, Vec<u8>, u64, Vec<u8>, Vec<u8>);

/// Keeps how far the exchange has come.
pub(crate) async fn write(tx: &mut MySqlConnection, row: &ExchangeRow) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO exchange (one, incarnation, sequence, seen) VALUES (1, ?, ?, ?) ON DUPLICATE KEY UPDATE \
         incarnation = VALUES(incarnation), sequence = VALUES(sequence), seen = VALUES(seen)",
    )
    .bind(row.incarnation)
    .bind(row.sequence)
    .bind(row.seen)
    .execute(&mut *tx)
    .await?;
    for some in row.heads.chunks(ROWS) {
        let mut sql =
            QueryBuilder::<MySql>::new("INSERT INTO exchange_heads (device, incarnation, sequence) ");
        sql.push_values(some, |mut one, (device, incarnation, sequence)| {
            one.push_bind(device.0.to_vec()).push_bind(*incarnation).push_bind(*sequence);
        });
        sql.push(" ON DUPLICATE KEY UPDATE sequence = VALUES(sequence)");
        sql.build().execute(&mut *tx).await?;
    }
    for one in &row.devices {
        sqlx::query(
            "INSERT INTO exchange_devices (device, body, heard_at) VALUES (?, ?, ?) ON DUPLICATE KEY UPDATE \
             body = IF(LENGTH(VALUES(body)) = 0, body, VALUES(body)), heard_at = VALUES(heard_at)",
        )
        .bind(&one.device.0[..])
        .bind(&one.body[..])
        .bind(one.heard_at)
        .execute(&mut *tx)
        .await?;
    }
    for one in &row.blobs {
        write_blob(tx, one).await?;
    }
    Ok(())
}

/// A blob that is known already stays as it is, but for how much of it was sent.
async fn write_blob(tx: &mut MySqlConnection, one: &BlobRow) -> Result<(), sqlx::Error> {
    sqlx::query(
        "INSERT INTO exchange_blobs (digest, name, blob_key, size, sent) VALUES (?, ?, ?, ?, ?) \
         ON DUPLICATE KEY UPDATE sent = IF(name = VALUES(name), GREATEST(sent, VALUES(sent)), sent)",
    )
    .bind(&one.digest.0[..])
    .bind(&one.name[..])
    .bind(&one.key[..])
    .bind(one.size)
    .bind(one.sent)
    .execute(tx)
    .await?;
    Ok(())
}

impl Store {
    /// This device belongs to a group from now on: all that it has is to be sent, and whatever changes.
    ///
    /// # Errors
    /// It belongs to none then.
    pub async fn join(&self, row: &ExchangeRow, entries: &[Vec<u8>], now: i64) -> Result<(), CommitError> {
        self.leave_rows().await?;
        let mut tx = self.pool.begin().await?;
        self.lease.holds(&mut tx).await?;
        write(&mut tx, row).await?;
        sqlx::query("UPDATE exchange SET noting = ''").execute(&mut *tx).await?;
        write_entries(&mut tx, 0, entries).await?;
        sqlx::query(
            "INSERT INTO outbox (kind, id, version, waits, changed_at) SELECT ?, id, 1, 1, ? FROM drawers \
             ON DUPLICATE KEY UPDATE version = version + 1, waits = 1",
        )
        .bind(DRAWER.as_bytes())
        .bind(now)
        .execute(&mut *tx)
        .await?;
        // What is changed while this is on its way is noted as well.
        self.exchanges.store(true, Ordering::SeqCst);
        tx.commit().await?;
        Ok(())
    }

    /// This device belongs to no group any more.
    ///
    /// # Errors
    /// It is to be left again then.
    pub async fn leave(&self) -> Result<(), CommitError> {
        self.exchanges.store(false, Ordering::SeqCst);
        self.leave_rows().await
    }

    async fn leave_rows(&self) -> Result<(), CommitError> {
        let mut tx = self.pool.begin().await?;
        self.lease.holds(&mut tx).await?;
        for sql in [
            "DELETE FROM exchange",
            "DELETE FROM exchange_heads",
            "DELETE FROM exchange_entries",
            "DELETE FROM exchange_devices",
            "DELETE FROM exchange_blobs",
            "DELETE FROM outgoing",
            "DELETE FROM outbox",
            "DELETE FROM shared_items",
            "DELETE FROM shared_batches",
            "DELETE FROM shared_rules",
        ] {
            sqlx::query(sql).execute(&mut *tx).await?;
        }
        Ok(tx.commit().await?)
    }

    /// Everything of the exchange, as it was left.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn exchange(&self) -> Result<ExchangeState, ReadError> {
        let row: Option<(u64, u64, u64)> = sqlx::query_as("SELECT incarnation, sequence, seen FROM exchange")
            .fetch_optional(&self.pool)
            .await?;
        let Some((incarnation, sequence, seen)) = row else { return Ok(ExchangeState::default()) };
        let unreadable = |_| ReadError::Damaged("a device is recorded that is none".into());
        let heads: Vec<(Vec<u8>, u64, u64)> =
            sqlx::query_as("SELECT device, incarnation, sequence FROM exchange_heads")
                .fetch_all(&self.pool)
                .await?;
        let heads = heads
            .into_iter()
            .map(|(device, incarnation, sequence)| {
                Ok((DeviceId(device.try_into().map_err(unreadable)?), incarnation, sequence))
            })
            .collect::<Result<_, ReadError>>()?;
        let entries =
            sqlx::query_scalar("SELECT body FROM exchange_entries ORDER BY number").fetch_all(&self.pool);
        let entries = entries.await?;
        let rows: Vec<OutgoingColumns> =
            sqlx::query_as("SELECT sequence, kind, id, version, body, blobs FROM outgoing ORDER BY sequence")
                .fetch_all(&self.pool)
                .await?;
        let outgoing = rows.into_iter().map(|(sequence, kind, id, version, body, blobs)| OutgoingRow {
            sequence,
            subject: (String::from_utf8_lossy(&kind).into_owned(), id),
            version,
            body,
            blobs: blobs.as_chunks().0.to_vec(),
        });
        self.exchanges.store(true, Ordering::SeqCst);
        let row = ExchangeRow { incarnation, sequence, seen, heads, ..ExchangeRow::default() };
        Ok(ExchangeState { row: Some(row), entries, outgoing: outgoing.collect() })
    }

    /// What devices of the group say of themselves.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn devices(&self) -> Result<Vec<DeviceRow>, ReadError> {
        let unreadable = |_| ReadError::Damaged("a device is recorded that is none".into());
        let devices: Vec<(Vec<u8>, Vec<u8>, i64)> =
            sqlx::query_as("SELECT device, body, heard_at FROM exchange_devices")
                .fetch_all(&self.pool)
                .await?;
        let row = |(device, body, heard_at): (Vec<u8>, Vec<u8>, i64)| {
            Ok(DeviceRow { device: DeviceId(device.try_into().map_err(unreadable)?), body, heard_at })
        };
        devices.into_iter().map(row).collect()
    }

    /// The blob of a content, if it is one.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn blob(&self, digest: Digest) -> Result<Option<BlobRow>, ReadError> {
        let row: Option<(Vec<u8>, Vec<u8>, u64, u32)> =
            sqlx::query_as("SELECT name, blob_key, size, sent FROM exchange_blobs WHERE digest = ?")
                .bind(&digest.0[..])
                .fetch_optional(&self.pool)
                .await?;
        let unreadable = |_| ReadError::Damaged("a blob is recorded that is none".into());
        let Some((name, key, size, sent)) = row else { return Ok(None) };
        let (name, key) = (name.try_into().map_err(unreadable)?, key.try_into().map_err(unreadable)?);
        Ok(Some(BlobRow { digest, name, key, size, sent }))
    }

    /// A content is a blob, and so many of its parts were sent.
    ///
    /// # Errors
    /// It is not known then.
    pub async fn keep_blob(&self, blob: &BlobRow) -> Result<(), CommitError> {
        let mut connection = self.pool.acquire().await?;
        Ok(write_blob(&mut connection, blob).await?)
    }

    /// A chunk of a content, as it is stored: 1 MiB, the last one less.
    ///
    /// # Errors
    /// While the database does not answer, or when it is not there.
    pub async fn chunk(&self, digest: Digest, n: u32) -> Result<Vec<u8>, ReadError> {
        let found: Option<Vec<u8>> = sqlx::query_scalar("SELECT data FROM chunks WHERE digest = ? AND n = ?")
            .bind(&digest.0[..])
            .bind(n)
            .fetch_optional(&self.pool)
            .await?;
        found.ok_or_else(|| ReadError::Damaged("a content is missing".into()))
    }

    /// Contents that clips need, that are blobs of so many bytes at most, and that are not here yet: so many at most.
    ///
    /// # Errors
    /// While the database does not answer.
    pub async fn far(&self, bytes: u64, most: u32) -> Result<Vec<Digest>, ReadError> {
        let found: Vec<Vec<u8>> = sqlx::query_scalar(
            "SELECT digest FROM exchange_blobs b WHERE size <= ? \
             AND NOT EXISTS (SELECT 1 FROM contents c WHERE c.digest = b.digest) \
             AND EXISTS (SELECT 1 FROM uses u WHERE u.digest = b.digest) LIMIT ?",
        )
        .bind(bytes)
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        Ok(found.iter().filter_map(|digest| Some(Digest(digest.as_slice().try_into().ok()?))).collect())
    }

    /// Entries of the chain have come, after a number.
    ///
    /// # Errors
    /// They are not kept then.
    pub async fn keep_entries(&self, after: u64, entries: &[Vec<u8>]) -> Result<(), CommitError> {
        let mut tx = self.pool.begin().await?;
        self.lease.holds(&mut tx).await?;
        write_entries(&mut tx, after, entries).await?;
        Ok(tx.commit().await?)
    }

    /// Records are on their way from now on, and of some subjects there is nothing to be sent.
    ///
    /// # Errors
    /// None is on its way then.
    pub async fn send(
        &self,
        row: &ExchangeRow,
        outgoing: &[OutgoingRow],
        nothing: &[(Subject, u64)],
    ) -> Result<(), CommitError> {
        let mut tx = self.pool.begin().await?;
        self.lease.holds(&mut tx).await?;
        write(&mut tx, row).await?;
        if !outgoing.is_empty() {
            // A few at a time: records may be long.
            for some in outgoing.chunks(16) {
                let mut sql = QueryBuilder::<MySql>::new(
                    "INSERT INTO outgoing (sequence, kind, id, version, body, blobs) ",
                );
                sql.push_values(some, |mut one, row| {
                    one.push_bind(row.sequence)
                        .push_bind(row.subject.0.as_bytes())
                        .push_bind(&row.subject.1[..])
                        .push_bind(row.version)
                        .push_bind(&row.body[..])
                        .push_bind(row.blobs.concat());
                });
                sql.build().execute(&mut *tx).await?;
            }
        }
        for ((kind, id), version) in nothing {
            sqlx::query("UPDATE outbox SET waits = 0 WHERE kind = ? AND id = ? AND version = ?")
                .bind(kind.as_bytes())
                .bind(&id[..])
                .bind(*version)
                .execute(&mut *tx)
                .await?;
        }
        Ok(tx.commit().await?)
    }

    /// The hub has what was on its way.
    ///
    /// # Errors
    /// It is still on its way then.
    pub async fn sent(&self) -> Result<(), CommitError> {
        let mut tx = self.pool.begin().await?;
        self.lease.holds(&mut tx).await?;
        // What has changed since then is sent again.
        sqlx::query(
            "UPDATE outbox o JOIN outgoing w ON w.kind = o.kind AND w.id = o.id \
             SET o.sent = w.version, o.waits = (o.version > w.version)",
        )
        .execute(&mut *tx)
        .await?;
        sqlx::query("DELETE FROM outgoing").execute(&mut *tx).await?;
        Ok(tx.commit().await?)
    }

    /// This disk is an older copy: a new life begins, and what was on its way is made anew.
    ///
    /// # Errors
    /// The old life goes on then, until this is done.
    pub async fn begin_anew(&self, row: &ExchangeRow) -> Result<(), CommitError> {
        let mut tx = self.pool.begin().await?;
        self.lease.holds(&mut tx).await?;
        write(&mut tx, row).await?;
        sqlx::query("DELETE FROM outgoing").execute(&mut *tx).await?;
        Ok(tx.commit().await?)
    }
}

async fn write_entries(tx: &mut MySqlConnection, after: u64, entries: &[Vec<u8>]) -> Result<(), sqlx::Error> {
    for (n, entry) in entries.iter().enumerate() {
        sqlx::query("REPLACE INTO exchange_entries (number, body) VALUES (?, ?)")
            .bind(after + 1 + n as u64)
            .bind(&entry[..])
            .execute(&mut *tx)
            .await?;
    }
    Ok(())
}
