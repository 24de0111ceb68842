-- Who does long work. A row is renewed while its process lives, and taken away when it has not been for a while.
CREATE TABLE workers (
    id uuid PRIMARY KEY,
    host text NOT NULL,
    process integer NOT NULL,
    kinds text[] NOT NULL,
    -- By these it holds jobs.
    lanes uuid[] NOT NULL,
    began_at timestamptz NOT NULL DEFAULT now(),
    seen_at timestamptz NOT NULL DEFAULT now()
);
