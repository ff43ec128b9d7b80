-- How far each life of each device has come is part of its group: 64 bytes a life (device, incarnation, sequence, hash of what it
-- sent last; numbers with their highest byte first), those that sent last at the end.
ALTER TABLE hub_groups ADD COLUMN heads LONGBLOB NOT NULL DEFAULT '';

SET SESSION group_concat_max_len = 16777216;

UPDATE hub_groups SET heads = COALESCE((
  SELECT GROUP_CONCAT(
    CONCAT(device, UNHEX(LPAD(HEX(incarnation), 16, '0')), UNHEX(LPAD(HEX(sequence), 16, '0')), push)
    ORDER BY sequence SEPARATOR ''
  ) FROM heads WHERE grp = hub_groups.id
), '');

DROP TABLE heads;

-- Which record of a life a record is stands in the record itself.
ALTER TABLE records DROP COLUMN sequence;
