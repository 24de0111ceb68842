-- Whoever works here. The first is the owner of the installation: while it has no passphrase, it is whoever sits at the
-- machine. Who left stays as a row, for the audit.
ALTER TABLE owners RENAME TO people;
ALTER TABLE people
    -- As argon2id hashes are written (PHC).
    ADD COLUMN passphrase text,
    ADD COLUMN administrator boolean NOT NULL DEFAULT false,
    ADD COLUMN made_at timestamptz NOT NULL DEFAULT now(),
    ADD COLUMN left_at timestamptz;
UPDATE people SET administrator = true;
CREATE UNIQUE INDEX people_name ON people (lower(name)) WHERE left_at IS NULL;

CREATE TABLE members (
    project_id uuid NOT NULL REFERENCES projects ON DELETE CASCADE,
    person_id uuid NOT NULL REFERENCES people,
    role text NOT NULL CHECK (role IN ('viewer', 'editor', 'owner')),
    PRIMARY KEY (project_id, person_id)
);
CREATE INDEX ON members (person_id);
INSERT INTO members (project_id, person_id, role) SELECT id, owner_id, 'owner' FROM projects;
ALTER TABLE projects DROP COLUMN owner_id;

-- Nobody: Jam Pin itself, as when a deleted project's time is over.
ALTER TABLE audit RENAME COLUMN owner_id TO person_id;
ALTER TABLE audit ALTER COLUMN person_id DROP NOT NULL;

-- The cookie has a key; only its hash is kept, so that who reads this table can be nobody by it.
CREATE TABLE sessions (
    id uuid PRIMARY KEY DEFAULT gen_random_uuid(),
    key_hash bytea NOT NULL UNIQUE,
    -- Nobody: who came by a link to look at a shot.
    person_id uuid REFERENCES people,
    state jsonb NOT NULL,
    began_at timestamptz NOT NULL DEFAULT now(),
    seen_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON sessions (person_id);
-- What cookies are sealed with: the same for all servers over this database.
ALTER TABLE installation ADD COLUMN cookie_key bytea;

-- By one a passphrase is set without the old one.
CREATE TABLE one_time_links (
    key_hash bytea PRIMARY KEY,
    person_id uuid NOT NULL REFERENCES people,
    ends_at timestamptz NOT NULL
);

-- Tries to sign in that are under way or failed; those that succeeded are taken out.
CREATE TABLE sign_in_tries (
    id uuid PRIMARY KEY,
    at timestamptz NOT NULL DEFAULT now(),
    name text NOT NULL,
    address text NOT NULL
);
CREATE INDEX ON sign_in_tries (at);
