-- The id of the newest group of changes: after a lost answer it tells whether the group was committed. And how far a
-- restore has come: 1 while the clips that were received are moved to their place.
ALTER TABLE service ADD COLUMN last_group BINARY(16) NULL, ADD COLUMN restoring TINYINT NOT NULL DEFAULT 0;

-- Acts are taken back in the order of their numbers, not of their times. The clips that an act knows of, 16 bytes each;
-- NULL in rows of earlier versions, whose payload tells.
ALTER TABLE acts ADD COLUMN number BIGINT NOT NULL DEFAULT 0, ADD COLUMN undone_number BIGINT NULL,
  ADD COLUMN known LONGBLOB NULL;

-- The time by which this device orders a clip. Rows of earlier versions are ordered by the earlier of copying and
-- receiving, which is found out when they are read.
ALTER TABLE clips CHANGE COLUMN received_at ordered_at BIGINT NOT NULL, ADD COLUMN ordered TINYINT NOT NULL DEFAULT 0;

-- Clips of a backup on their way in. They count only once all of them are here.
CREATE TABLE incoming (
  id BINARY(16) NOT NULL PRIMARY KEY,
  state LONGBLOB NOT NULL,
  facts LONGBLOB NULL,
  ordered_at BIGINT NOT NULL
) ENGINE = InnoDB;
