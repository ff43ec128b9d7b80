-- The id of the newest group of changes: after a lost answer it tells whether the group was committed.
ALTER TABLE service ADD COLUMN last_group BINARY(16) NULL;
