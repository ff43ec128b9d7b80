-- The exchange with a hub, once this device belongs to a group: its life, the last number it gave, the last number of the
-- hub's that it has seen. While not all clips are noted in the outbox: up to which id they are, and whether those that are
-- in it already wait anew.
CREATE TABLE exchange (
  one TINYINT NOT NULL PRIMARY KEY CHECK (one = 1),
  incarnation BIGINT UNSIGNED NOT NULL,
  sequence BIGINT UNSIGNED NOT NULL,
  seen BIGINT UNSIGNED NOT NULL,
  noting VARBINARY(16) NULL,
  anew TINYINT NOT NULL DEFAULT 0
) ENGINE = InnoDB;

-- How far each life of each device has been seen.
CREATE TABLE exchange_heads (
  device BINARY(16) NOT NULL,
  incarnation BIGINT UNSIGNED NOT NULL,
  sequence BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (device, incarnation)
) ENGINE = InnoDB;

-- The chain of the group.
CREATE TABLE exchange_entries (
  number BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  body LONGBLOB NOT NULL
) ENGINE = InnoDB;

-- What has changed, how often, and how often it had when it was last sent (0: never). Written with the change itself.
CREATE TABLE outbox (
  kind VARBINARY(12) NOT NULL,
  id VARBINARY(40) NOT NULL,
  version BIGINT UNSIGNED NOT NULL,
  sent BIGINT UNSIGNED NOT NULL DEFAULT 0,
  waits TINYINT NOT NULL,
  changed_at BIGINT NOT NULL,
  PRIMARY KEY (kind, id),
  KEY waiting (waits, changed_at)
) ENGINE = InnoDB;

-- Records on their way: as they were sealed, until the hub has said that it has them.
CREATE TABLE outgoing (
  sequence BIGINT UNSIGNED NOT NULL PRIMARY KEY,
  kind VARBINARY(12) NOT NULL,
  id VARBINARY(40) NOT NULL,
  version BIGINT UNSIGNED NOT NULL,
  body LONGBLOB NOT NULL,
  blobs LONGBLOB NOT NULL
) ENGINE = InnoDB;

-- What devices of the group say of themselves (as they sent it), and when each was last heard of.
CREATE TABLE exchange_devices (
  device BINARY(16) NOT NULL PRIMARY KEY,
  body VARBINARY(2000) NOT NULL,
  heard_at BIGINT NOT NULL
) ENGINE = InnoDB;

-- Contents that are blobs at the hub: name and key of each, and how many of its parts this device has sent.
CREATE TABLE exchange_blobs (
  digest BINARY(32) NOT NULL PRIMARY KEY,
  name BINARY(16) NOT NULL,
  blob_key BINARY(32) NOT NULL,
  size BIGINT UNSIGNED NOT NULL,
  sent INT UNSIGNED NOT NULL
) ENGINE = InnoDB;
