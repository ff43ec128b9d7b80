-- Up to which of its group's numbers each device has asked for what follows, and when it asked last, in microseconds.
CREATE TABLE asks (
  grp BINARY(16) NOT NULL,
  device BINARY(16) NOT NULL,
  number BIGINT UNSIGNED NOT NULL,
  at BIGINT NOT NULL,
  PRIMARY KEY (grp, device)
) ENGINE = InnoDB;
