-- Words that were read from pictures, and where they stand (JSON), by the picture's content. They go when that goes.
CREATE TABLE pictured (
  digest BINARY(32) NOT NULL PRIMARY KEY,
  words LONGBLOB NOT NULL
) ENGINE = InnoDB;
