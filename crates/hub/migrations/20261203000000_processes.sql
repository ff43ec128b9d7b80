-- The processes that share this database: each beats while there are others.
CREATE TABLE processes (
  id BINARY(16) NOT NULL PRIMARY KEY,
  beat BIGINT UNSIGNED NOT NULL
) ENGINE = InnoDB;

-- What each of them has to tell the others, under numbers of its own.
CREATE TABLE news (
  process BINARY(16) NOT NULL,
  number BIGINT UNSIGNED NOT NULL,
  said BLOB NOT NULL,
  PRIMARY KEY (process, number)
) ENGINE = InnoDB;

-- Groups that are being let go of, piece by piece.
CREATE TABLE leaving (
  grp BINARY(16) NOT NULL PRIMARY KEY
) ENGINE = InnoDB;
