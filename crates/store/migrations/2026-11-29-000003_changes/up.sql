-- What each revision of a shot was about, for as long as somebody may not have seen it: a write that was made for an
-- older one is taken if it is about something else.
CREATE TABLE changes (
    shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
    revision bigint NOT NULL,
    -- Nil: the whole shot.
    subjects uuid[] NOT NULL,
    PRIMARY KEY (shot_id, revision)
);
