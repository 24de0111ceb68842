-- A long export is made in pieces, which several workers write.
CREATE INDEX jobs_pieces ON jobs ((payload->>'export')) WHERE kind = 'piece';

-- Workers that share a folder are at one place. What is computed from lies there: a cache of each.
ALTER TABLE workers ADD COLUMN place UUID;
CREATE TABLE clip_places (
    clip_id UUID NOT NULL REFERENCES clips ON DELETE CASCADE,
    place UUID NOT NULL,
    used_at TIMESTAMPTZ NOT NULL DEFAULT now(),
    PRIMARY KEY (clip_id, place)
);
