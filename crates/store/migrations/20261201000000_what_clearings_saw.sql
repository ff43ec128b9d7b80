-- Clips of a portion whose floor is another one than the clearing's: ids of 16 bytes, each with a stamp of 28.
ALTER TABLE act_lists ADD COLUMN ahead LONGBLOB NULL;
