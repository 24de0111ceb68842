-- How fast the picture as a whole moves, pixels a frame, one number a frame; empty until the clip is prepared.
ALTER TABLE clips ADD COLUMN speeds real[] NOT NULL DEFAULT '{}';

-- Cleaning recipes are kept in the project, so that every shot of it can use them.
CREATE TABLE recipes (
    project_id uuid NOT NULL REFERENCES projects (id) ON DELETE CASCADE,
    name text NOT NULL CHECK (name <> ''),
    steps jsonb NOT NULL,
    PRIMARY KEY (project_id, name)
);
INSERT INTO recipes (project_id, name, steps)
    SELECT shots.project_id, kept ->> 'name', kept -> 'steps'
    FROM shots, jsonb_array_elements(COALESCE(document -> 'recipes', '[]')) AS kept
    ON CONFLICT DO NOTHING;
-- Keeping one is no change to a shot any more; what the logs say of it becomes a change of nothing.
UPDATE log SET edit = '{"edit": "all", "edits": []}', inverse = '{"edit": "all", "edits": []}' WHERE edit ->> 'edit' = 'keep_recipe';
