-- Shots of a project in the order of its film, and whether they are in it.
ALTER TABLE shots ADD COLUMN place integer NOT NULL DEFAULT 0;
ALTER TABLE shots ADD COLUMN in_film boolean NOT NULL DEFAULT true;
CREATE INDEX jobs_by_time ON jobs (created_at DESC);
