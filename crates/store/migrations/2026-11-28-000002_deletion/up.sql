-- A deleted project can be had back for a while; its rows and files go afterwards.
ALTER TABLE projects ADD COLUMN deleted_at timestamptz;
-- A deleted picture is not offered any more; it goes when no shot and no undo needs it.
ALTER TABLE pictures ADD COLUMN deleted_at timestamptz;
-- Who took what away, in words. It mentions no row by its identity: what it speaks of is gone.
CREATE TABLE audit (
    number bigserial PRIMARY KEY,
    at timestamptz NOT NULL DEFAULT now(),
    owner_id uuid NOT NULL REFERENCES owners,
    what text NOT NULL
);
