-- A group: the last entry of its chain, the last of its numbers, and how much it has here.
CREATE TABLE hub_groups (
  id BINARY(16) NOT NULL PRIMARY KEY,
  epoch BIGINT UNSIGNED NOT NULL,
  head BINARY(32) NOT NULL,
  last BIGINT UNSIGNED NOT NULL DEFAULT 0,
  bytes BIGINT UNSIGNED NOT NULL DEFAULT 0,
  made_at BIGINT NOT NULL,
  seen_at BIGINT NOT NULL
) ENGINE = InnoDB;

-- Who belongs to it: signed entries, one an epoch.
CREATE TABLE entries (
  grp BINARY(16) NOT NULL,
  number BIGINT UNSIGNED NOT NULL,
  body LONGBLOB NOT NULL,
  PRIMARY KEY (grp, number)
) ENGINE = InnoDB;

-- Sealed records under the group's own numbers.
CREATE TABLE records (
  grp BINARY(16) NOT NULL,
  number BIGINT UNSIGNED NOT NULL,
  device BINARY(16) NOT NULL,
  incarnation BIGINT UNSIGNED NOT NULL,
  sequence BIGINT UNSIGNED NOT NULL,
  seen BIGINT UNSIGNED NOT NULL,
  subject BINARY(32) NOT NULL,
  body LONGBLOB NOT NULL,
  PRIMARY KEY (grp, number),
  KEY by_subject (grp, subject)
) ENGINE = InnoDB;

-- How far each life of each device has come, and the hash of what it sent last, so that the same once more is recognised.
CREATE TABLE heads (
  grp BINARY(16) NOT NULL,
  device BINARY(16) NOT NULL,
  incarnation BIGINT UNSIGNED NOT NULL,
  sequence BIGINT UNSIGNED NOT NULL,
  push BINARY(32) NOT NULL,
  PRIMARY KEY (grp, device, incarnation)
) ENGINE = InnoDB;

-- Where two devices meet: who opened it, until when; and what they said, each thing once.
CREATE TABLE meetings (
  place INT UNSIGNED NOT NULL PRIMARY KEY,
  grp BINARY(16) NOT NULL,
  until BIGINT NOT NULL
) ENGINE = InnoDB;

CREATE TABLE words (
  place INT UNSIGNED NOT NULL,
  n INT UNSIGNED NOT NULL,
  body LONGBLOB NOT NULL,
  PRIMARY KEY (place, n)
) ENGINE = InnoDB;

-- Invitations, by the hash of their words.
CREATE TABLE invitations (
  hash BINARY(32) NOT NULL PRIMARY KEY,
  until BIGINT NOT NULL
) ENGINE = InnoDB;
