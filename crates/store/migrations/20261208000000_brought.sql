-- What an import that is under way has done to each clip and drawer, in its order, written with it: as it was done first, and as it
-- was done last where that was more than once. It goes when the import ends and its acts are written. What is found here at a start
-- is of imports that were cut off with the service.
CREATE TABLE brought (
  n BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
  import BINARY(16) NOT NULL,
  subject BINARY(16) NOT NULL,
  body LONGBLOB NOT NULL,
  later LONGBLOB,
  UNIQUE KEY by_subject (import, subject)
) ENGINE = InnoDB;
