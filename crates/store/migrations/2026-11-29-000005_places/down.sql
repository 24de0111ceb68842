DROP TABLE clip_places;
ALTER TABLE workers DROP COLUMN place;
DROP INDEX jobs_pieces;
