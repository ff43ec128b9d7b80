-- One row: which device's service writes here, when it was last seen, and its clock. Every transaction of the
-- service updates this row and checks the lease on the way.
CREATE TABLE service (
  one TINYINT NOT NULL PRIMARY KEY CHECK (one = 1),
  device BINARY(16) NOT NULL,
  lease BINARY(16) NOT NULL,
  seen_at BIGINT NOT NULL,
  clock BINARY(28) NULL
) ENGINE = InnoDB;

-- Contents are stored once per digest (BLAKE3), in chunks of 1 MiB. A row here says that all its chunks are there.
CREATE TABLE contents (
  digest BINARY(32) NOT NULL PRIMARY KEY,
  size BIGINT NOT NULL,
  staged_at BIGINT NOT NULL
) ENGINE = InnoDB;

CREATE TABLE chunks (
  digest BINARY(32) NOT NULL,
  n INT NOT NULL,
  data LONGBLOB NOT NULL,
  PRIMARY KEY (digest, n)
) ENGINE = InnoDB;

-- Who needs a content: a clip (by its id) or an act that can still be undone (by its id).
CREATE TABLE uses (
  holder BINARY(16) NOT NULL,
  digest BINARY(32) NOT NULL,
  PRIMARY KEY (holder, digest),
  KEY by_digest (digest)
) ENGINE = InnoDB;

-- The merged state of a clip as JSON, and what can be told of it at a glance (absent for tombstones).
CREATE TABLE clips (
  id BINARY(16) NOT NULL PRIMARY KEY,
  state LONGBLOB NOT NULL,
  facts LONGBLOB NULL,
  received_at BIGINT NOT NULL
) ENGINE = InnoDB;

-- What a person did and can take back.
CREATE TABLE acts (
  id BINARY(16) NOT NULL PRIMARY KEY,
  at BIGINT NOT NULL,
  kind VARBINARY(24) NOT NULL,
  payload LONGBLOB NOT NULL,
  undone_at BIGINT NULL,
  KEY by_time (at)
) ENGINE = InnoDB;

-- Copies that were not kept, and why; never their content.
CREATE TABLE refusals (
  at BIGINT NOT NULL,
  reason VARBINARY(24) NOT NULL,
  size BIGINT NULL,
  program LONGBLOB NULL,
  KEY by_time (at)
) ENGINE = InnoDB;
