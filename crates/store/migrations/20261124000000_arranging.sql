-- Drawers: their merged state, dividers included, as JSON.
CREATE TABLE drawers (
  id VARBINARY(40) NOT NULL PRIMARY KEY,
  state LONGBLOB NOT NULL
) ENGINE = InnoDB;

-- What was typed in an editor and not saved yet.
CREATE TABLE drafts (
  clip BINARY(16) NOT NULL PRIMARY KEY,
  at BIGINT NOT NULL,
  body LONGBLOB NOT NULL
) ENGINE = InnoDB;

-- Acts that hold nothing that was removed outlive the grace period.
ALTER TABLE acts ADD COLUMN lasting TINYINT NOT NULL DEFAULT 0;
