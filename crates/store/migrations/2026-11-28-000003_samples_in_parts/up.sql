-- Grows with every change of the shot's samples: who has read them of this number need not read them again.
ALTER TABLE shots ADD COLUMN samples_version bigint NOT NULL DEFAULT 0;
-- What a job has changed so far, beside its entry in the log: what was there before, for each frame once.
CREATE TABLE log_parts (
    shot_id uuid NOT NULL,
    number bigint NOT NULL,
    part bigserial,
    pin_id uuid NOT NULL,
    frames integer[] NOT NULL,
    inverse jsonb NOT NULL,
    PRIMARY KEY (shot_id, number, part),
    FOREIGN KEY (shot_id, number) REFERENCES log (shot_id, number) ON DELETE CASCADE
);
-- What redo makes is what undo took back: it is written down only then.
ALTER TABLE log ALTER COLUMN edit DROP NOT NULL;
