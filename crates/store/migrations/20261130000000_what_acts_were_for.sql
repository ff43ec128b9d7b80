-- What a clearing was for is told in words.
ALTER TABLE acts MODIFY COLUMN subject VARBINARY(500) NULL;
