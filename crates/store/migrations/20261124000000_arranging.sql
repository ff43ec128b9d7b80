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

-- What an act was about: a clip (its first one) or a drawer, and how many clips.
ALTER TABLE acts ADD COLUMN subject VARBINARY(40) NULL, ADD COLUMN clips INT NOT NULL DEFAULT 0;
