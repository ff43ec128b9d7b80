-- What a clearing has still to take: ids of 16 bytes each, in portions. A portion goes with the change that takes its clips.
CREATE TABLE act_lists (
  act BINARY(16) NOT NULL,
  n INT NOT NULL,
  clips LONGBLOB NOT NULL,
  PRIMARY KEY (act, n)
) ENGINE = InnoDB;

-- What a clearing took: what brings a clip back (JSON), and whether it stands or was taken back.
CREATE TABLE act_parts (
  act BINARY(16) NOT NULL,
  clip BINARY(16) NOT NULL,
  stands TINYINT NOT NULL,
  body LONGBLOB NOT NULL,
  PRIMARY KEY (act, clip),
  KEY by_clip (clip)
) ENGINE = InnoDB;

-- How far an act has come: 1 while its parts follow, 2 while they follow and the act ends with them, 3 while it ends.
ALTER TABLE acts ADD COLUMN going TINYINT NOT NULL DEFAULT 0;
