DROP INDEX jobs_by_time;
ALTER TABLE shots DROP COLUMN in_film;
ALTER TABLE shots DROP COLUMN place;
