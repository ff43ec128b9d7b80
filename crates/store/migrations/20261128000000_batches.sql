-- Batches: what is said of each as a whole (JSON, with the order of its items), when it was taken in hand, and how many of
-- its items were handed out.
CREATE TABLE batches (
  id BINARY(16) NOT NULL PRIMARY KEY,
  state LONGBLOB NOT NULL,
  used_at BIGINT NOT NULL,
  handed INT NOT NULL
) ENGINE = InnoDB;

-- Items of batches, as JSON. Their contents are needed by the batch (see uses).
CREATE TABLE batch_items (
  batch BINARY(16) NOT NULL,
  item INT UNSIGNED NOT NULL,
  body LONGBLOB NOT NULL,
  PRIMARY KEY (batch, item)
) ENGINE = InnoDB;
