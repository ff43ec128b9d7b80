-- Sealed contents in parts, each taken once; and which records list them.
CREATE TABLE blobs (
  grp BINARY(16) NOT NULL,
  name BINARY(16) NOT NULL,
  n INT UNSIGNED NOT NULL,
  body LONGBLOB NOT NULL,
  taken_at BIGINT NOT NULL,
  PRIMARY KEY (grp, name, n),
  KEY by_time (taken_at)
) ENGINE = InnoDB;

CREATE TABLE listed (
  grp BINARY(16) NOT NULL,
  number BIGINT UNSIGNED NOT NULL,
  name BINARY(16) NOT NULL,
  PRIMARY KEY (grp, number, name),
  KEY by_name (grp, name)
) ENGINE = InnoDB;
