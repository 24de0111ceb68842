-- Pictures and logos of a project; the files themselves are in the media folder.
CREATE TABLE pictures (
    id uuid PRIMARY KEY,
    project_id uuid NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
    name text NOT NULL,
    width integer NOT NULL CHECK (width > 0),
    height integer NOT NULL CHECK (height > 0),
    created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX pictures_of_project ON pictures (project_id, created_at);
