-- Batches as devices share them: what devices agree on of the whole (JSON). Those that were removed leave their floor.
CREATE TABLE shared_batches (
  id BINARY(16) NOT NULL PRIMARY KEY,
  head LONGBLOB NOT NULL
) ENGINE = InnoDB;

-- Their items: when each came or went (a stamp), and which of this device's it is.
CREATE TABLE shared_items (
  batch BINARY(16) NOT NULL,
  item BINARY(16) NOT NULL,
  at BINARY(28) NOT NULL,
  there BOOLEAN NOT NULL,
  own INT UNSIGNED NULL,
  print BIGINT UNSIGNED NOT NULL,
  PRIMARY KEY (batch, item)
) ENGINE = InnoDB;

-- Intake rules as devices share them, and the list that the settings of this device had when they were last compared (JSON).
CREATE TABLE shared_rules (
  one TINYINT NOT NULL PRIMARY KEY,
  shared LONGBLOB NOT NULL,
  compared LONGBLOB NOT NULL
) ENGINE = InnoDB;

-- What travelled when it was last looked at, in words: what was held back waits again when that changes.
ALTER TABLE exchange ADD COLUMN travels VARBINARY(200) NULL;
