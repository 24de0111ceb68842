-- Looks: an attachment whose style others of its kind share, by name.
CREATE TABLE looks (
    project_id uuid NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
    name text NOT NULL,
    attachment jsonb NOT NULL,
    PRIMARY KEY (project_id, name)
);
