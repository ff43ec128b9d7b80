-- Browsers that are signed in. What is kept of each is the public half of its key pair: nothing here opens anything.
CREATE TABLE sign_ins (
  id BINARY(16) NOT NULL PRIMARY KEY,
  public VARBINARY(65) NOT NULL,
  origin VARBINARY(200) NOT NULL,
  name VARBINARY(240) NOT NULL,
  made_at BIGINT NOT NULL,
  seen_at BIGINT NOT NULL
) ENGINE = InnoDB;
