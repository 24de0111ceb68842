-- Every project has an owner from the start; sign-in comes later.
CREATE TABLE owners (
    id uuid PRIMARY KEY,
    name text NOT NULL
);
INSERT INTO owners (id, name) VALUES ('00000000-0000-0000-0000-000000000001', 'This machine');

CREATE TABLE projects (
    id uuid PRIMARY KEY,
    owner_id uuid NOT NULL REFERENCES owners,
    name text NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE clips (
    id uuid PRIMARY KEY,
    project_id uuid NOT NULL REFERENCES projects ON DELETE CASCADE,
    name text NOT NULL,
    bytes bigint NOT NULL,
    state text NOT NULL CHECK (state IN ('preparing', 'ready', 'failed')),
    -- Description of the film and its frame times, as the media crate wrote them.
    info jsonb NOT NULL,
    frames jsonb NOT NULL,
    prepared integer NOT NULL DEFAULT 0,
    cuts integer[] NOT NULL DEFAULT '{}',
    remarks text[] NOT NULL DEFAULT '{}',
    problem text,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON clips (project_id);

CREATE TABLE shots (
    id uuid PRIMARY KEY,
    project_id uuid NOT NULL REFERENCES projects ON DELETE CASCADE,
    clip_id uuid NOT NULL REFERENCES clips ON DELETE CASCADE,
    name text NOT NULL,
    first_frame integer NOT NULL,
    last_frame integer NOT NULL CHECK (last_frame >= first_frame),
    -- Grows with every edit; a write against an older one is refused.
    revision bigint NOT NULL DEFAULT 0,
    -- Number of the newest entry of the log that is in force; those above it were undone.
    log_head bigint NOT NULL DEFAULT 0,
    -- Subjects, pins and attachments; the samples are in their own table.
    document jsonb NOT NULL,
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX ON shots (project_id);
CREATE INDEX ON shots (clip_id);

-- One row for each run of frames without a hole, one array a column.
CREATE TABLE samples (
    shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
    pin_id uuid NOT NULL,
    first_frame integer NOT NULL,
    x double precision[] NOT NULL,
    y double precision[] NOT NULL,
    matched real[] NOT NULL,
    sd_x real[] NOT NULL,
    sd_y real[] NOT NULL,
    state smallint[] NOT NULL,
    PRIMARY KEY (shot_id, pin_id, first_frame)
);

CREATE TABLE log (
    shot_id uuid NOT NULL REFERENCES shots ON DELETE CASCADE,
    number bigint NOT NULL,
    title text NOT NULL,
    edit jsonb NOT NULL,
    inverse jsonb NOT NULL,
    -- The job that goes on adding to this entry, if one does.
    job_id uuid,
    made_at timestamptz NOT NULL DEFAULT now(),
    PRIMARY KEY (shot_id, number)
);
CREATE INDEX ON log (job_id) WHERE job_id IS NOT NULL;

CREATE TABLE jobs (
    id uuid PRIMARY KEY,
    project_id uuid NOT NULL REFERENCES projects ON DELETE CASCADE,
    shot_id uuid REFERENCES shots ON DELETE CASCADE,
    clip_id uuid REFERENCES clips ON DELETE CASCADE,
    kind text NOT NULL,
    payload jsonb NOT NULL,
    state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting', 'running', 'done', 'failed', 'cancelled')),
    -- How far it has come, so that whoever takes it up again need not begin anew.
    progress jsonb NOT NULL DEFAULT '{}',
    result jsonb,
    problem text,
    attempts integer NOT NULL DEFAULT 0,
    cancel boolean NOT NULL DEFAULT false,
    worker uuid,
    heartbeat timestamptz,
    created_at timestamptz NOT NULL DEFAULT now(),
    ended_at timestamptz
);
CREATE INDEX ON jobs (state, created_at) WHERE state IN ('waiting', 'running');
CREATE INDEX ON jobs (shot_id);
