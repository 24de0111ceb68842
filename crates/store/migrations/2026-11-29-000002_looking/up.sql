-- By one a shot is looked at, and written on, by somebody who does not sign in.
CREATE TABLE look_links (
    id uuid PRIMARY KEY,
    shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
    key_hash bytea NOT NULL UNIQUE,
    -- For whom, as typed.
    name text NOT NULL,
    made_at timestamptz NOT NULL DEFAULT now(),
    ends_at timestamptz NOT NULL
);
CREATE INDEX ON look_links (shot_id);

-- What somebody wants of a frame.
CREATE TABLE notes (
    id uuid PRIMARY KEY,
    shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
    frame integer NOT NULL,
    -- {"at": [x, y], "from": [x, y] or null}, in pixels of the picture: a place, or an arrow that points at it.
    mark jsonb,
    author text NOT NULL,
    text text NOT NULL,
    -- [{"author", "text", "at"}], in the order they came.
    answers jsonb NOT NULL DEFAULT '[]',
    made_at timestamptz NOT NULL DEFAULT now(),
    done_at timestamptz
);
CREATE INDEX ON notes (shot_id, frame);
